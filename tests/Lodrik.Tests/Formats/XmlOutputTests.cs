using System.Text;
using System.Xml;
using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Xml;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>XML is written byte for byte as the platform's own writer writes it.</summary>
public sealed class XmlOutputTests
{
    [Theory]
    [InlineData(false), InlineData(true)]
    public void Everything_is_written_as_the_platform_writes_it(bool indented) => WrittenContent.Trees.Sample(
        tree => AssertSame(new OneTree(tree), indented), iter: 4_000, threads: 2);

    [Theory]
    [InlineData(false), InlineData(true)]
    public void Numbers_are_in_one_element(bool indented)
    {
        Gen.Single.Array[0, 700].Sample(numbers => AssertSame(new OneList<float>(numbers), indented), iter: 200, threads: 2);
        Gen.Double.Array[0, 30].Sample(numbers => AssertSame(new OneList<double>(numbers), indented), iter: 200, threads: 2);
        Gen.ULong.Array[0, 300].Sample(numbers => AssertSame(new OneList<ulong>(numbers), indented), iter: 100, threads: 2);
        Gen.Decimal.Array[0, 300].Sample(numbers => AssertSame(new OneList<decimal>(numbers), indented), iter: 100, threads: 2);
    }

    [Fact]
    public void Every_character_stands_as_the_platform_writes_it_in_texts_and_keys()
    {
        for (var c = 0; c <= char.MaxValue; c++)
        {
            AssertSame(new OneTree($"{(char)c}"), indented: false);
            AssertSame(new OneTree($"a long text with {(char)c} in it"), indented: false);
            AssertSame(new OneTree(new SaveMap { [$"a key {(char)c}"] = 1, [$"b{(char)c}"] = "" }), indented: true);
        }
    }

    [Fact]
    public void What_stands_in_it_comes_back() => WrittenContent.Texts.List[0, 6].Sample(
        texts =>
        {
            using var buffer = new PooledBuffer(16);
            var writer = new XmlStateWriter(new XmlOutput(buffer, isIndented: true));
            writer.Name("texts");
            writer.BeginList(texts.Count);
            foreach (var text in texts)
                writer.WriteText(text);
            writer.EndList();
            using var xml = XmlReader.Create(new MemoryStream(buffer.Written.ToArray()), XmlStateReader.Settings);
            var reader = new XmlStateReader(xml);
            var read = new List<string>();
            reader.BeginList();
            while (reader.NextItem())
                read.Add(reader.ReadText());
            reader.End();
            // Half of a character pair is no text, and is replaced when it is written.
            Assert.Equal(texts.Select(text => Encoding.UTF8.GetString(Encoding.UTF8.GetBytes(text))), read);
        },
        iter: 2_000,
        threads: 2);

    [Fact]
    public void Whole_floats_of_any_size_are_written()
    {
        float[] whole = [.. Enumerable.Range(-1, 129).SelectMany(power => new[] { MathF.Pow(2, power), MathF.Pow(2, power) - 1, -MathF.Pow(2, power) }),
            int.MinValue, int.MaxValue, long.MinValue, float.MinValue, float.MaxValue, -0f, 0f, float.NaN, float.NegativeInfinity];
        foreach (var value in whole)
        {
            AssertSame(new OneTree(value), indented: false);
            AssertSame(new OneTree((double)value), indented: false);
            AssertSame(new OneList<float>([value, -value]), indented: true);
        }
    }

    private static void AssertSame<T>(T content, bool indented) where T : IValueWriter
    {
        using var buffer = new PooledBuffer(16);
        var output = new XmlOutput(buffer, indented);
        output.Start("root"u8.ToArray());
        var ours = new XmlStateWriter(output);
        content.Write(ref ours);
        output.End();
        var stream = new MemoryStream();
        var settings = PlatformXmlWriter.Settings(indented);
        settings.OmitXmlDeclaration = true;
        using (var writer = XmlWriter.Create(stream, settings))
        {
            writer.WriteStartElement("root");
            var theirs = new PlatformXmlWriter(writer);
            content.Write(ref theirs);
            writer.WriteEndElement();
        }
        if (!buffer.Written.SequenceEqual(stream.ToArray()))
            Assert.Equal(Encoding.UTF8.GetString(stream.ToArray()), Encoding.UTF8.GetString(buffer.Written));
    }
}

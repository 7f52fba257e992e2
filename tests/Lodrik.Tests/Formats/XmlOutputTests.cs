using System.Text;
using System.Xml;
using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Xml;

namespace Lodrik.Tests.Formats;

/// <summary>XML is written byte for byte as the platform's own writer writes it.</summary>
public sealed class XmlOutputTests : PlatformWriterTests
{
    [Fact]
    public void What_stands_in_it_comes_back() => WrittenContent.Texts.List[0, 6].Sample(
        // Half of a character pair is no text, and is replaced when it is written.
        texts => Assert.Equal(texts.Select(text => Encoding.UTF8.GetString(Encoding.UTF8.GetBytes(text))), ReadAgain(texts)),
        iter: 2_000,
        threads: 2);

    [Fact]
    public void A_surrogate_pair_anywhere_in_a_text_of_any_length_comes_back()
    {
        for (var before = 0; before < 1100; before++)
        {
            var text = new string('a', before) + "\U0001F9ED" + new string('b', before % 7) + "\U0001F9ED";
            Assert.Equal(text, Assert.Single(ReadAgain([text])));
        }
    }

    private static List<string> ReadAgain(List<string> texts)
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
        return read;
    }

    private protected override byte[] Ours<T>(T content, bool indented)
    {
        using var buffer = new PooledBuffer(16);
        var output = new XmlOutput(buffer, indented);
        output.Start("root"u8.ToArray());
        var writer = new XmlStateWriter(output);
        content.Write(ref writer);
        output.End();
        return buffer.Written.ToArray();
    }

    private protected override byte[] Platforms<T>(T content, bool indented)
    {
        var stream = new MemoryStream();
        var settings = PlatformXmlWriter.Settings(indented);
        settings.OmitXmlDeclaration = true;
        using (var writer = XmlWriter.Create(stream, settings))
        {
            writer.WriteStartElement("root");
            var tokens = new PlatformXmlWriter(writer);
            content.Write(ref tokens);
            writer.WriteEndElement();
        }
        return stream.ToArray();
    }
}

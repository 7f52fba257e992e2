using System.Text;
using CsCheck;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>A text form is written byte for byte as the platform's own writer writes it.</summary>
public abstract class PlatformWriterTests
{
    [Theory]
    [InlineData(false), InlineData(true)]
    public void Everything_is_written_as_the_platform_writes_it(bool indented) => WrittenContent.Trees.Sample(
        tree => AssertSame(new OneTree(tree), indented), iter: 4_000, threads: 2);

    [Theory]
    [InlineData(false), InlineData(true)]
    public void Lists_of_numbers_are_one_item(bool indented)
    {
        Gen.Single.Array[0, 700].Sample(numbers => AssertSame(new OneList<float>(numbers), indented), iter: 200, threads: 2);
        Gen.Double.Array[0, 30].Sample(numbers => AssertSame(new OneList<double>(numbers), indented), iter: 200, threads: 2);
        Gen.ULong.Array[0, 300].Sample(numbers => AssertSame(new OneList<ulong>(numbers), indented), iter: 100, threads: 2);
        Gen.SByte.Array[0, 600].Sample(numbers => AssertSame(new OneList<sbyte>(numbers), indented), iter: 100, threads: 2);
        Gen.Decimal.Array[0, 300].Sample(numbers => AssertSame(new OneList<decimal>(numbers), indented), iter: 100, threads: 2);
    }

    [Fact]
    public void Every_character_is_written_as_the_platform_writes_it_in_texts_and_keys()
    {
        for (var c = 0; c <= char.MaxValue; c++)
        {
            AssertSame(new OneTree($"{(char)c}"), indented: false);
            AssertSame(new OneTree($"a long text with {(char)c} in it"), indented: false);
            AssertSame(new OneTree(new SaveMap { [$"a key {(char)c}"] = 1, [$"b{(char)c}"] = "" }), indented: true);
        }
    }

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

    private protected abstract byte[] Ours<T>(T content, bool indented) where T : IValueWriter;

    private protected abstract byte[] Platforms<T>(T content, bool indented) where T : IValueWriter;

    private protected void AssertSame<T>(T content, bool indented) where T : IValueWriter
    {
        var (ours, theirs) = (Ours(content, indented), Platforms(content, indented));
        if (!ours.AsSpan().SequenceEqual(theirs))
            Assert.Equal(Encoding.UTF8.GetString(theirs), Encoding.UTF8.GetString(ours));
    }
}

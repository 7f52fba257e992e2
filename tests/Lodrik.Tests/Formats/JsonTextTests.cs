using System.Globalization;
using System.Text;
using System.Text.Json;
using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Json;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>JSON is written byte for byte as the platform's own writer writes it.</summary>
public sealed class JsonTextTests
{
    [Theory]
    [InlineData(false), InlineData(true)]
    public void Everything_is_written_as_the_platform_writes_it(bool indented) => WrittenContent.Trees.Sample(
        tree => AssertSame(new OneTree(tree), indented), iter: 4_000, threads: 2);

    [Theory]
    [InlineData(false), InlineData(true)]
    public void Lists_of_numbers_are_on_one_line(bool indented)
    {
        Gen.Single.Array[0, 700].Sample(numbers => AssertSame(new OneList<float>(numbers), indented), iter: 200, threads: 2);
        Gen.Double.Array[0, 30].Sample(numbers => AssertSame(new OneList<double>(numbers), indented), iter: 200, threads: 2);
        Gen.ULong.Array[0, 300].Sample(numbers => AssertSame(new OneList<ulong>(numbers), indented), iter: 100, threads: 2);
        Gen.SByte.Array[0, 600].Sample(numbers => AssertSame(new OneList<sbyte>(numbers), indented), iter: 100, threads: 2);
        Gen.Decimal.Array[0, 300].Sample(numbers => AssertSame(new OneList<decimal>(numbers), indented), iter: 100, threads: 2);
    }

    [Fact]
    public void Every_character_is_escaped_or_not_as_the_platform_does_it()
    {
        for (var c = 0; c <= char.MaxValue; c++)
        {
            AssertSame(new OneTree($"{(char)c}"), indented: false);
            AssertSame(new OneTree($"a long text with {(char)c} in it"), indented: false);
        }
    }

    [Fact]
    public void Long_bytes_are_padded_at_their_end_only()
    {
        foreach (var length in new[] { 0, 1, 2, 3, 12_287, 12_288, 12_289, 50_000 })
            AssertSame(new OneTree(Enumerable.Range(0, length).Select(i => (byte)i).ToArray()), indented: true);
    }

    // All floats that the routine is for, a sample of them here. LODRIK_FLOATS=1 tries each of the 2^32 (half an hour).
    [Fact]
    public void Floats_have_the_digits_that_the_platform_gives_them()
    {
        var isWhole = Environment.GetEnvironmentVariable("LODRIK_FLOATS") is not null;
        var (wrong, taken) = (new List<string>(), 0L);
        Parallel.For(0, 512, new ParallelOptions { MaxDegreeOfParallelism = 2 }, part =>
        {
            Span<byte> ours = stackalloc byte[64];
            Span<byte> theirs = stackalloc byte[64];
            var count = 0L;
            var step = isWhole ? 1 : 1021;
            for (var bits = (long)part << 23; bits < (long)(part + 1) << 23; bits += step)
            {
                var value = BitConverter.UInt32BitsToSingle((uint)bits);
                if (!float.IsFinite(value) || float.IsInteger(value) || !ShortestFloat.TryFormat(value, ours, out var length))
                    continue;
                count++;
                if (!ours[..length].SequenceEqual(theirs[..NumberText.Format(value, theirs)]))
                {
                    lock (wrong)
                        wrong.Add(value.ToString("G9", CultureInfo.InvariantCulture));
                }
            }
            Interlocked.Add(ref taken, count);
        });
        Assert.Empty(wrong.Take(10));
        Assert.True(taken > 400_000, $"Only {taken} were tried.");
    }

    [Fact]
    public void A_float_is_written_short_whatever_it_is() => Gen.OneOf(Gen.Float, Gen.Single, Gen.Int.Select(n => n / 100f), Gen.Int[0, 99_999].Select(n => n / 1000f)).Sample(
        value => AssertSame(new OneList<float>([value]), indented: false), iter: 20_000, threads: 2);

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
        var ours = new JsonStateWriter(new JsonText(buffer, indented), null);
        content.Write(ref ours);
        var theirs = new MemoryStream();
        using (var writer = new Utf8JsonWriter(theirs, PlatformJsonWriter.Options(indented)))
        {
            var tokens = new PlatformJsonWriter(writer);
            content.Write(ref tokens);
        }
        if (!buffer.Written.SequenceEqual(theirs.ToArray()))
            Assert.Equal(Encoding.UTF8.GetString(theirs.ToArray()), Encoding.UTF8.GetString(buffer.Written));
    }
}

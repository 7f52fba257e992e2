using System.Globalization;
using System.Text.Json;
using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Json;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>JSON is written byte for byte as the platform's own writer writes it.</summary>
public sealed class JsonTextTests : PlatformWriterTests
{
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

    private protected override byte[] Ours<T>(T content, bool indented)
    {
        using var buffer = new PooledBuffer(16);
        var writer = new JsonStateWriter(new JsonText(buffer, indented), null);
        content.Write(ref writer);
        return buffer.Written.ToArray();
    }

    private protected override byte[] Platforms<T>(T content, bool indented)
    {
        var stream = new MemoryStream();
        using (var writer = new Utf8JsonWriter(stream, PlatformJsonWriter.Options(indented)))
        {
            var tokens = new PlatformJsonWriter(writer);
            content.Write(ref tokens);
        }
        return stream.ToArray();
    }
}

using Lodrik.Codes;

namespace Lodrik.Tests.Codes;

/// <summary>Check characters find and mend what they promise, in codes of any length.</summary>
public sealed class ReedSolomonTests
{
    [Fact]
    public void The_worked_example_of_the_document_comes_out()
    {
        // docs/transfer-codes.md: the symbols 1, 2, 3 with two checks.
        Assert.Equal([1, 2, 3, 0, 12], ReedSolomon.Append([1, 2, 3], 2));
        Assert.True(ReedSolomon.Fits(ReedSolomon.Append([1, 2, 3], 2), 2));
    }

    [Fact]
    public void As_many_mistakes_as_promised_are_mended_and_as_many_as_there_are_checks_found()
    {
        var random = new Random(1);
        for (var run = 0; run < 15_000; run++)
        {
            var (length, checks) = (random.Next(1, 90), random.Next(1, 11));
            var data = Enumerable.Range(0, length).Select(_ => (byte)random.Next(32)).ToArray();
            var text = ReedSolomon.Append(data, checks);
            Assert.True(ReedSolomon.Fits(text, checks));
            var blocks = ReedSolomon.Blocks(length, checks);
            // Mistakes in one block: in places that are as far apart as there are blocks.
            var wrong = random.Next(1, checks + 1);
            var places = Enumerable.Range(0, length).Where(at => at % blocks == 0).Concat(Enumerable.Range(0, checks).Select(i => length + (i * blocks))).ToArray();
            random.Shuffle(places);
            var spoilt = (byte[])text.Clone();
            foreach (var at in places.Take(wrong))
                spoilt[at] ^= (byte)random.Next(1, 32);
            Assert.False(ReedSolomon.Fits(spoilt, checks));
            if (Math.Min(wrong, places.Length) <= checks / 2)
                Assert.Equal(text, ReedSolomon.Correct(spoilt, checks, checks / 2));
            else if (wrong <= checks - 1)
                Assert.Null(ReedSolomon.Correct(spoilt, checks, Math.Min(checks - wrong, wrong - 1)) is { } mended && mended.AsSpan().SequenceEqual(text) ? "mended" : null);
        }
    }

    [Fact]
    public void With_corrections_left_out_nothing_within_the_distance_is_taken_for_something_else()
    {
        // Three checks: one mistake is mended, and of two none is ever mended into another text.
        var random = new Random(2);
        for (var run = 0; run < 15_000; run++)
        {
            var text = ReedSolomon.Append(Enumerable.Range(0, random.Next(2, 28)).Select(_ => (byte)random.Next(32)).ToArray(), 3);
            var (one, other) = (random.Next(text.Length), random.Next(text.Length - 1));
            other += other >= one ? 1 : 0;
            text[one] ^= (byte)random.Next(1, 32);
            text[other] ^= (byte)random.Next(1, 32);
            Assert.Null(ReedSolomon.Correct(text, 3, 1));
        }
    }
}

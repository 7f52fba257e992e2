using System.Security.Cryptography;
using Lodrik.Codes;

namespace Lodrik.Bench;

/// <summary>What a transfer code of 128 bits costs, against the eight rounds of HMAC-SHA256 that its scrambling consists of.</summary>
internal static class CodeBudgets
{
    private const int Codes = 2000;

    private sealed class Progress
    {
        public long High { get; set; }

        public long Low { get; set; }
    }

    public static IEnumerable<BudgetLine> Lines()
    {
        foreach (var (name, scrambled, budget) in new[] { ("scrambled", true, 3.0), ("plain", false, 1.0) })
        {
            var layout = new CodeLayout<Progress>("bench", 1, fields => fields
                .Number("high", long.MinValue, long.MaxValue, state => state.High, (state, value) => state.High = value)
                .Number("low", long.MinValue, long.MaxValue, state => state.Low, (state, value) => state.Low = value), new CodeOptions { Scrambled = scrambled });
            var states = Enumerable.Range(0, Codes).Select(i => new Progress { High = i * 0x1234567890ABCDL, Low = -i }).ToList();
            var texts = states.ConvertAll(state => layout.ToText(state));
            var (key, message) = (new byte[32], new byte[48]);
            void Reference()
            {
                for (var i = 0; i < 8 * Codes; i++)
                    HMACSHA256.HashData(key, message);
            }
            var (ours, theirs) = Measuring.Race(() => states.ForEach(state => layout.ToText(state)), Reference);
            yield return BudgetLine.Of($"128 bits, {name}: encode / 8 HMAC-SHA256 (µs)", ours * 1000 / Codes, theirs * 1000 / Codes, budget);
            (ours, theirs) = Measuring.Race(
                () =>
                {
                    for (var i = 0; i < Codes; i++)
                    {
                        if (layout.FromText(texts[i]).State.Low != -i)
                            throw new InvalidOperationException("A code came back as another.");
                    }
                },
                Reference);
            yield return BudgetLine.Of($"128 bits, {name}: decode / 8 HMAC-SHA256 (µs)", ours * 1000 / Codes, theirs * 1000 / Codes, budget);
        }
    }
}

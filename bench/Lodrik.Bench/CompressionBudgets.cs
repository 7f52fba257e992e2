using System.IO.Hashing;
using Lodrik.Saves;

namespace Lodrik.Bench;

/// <summary>How small sections become, and how long that takes, beside hashing the same bytes (XxHash128).</summary>
internal static class CompressionBudgets
{
    public static IEnumerable<BudgetLine> Lines()
    {
        var world = new BigSave { World = World.Make(50_000, distinct: false) };
        foreach (var form in new[] { SaveForm.Json, SaveForm.Binary })
        {
            var plain = StateFile.ToBytes(world, form);
            foreach (var compression in new[] { SaveCompression.Fast, SaveCompression.Small })
            {
                var compressed = SectionCompression.Compress(plain, compression) ?? plain;
                yield return BudgetLine.Of($"{form.DisplayName()}, {compression}: compressed / as it was (MB)", compressed.Length / 1e6, plain.Length / 1e6, 1.0);
                var (taken, hashed) = Measuring.Race(() => SectionCompression.Compress(plain, compression), () => XxHash128.Hash(plain));
                yield return BudgetLine.Of($"{form.DisplayName()}, {compression}: compressing / hashing (ms)", taken, hashed, compression == SaveCompression.Fast ? 80 : 2_500);
                var (back, again) = Measuring.Race(() => SectionCompression.Decompress(compressed, plain.Length), () => XxHash128.Hash(plain));
                yield return BudgetLine.Of($"{form.DisplayName()}, {compression}: decompressing / hashing (ms)", back, again, 100);
            }
        }
    }
}

using System.Buffers;
using Lodrik.Saves.Writing;

namespace Lodrik.Migrations;

/// <summary>A made-up save.</summary>
/// <param name="Name">The name that its file may have.</param>
/// <param name="Bytes">The whole save.</param>
public sealed record SampleSave(string Name, byte[] Bytes);

/// <summary>Made-up saves of a recorded version, to be kept as files.</summary>
public static class SampleSaves
{
    private static readonly SaveForm[] Forms = Enum.GetValues<SaveForm>();

    /// <summary>Makes saves of a shape: each in JSON, in XML, in binary, and in binary with compression.</summary>
    /// <param name="shape">The shape.</param>
    /// <param name="count">How many.</param>
    /// <param name="seed">Which: each seed gives others, and the same ones every time.</param>
    /// <param name="names">The names of catalogues, by the full name of their source.</param>
    /// <exception cref="LedgerException">The shape cannot be made sense of, or a catalogue has no names.</exception>
    public static IEnumerable<SampleSave> Of(
        SaveShape shape, int count, int seed = 1, IReadOnlyDictionary<string, IReadOnlyList<string>>? names = null)
    {
        ArgumentNullException.ThrowIfNull(shape);
        ArgumentOutOfRangeException.ThrowIfLessThan(count, 1);
        var random = new RandomSaves(shape, source => names?.GetValueOrDefault(source)
            ?? throw new LedgerException($"The ledger speaks of names in the catalogue of {source}. Say what names there are."));
        using var writer = new SaveWriter();
        for (var i = 0; i < count; i++)
        {
            var save = TreeSave.Of(random.Next(unchecked((seed * 1_000_003) + i)));
            foreach (var form in Forms)
                yield return new SampleSave(
                    $"made-up-{i + 1}{form.FileExtension()}", writer.Write(save, Header(), new SaveTerms(form)).ToArray());
            yield return new SampleSave($"made-up-{i + 1}-compressed{SaveForm.Binary.FileExtension()}",
                writer.Write(save, Header(), new SaveTerms(SaveForm.Binary, Compression: SaveCompression.Small)).ToArray());
        }

        SaveHeader Header() => new()
        {
            Game = shape.Game,
            Version = shape.Version,
            SaveId = Guid.CreateVersion7(),
            Saved = DateTimeOffset.UtcNow,
        };
    }
}

using Lodrik.Inspection;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>The sections of a save that this process wrote, by their digests.</summary>
/// <param name="saveId">The save's id.</param>
/// <param name="digests">The digest of each section's packed content.</param>
internal sealed class WrittenSections(Guid saveId, Dictionary<string, UInt128> digests)
{
    public Guid SaveId => saveId;

    public static WrittenSections Of(Guid saveId, Snapshot snapshot) =>
        new(saveId, snapshot.Sections.ToDictionary(section => section.Name, section => section.Digest, StringComparer.Ordinal));

    /// <summary>The names of the sections that are not the same, or are in one of the two only.</summary>
    public IEnumerable<string> FindDifferent(Snapshot live)
    {
        var names = live.Sections.Select(section => section.Name).ToHashSet(StringComparer.Ordinal);
        return live.Sections.Where(section => !digests.TryGetValue(section.Name, out var digest) || digest != section.Digest)
            .Select(section => section.Name)
            .Concat(digests.Keys.Where(name => !names.Contains(name)));
    }
}

/// <summary>Finds out which sections of a save are not those of a live state, without decoding any of them.</summary>
internal static class SectionDifference
{
    /// <summary>
    /// The names of the sections that are not the same byte for byte, or are in one of the two only. All of them where the save is not of
    /// the game's version, or was changed by hand.
    /// </summary>
    public static IEnumerable<string> Find(SavedFile file, Snapshot live, StateRoot root)
    {
        var saved = file.Source;
        IEnumerable<string> all = [.. live.Sections.Select(section => section.Name).Union(saved.Names, StringComparer.Ordinal)];
        if (file.Header is not { } header || header.Version != root.Version || file.Opened.IsEdited)
            return all;
        var form = FileForms.Of(file.Form);
        using var batch = new SectionBatch();
        return [.. all.Where(name => !IsSame(name))];

        bool IsSame(string name)
        {
            if (live.Find(name) is not { } section || saved.Find(name) is not { } theirs || theirs.Form != form)
                return false;
            if (!form.IsText)
                return section.Bytes.Span.SequenceEqual(theirs.Bytes.Span);
            batch.Begin(isIndented: theirs.Bytes.Span.Contains((byte)'\n'));
            form.Write([section], batch);
            return batch.BytesOf(batch.Slices[0]).Span.SequenceEqual(theirs.Bytes.Span);
        }
    }

    /// <summary>The names without those of the contents of shared objects, which come with the section that leads to them.</summary>
    public static IReadOnlyCollection<string> WithoutShared(IEnumerable<string> names) =>
        [.. names.Select(WithoutShared).Distinct(StringComparer.Ordinal)];

    /// <inheritdoc cref="WithoutShared(IEnumerable{string})"/>
    public static string WithoutShared(string name) =>
        name.EndsWith(SharedTree.Suffix, StringComparison.Ordinal) ? name[..^SharedTree.Suffix.Length] : name;
}

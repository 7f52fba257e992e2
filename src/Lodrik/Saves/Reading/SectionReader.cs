using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Saves.Reading;

/// <summary>The sections that were asked for.</summary>
internal sealed class WantedSections
{
    private readonly HashSet<string>? _names;

    /// <param name="names">Names of sections, and of groups with a slash after them; null for all.</param>
    public WantedSections(IReadOnlyCollection<string>? names) => _names = names?.ToHashSet(StringComparer.Ordinal);

    /// <summary>Whether a section is one of those that were asked for, by its name or by its group's.</summary>
    public bool Has(string name) =>
        _names is null || _names.Contains(name)
            || (name.IndexOf('/', StringComparison.Ordinal) is > 0 and var slash && _names.Contains(name[..(slash + 1)]));

    /// <summary>Whether anything of a group was asked for.</summary>
    public bool HasPartOf(string group) => _names is null || _names.Any(one => one.StartsWith(group + "/", StringComparison.Ordinal));
}

/// <summary>Hands sections to the state that asks for them.</summary>
/// <param name="source">The sections.</param>
/// <param name="wanted">Which of them.</param>
/// <param name="whole">The one value that a file written entirely by hand consists of, for a state type on its own; otherwise null.</param>
/// <param name="decoded">Told the size of each section that was decoded.</param>
/// <param name="unknown">Where members are noted that are not known; null if they are passed over.</param>
internal readonly struct SectionReader(
    ISectionSource source, WantedSections wanted, SectionContent? whole = null, Action<int>? decoded = null, UnknownMembers? unknown = null)
    : ISectionReader
{
    /// <summary>Reads sections into a state.</summary>
    /// <param name="source">The sections.</param>
    /// <param name="state">The state, which keeps what the sections do not mention.</param>
    /// <param name="wanted">The names of the sections, or null for all.</param>
    public static void ReadAll<T>(ISectionSource source, ref T state, IReadOnlyCollection<string>? wanted = null) where T : IStateRoot<T>
    {
        var sections = new SectionReader(source, new WantedSections(wanted));
        T.ReadSections(ref sections, ref state);
    }

    public void Read<T, TCodec>(string name, ref T value) where TCodec : IStateCodec<T>
    {
        if (!wanted.Has(name) || (whole ?? source.Find(name)) is not { } section)
            return;
        var decoder = new ValueDecoder<T, TCodec> { Value = value };
        section.Decode(decoder, unknown);
        value = decoder.Value;
        decoded?.Invoke(section.Bytes.Length);
    }

    public void ReadGroup(string name, ISectionGroup? group)
    {
        if (group is null || !wanted.HasPartOf(name))
            return;
        var sections = GroupOf(source, name, wanted).ToList();
        foreach (var section in sections)
            decoded?.Invoke(section.Bytes.Length);
        group.TakeSections(sections);
    }

    /// <summary>The sections of a group, each under its name within it.</summary>
    public static IEnumerable<SectionContent> GroupOf(ISectionSource source, string group, WantedSections? wanted = null)
    {
        foreach (var full in source.Names)
        {
            if (full.Length <= group.Length + 1 || full[group.Length] != '/' || !full.StartsWith(group, StringComparison.Ordinal)
                || wanted?.Has(full) == false)
                continue;
            var section = source.Find(full)!;
            yield return new NamedSection(section, full[(group.Length + 1)..], full, section.Shared);
        }
    }
}

/// <summary>Reads one value by its codec.</summary>
internal sealed class ValueDecoder<T, TCodec> : ISectionDecoder where TCodec : IStateCodec<T>
{
    public required T Value { get; set; }

    public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
    {
        var value = Value;
        TCodec.Read(ref reader, ref value);
        Value = value;
    }
}

using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>Hands the sections of an opened save to the state that asks for them.</summary>
/// <param name="file">The save.</param>
/// <param name="wanted">The names of the sections, or null for all.</param>
/// <param name="bare">Whether the file has no sections, but is the state itself.</param>
/// <param name="decoded">Told the size of each section that was decoded.</param>
internal readonly struct SectionReader(SavedFile file, IReadOnlyCollection<string>? wanted, bool bare, Action<int>? decoded = null) : ISectionReader
{
    public void Read<T, TCodec>(string name, ref T value) where TCodec : IStateCodec<T>
    {
        if (!IsWanted(name))
            return;
        var section = bare ? file.Whole() : file.Find(name) is { } slice ? file.Verify(slice) : null;
        if (section is null)
            return;
        var decoder = new ValueDecoder<T, TCodec> { Value = value };
        section.Decode(decoder);
        value = decoder.Value;
        decoded?.Invoke(section.Bytes);
    }

    public void ReadGroup(string name, ISectionGroup? group)
    {
        var reader = this;
        if (group is null || (wanted is not null && !wanted.Any(one => one.StartsWith(name + "/", StringComparison.Ordinal))))
            return;
        group.TakeSections([.. file.FindGroup(name).Where(slice => reader.IsWanted(slice.Name)).Select(slice => reader.VerifyIn(name, slice))]);
    }

    private VerifiedSection VerifyIn(string group, SectionSlice slice)
    {
        var section = file.Verify(slice).Within(group);
        decoded?.Invoke(section.Bytes);
        return section;
    }

    private bool IsWanted(string name) => IsAmong(wanted, name);

    /// <summary>Whether a section is one of those that were asked for, by its name or by its group's.</summary>
    public static bool IsAmong(IReadOnlyCollection<string>? wanted, string name) =>
        wanted is null || wanted.Contains(name) || (name.IndexOf('/', StringComparison.Ordinal) is > 0 and var slash && wanted.Contains(name[..(slash + 1)]));

    private sealed class ValueDecoder<T, TCodec> : ISectionDecoder where TCodec : IStateCodec<T>
    {
        public required T Value { get; set; }

        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            var value = Value;
            TCodec.Read(ref reader, ref value);
            Value = value;
        }
    }
}

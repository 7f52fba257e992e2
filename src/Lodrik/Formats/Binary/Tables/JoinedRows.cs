using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>The items of several lists, one list behind the other.</summary>
internal sealed class JoinedRows(IReadOnlyList<SaveList> parts) : RowSource
{
    public override int Count { get; } = checked((int)parts.Sum(part => (long)part.Count));

    public override IEnumerable<SaveValue> Read() => parts.SelectMany(part => part);

    public override SaveValue Read(int index)
    {
        foreach (var part in parts)
        {
            if (index < part.Count)
                return part.Peek(index);
            index -= part.Count;
        }
        throw new ArgumentOutOfRangeException(nameof(index));
    }

    public override IEnumerable<SaveValue?> ReadMember(string key) => parts.SelectMany(part => part.Member(key));
}

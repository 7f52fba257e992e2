using System.ComponentModel;

namespace Lodrik.State;

// Many objects of one type, member by member. Formats that lay lists out in columns ask the generated code for it; it does what
// writing and reading each object would do, without asking again for each of them where its values go.

/// <summary>How the values of a member are handed over when many objects are written or read at once.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public enum RowMember
{
    /// <summary>One by one, by the member's codec.</summary>
    Other,

    /// <summary>As whole numbers of 64 bits.</summary>
    Integer,

    /// <summary>As single-precision numbers.</summary>
    Single,

    /// <summary>As double-precision numbers.</summary>
    Double,

    /// <summary>As truth values.</summary>
    Bool,

    /// <summary>As texts.</summary>
    Text,
}

/// <summary>The members of a state type, as rows have them.</summary>
/// <param name="keys">The members' keys.</param>
/// <param name="members">How each member is handed over.</param>
/// <param name="required">The members that every row has to have.</param>
[EditorBrowsable(EditorBrowsableState.Never)]
public sealed class RowShape(KeyTable keys, RowMember[] members, int[] required)
{
    /// <summary>The members' keys.</summary>
    public KeyTable Keys => keys;

    /// <summary>How each member is handed over.</summary>
    public IReadOnlyList<RowMember> Members => members;

    /// <summary>The members that every row has to have.</summary>
    public IReadOnlyList<int> Required => required;
}

/// <summary>The texts of many rows, each by its number among those that there are.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly ref struct RowTexts
{
    private readonly ReadOnlySpan<string?> _texts;
    private readonly ReadOnlySpan<long> _numbers;

    internal RowTexts(ReadOnlySpan<string?> texts, ReadOnlySpan<long> numbers)
    {
        _texts = texts;
        _numbers = numbers;
    }

    /// <summary>Whether the texts have to be read in another way.</summary>
    public bool IsEmpty => _texts.IsEmpty;

    /// <summary>The text of a row; null if there is none.</summary>
    public string? this[int row] => _numbers.IsEmpty ? _texts[row] : _texts[(int)_numbers[row]];
}

using System.ComponentModel;

namespace Lodrik.State;

// Many objects of one type, member by member. Formats that lay lists out in columns ask the generated code for it; it does what
// writing and reading each object would do, without asking anew for each of them where its values go.

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

/// <summary>Takes many objects of one type at once.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IRowWriter : IStateWriter
{
    /// <summary>Begins so many objects; false where they have to be written one by one.</summary>
    bool TryBeginRows(RowShape shape, int count);

    /// <summary>Where the values of a member go that is handed over as whole numbers, one for each row.</summary>
    Span<long> IntegerRows(int member);

    /// <summary>Where the values of a member go that is handed over as single-precision numbers.</summary>
    Span<float> SingleRows(int member);

    /// <summary>Where the values of a member go that is handed over as double-precision numbers.</summary>
    Span<double> DoubleRows(int member);

    /// <summary>Where the values of a member go that is handed over as truth values.</summary>
    Span<bool> BoolRows(int member);

    /// <summary>Writes the next row's value of a member that is handed over as text.</summary>
    void WriteTextRow(int member, string? value);

    /// <summary>Names the member whose next value is written now.</summary>
    void AtRow(int member);

    /// <summary>Ends the objects.</summary>
    void EndRows();
}

/// <summary>Gives many objects of one type at once.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IRowReader : IStateReader
{
    /// <summary>Begins so many objects; false where they have to be read one by one.</summary>
    bool TryBeginRows(RowShape shape, int count);

    /// <summary>
    /// A member's values, if all are whole numbers between the bounds; otherwise nothing, and <see cref="AtRow"/> has them.
    /// </summary>
    ReadOnlySpan<long> IntegerRows(int member, long min, long max);

    /// <summary>A member's values, if all are single-precision numbers.</summary>
    ReadOnlySpan<float> SingleRows(int member);

    /// <summary>A member's values, if all are double-precision numbers.</summary>
    ReadOnlySpan<double> DoubleRows(int member);

    /// <summary>A member's values, if all are truth values.</summary>
    ReadOnlySpan<bool> BoolRows(int member);

    /// <summary>A member's values, if all are texts.</summary>
    ReadOnlySpan<string> TextRows(int member);

    /// <summary>Moves to a member's next value, to be read now; false where the save does not have the member.</summary>
    bool AtRow(int member);

    /// <summary>Ends the objects.</summary>
    void EndRows();
}

using System.ComponentModel;
using System.Diagnostics.CodeAnalysis;

namespace Lodrik.State;

// What the writer and the reader of one section hand along beside its tokens. It is passed, never found: a second section that is written
// in between, on this thread or another, has its own context.

/// <summary>The shared objects of one section. What is in it only those know who write and read such objects.</summary>
internal abstract class SharedPool;

/// <summary>What goes along while one section is written.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public sealed class WriteContext
{
    /// <summary>The shared objects of the section; null if none may be.</summary>
    internal SharedPool? Shared { get; set; }

    /// <summary>Whether half of a character pair was replaced in some text.</summary>
    internal bool HasReplacedText { get; set; }

    /// <summary>Whether what was encoded before is held against what it would be encoded as now.</summary>
    internal bool ChecksWhatIsKept { get; init; }

    /// <summary>Whether an entry of a log had changed after it was added.</summary>
    internal bool HasChangedEntry { get; set; }
}

/// <summary>What goes along while one section is read.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public sealed class ReadContext
{
    /// <summary>The shared objects of the section; null if there are none.</summary>
    internal SharedPool? Shared { get; init; }

    /// <summary>Where members are noted that are not known; null if they are passed over.</summary>
    internal UnknownMembers? Unknown { get; init; }

    /// <summary>What the section may become; null for what was written in this process.</summary>
    internal Allowance? Allowance { get; init; }
}

/// <summary>What goes along while an object is copied: the copies of shared objects, each one made once.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public sealed class CopyContext
{
    private readonly Dictionary<object, object> _copies = new(ReferenceEqualityComparer.Instance);
    private readonly Queue<Action> _toFill = [];

    /// <summary>
    /// Whether what is copied into is the game's own object, whose arrays may be known to others, such as a renderer: they are filled in
    /// place. The arrays that a new object begins with may belong to many, and are left alone.
    /// </summary>
    internal bool FillsArrays { get; init; }

    /// <summary>Whether a copy of an array goes into the array that is there.</summary>
    internal static bool MayFill(Array value, [NotNullWhen(true)] Array? into, CopyContext? context) =>
        context is { FillsArrays: true } && into is not null && !ReferenceEquals(into, value) && into.Length == value.Length;

    /// <summary>The copy of a shared object; null if there is none yet.</summary>
    internal object? Find(object value) => _copies.GetValueOrDefault(value);

    /// <summary>Notes the copy of a shared object. It is filled later, so that circles close and long chains do not nest.</summary>
    internal void Add(object value, object copy, Action fill)
    {
        _copies.Add(value, copy);
        _toFill.Enqueue(fill);
    }

    /// <summary>Fills the copies that were made, and those that they lead to.</summary>
    internal void Fill()
    {
        while (_toFill.TryDequeue(out var fill))
            fill();
    }
}

/// <summary>What goes along while two objects are compared: the pairs of shared objects that are being compared further up.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public sealed class CompareContext
{
    private readonly HashSet<(object, object)> _pairs = [];

    /// <summary>Notes a pair; false if it was noted before.</summary>
    internal bool TryAdd(object one, object other) => _pairs.Add((one, other));
}

using System.ComponentModel;

namespace Lodrik.State;

// What the writer and the reader of one section hand along beside its tokens. It is passed, never found: a second section that is written in
// between, on this thread or another, has a context of its own.

/// <summary>What goes along while one section is written.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public sealed class WriteContext
{
    /// <summary>The shared objects of the section; null where none may be.</summary>
    internal SharedWriting? Shared { get; set; }

    /// <summary>Whether half of a character pair was replaced in some text.</summary>
    internal bool HasReplacedText { get; set; }
}

/// <summary>What goes along while one section is read.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public sealed class ReadContext
{
    /// <summary>The shared objects of the section; null where there are none.</summary>
    internal SharedReading? Shared { get; init; }
}

using System.Collections;
using System.Diagnostics.CodeAnalysis;

namespace Lodrik.State;

/// <summary>
/// A list that only grows at its end: a journal, a history, the lines that were spoken. It is saved like a list, and a list can become one
/// without a migration. A snapshot copies what was encoded for the one before and encodes only what was added since, so that its cost does
/// not grow with the log.
/// </summary>
/// <remarks>
/// An entry must not change once it was added: a change of it is not saved. In a debug build of the game that is noticed, and the receipt
/// says so (<see cref="SaveWarningCode.UnmarkedChange"/>). Entries that hold shared objects are encoded each time, as in a list.
/// </remarks>
/// <typeparam name="T">The type of the entries.</typeparam>
[SuppressMessage("Naming", "CA1710:Identifiers should have correct suffix", Justification = "It is a log.")]
public sealed class SaveLog<T> : IReadOnlyList<T>
{
    private readonly List<T> _entries;

    /// <summary>Makes an empty log.</summary>
    public SaveLog() => _entries = [];

    /// <summary>Makes a log of these entries.</summary>
    public SaveLog(IEnumerable<T> entries) => _entries = [.. entries];

    internal SaveLog(List<T> entries, LogBlocks blocks) => (_entries, Blocks) = (entries, blocks);

    /// <summary>How many entries there are.</summary>
    public int Count => _entries.Count;

    /// <summary>An entry, from the oldest (0) to the latest.</summary>
    public T this[int index] => _entries[index];

    /// <summary>What is encoded already.</summary>
    internal LogBlocks Blocks { get; } = new();

    internal List<T> Entries => _entries;

    /// <summary>Adds an entry behind all others. From now on it must not change.</summary>
    public void Add(T entry) => _entries.Add(entry);

    /// <summary>Adds entries behind all others, in their order.</summary>
    public void AddRange(IEnumerable<T> entries) => _entries.AddRange(entries);

    /// <summary>Takes the oldest entries out, for a log that must not grow for ever.</summary>
    /// <param name="count">How many: 0 to <see cref="Count"/>.</param>
    /// <exception cref="ArgumentOutOfRangeException">There are not so many.</exception>
    public void RemoveOldest(int count)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(count);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(count, Count);
        _entries.RemoveRange(0, count);
        Blocks.RemoveOldest(count);
    }

    /// <summary>Takes everything out.</summary>
    public void Clear()
    {
        _entries.Clear();
        Blocks.Clear();
    }

    /// <inheritdoc/>
    public IEnumerator<T> GetEnumerator() => _entries.GetEnumerator();

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();
}

/// <summary>What a log was encoded as: blocks of its oldest entries, each of which stays as it is.</summary>
internal sealed class LogBlocks
{
    /// <summary>How many entries a block has; one whose oldest were taken out has fewer.</summary>
    public const int Size = 1024;

    private readonly List<LogBlock> _blocks = [];

    public IReadOnlyList<LogBlock> All => _blocks;

    private (Type? Codec, int Depth) _for;

    /// <summary>Whether the entries cannot be encoded for themselves: they hold shared objects, or one cannot be saved.</summary>
    public bool CannotBeKept { get; set; }

    /// <summary>Forgets what was encoded by another codec, or with more room for nesting than there is now.</summary>
    public void BeginFor(Type codec, int depth)
    {
        if (_for.Codec == codec && depth <= _for.Depth)
            return;
        _for = (codec, depth);
        Clear();
    }

    public void Add(LogBlock block) => _blocks.Add(block);

    public void Replace(int index, LogBlock block) => _blocks[index] = block;

    /// <summary>The entries after the blocks as they were encoded last, where changes are looked for.</summary>
    public (int Start, LogBlock Block)? End { get; set; }

    public void Clear()
    {
        _blocks.Clear();
        End = null;
        CannotBeKept = false;
    }

    public void RemoveOldest(int count)
    {
        End = End is { } end && end.Start >= count ? end with { Start = end.Start - count } : null;
        var whole = 0;
        while (whole < _blocks.Count && count >= _blocks[whole].Count)
            count -= _blocks[whole++].Count;
        _blocks.RemoveRange(0, whole);
        if (count > 0 && _blocks.Count > 0)
            _blocks[0] = new LogBlock(_blocks[0].Count - count, null, false);
    }
}

/// <summary>A block of a log.</summary>
/// <param name="Count">How many entries it has.</param>
/// <param name="Bytes">The entries as a list, in the packed form; null if they are yet to be encoded.</param>
/// <param name="HasReplacedText">Whether half of a character pair was replaced in some text.</param>
internal readonly record struct LogBlock(int Count, byte[]? Bytes, bool HasReplacedText);

using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Saves.Writing;

/// <summary>
/// A state as it was at one moment: packed sections, whatever the form of the save will be. This is all that the game's thread makes of a
/// save; the rest is done with it in the background. It never changes.
/// </summary>
internal sealed class Snapshot : IDisposable
{
    private const int SmallestSize = 16 << 10;

    private PooledBuffer? _body;
    private Dictionary<string, PackedSection>? _byName;

    private Snapshot(PooledBuffer? body, List<PackedSection> sections) => (_body, Sections) = (body, sections);

    /// <summary>The sections in their order. Their bytes are valid until the snapshot is disposed of.</summary>
    public IReadOnlyList<PackedSection> Sections { get; }

    /// <summary>Takes a state down.</summary>
    /// <param name="state">The state.</param>
    /// <param name="cache">Sections of earlier snapshots, for those that can tell that they are the same still; null for none.</param>
    /// <param name="isWanted">Which sections are taken, by their names; null for all.</param>
    /// <param name="expected">How many bytes it will take, as far as is known.</param>
    /// <param name="isKept">Whether it is taken down to be kept (<see cref="Keep"/>).</param>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is.</exception>
    public static Snapshot Of<T>(
        T state, SectionCache? cache = null, Func<string, bool>? isWanted = null, int expected = 0, bool isKept = false)
        where T : IStateRoot<T>
    {
        var body = new PooledBuffer(SizeAfter(Math.Max(cache?.SnapshotSize ?? 0, expected)), isKept: isKept);
        try
        {
            var sections = new PackedSections(body, cache, isWanted);
            T.WriteSections(ref sections, state);
            var finished = sections.Finish();
            if (cache is not null)
            {
                cache.Retain(finished);
                cache.SnapshotSize = body.Length;
            }
            return new Snapshot(body, finished);
        }
        catch
        {
            body.Dispose();
            throw;
        }
    }

    /// <summary>How many bytes the sections take.</summary>
    public int ByteCount => _body?.Length ?? 0;

    /// <summary>
    /// The sections for longer than the snapshot lives: with the snapshot's own bytes where these fill their memory well, or else with
    /// copies of them.
    /// </summary>
    public List<PackedSection> Keep()
    {
        if (_body is not { } body || !body.TryGiveAway())
            return [.. Sections.Select(section => section.IsKept ? section : section.Copied())];
        _body = null;
        return [.. Sections.Select(section => section.IsKept ? section : section.Kept())];
    }

    /// <summary>
    /// What is to be said of the save. It costs reading the sections in which texts were replaced once more, and nothing for all others.
    /// </summary>
    public IReadOnlyList<SaveWarning> FindWarnings() =>
    [
        .. Sections.Where(section => section.HasReplacedText)
            .SelectMany(section => ReplacedText.Places(section.ToTree()).Select(path => new SaveWarning(
            SaveWarningCode.ReplacedText,
            new SaveLocation { Section = section.Name, Path = path },
            "The text had half of a character pair, most often because it was cut in the middle of an emoji; that half was replaced by "
                + "U+FFFD."))),
        .. Sections.SelectMany(section => section.Warnings.Select(
            warning => new SaveWarning(SaveWarningCode.LostReference, new SaveLocation { Section = section.Name }, warning))),
        .. FindUnmarkedChanges(),
    ];

    /// <summary>Sections that changed and did not say so, where that was looked for.</summary>
    public IEnumerable<SaveWarning> FindUnmarkedChanges()
    {
        foreach (var section in Sections)
        {
            if (section.UnmarkedSince is { } before)
            {
                var changes = new List<StateChange>();
                TreeComparison.Compare("", before.ToTree(), section.ToTree(), changes);
                // Other bytes may be the same content: a dictionary in another order. And it may be a shared object that changed.
                if (changes.Count == 0 && Equals(before.Shared?.ToTree(), section.Shared?.ToTree()))
                    continue;
                yield return new SaveWarning(
                    SaveWarningCode.UnmarkedChange,
                    new SaveLocation { Section = section.Name, Path = changes is [var first, ..] ? first.Path : "" },
                    "The content changed and its Revision did not. Raise it with every change, or a release build saves old content.");
            }
            if (section.HasChangedEntry)
            {
                yield return new SaveWarning(
                    SaveWarningCode.UnmarkedChange,
                    new SaveLocation { Section = section.Name },
                    "An entry of a log changed after it was added. Make its type immutable, or a release build saves old content.");
            }
        }
    }

    /// <summary>A section; null if there is none of that name.</summary>
    public PackedSection? Find(string name) =>
        (_byName ??= Sections.ToDictionary(section => section.Name, StringComparer.Ordinal)).GetValueOrDefault(name);

    /// <summary>Some of the sections. They are valid as long as this snapshot is.</summary>
    public Snapshot Only(Func<string, bool> isWanted) => new(null, [.. Sections.Where(section => isWanted(section.Name))]);

    public void Dispose() => _body?.Dispose();

    /// <summary>The room for a snapshot after one of that size: a state rarely grows by more from one save to the next.</summary>
    private static int SizeAfter(int size) => Math.Max(SmallestSize, (int)Math.Min(size + (size / 16L), Array.MaxLength));
}

/// <summary>Writes the sections of a state one after the other, as packed content.</summary>
internal readonly struct PackedSections(PooledBuffer body, SectionCache? cache, Func<string, bool>? isWanted) : ISectionWriter
{
    private readonly List<Pending> _sections = [];
    private readonly WriteContext _context = new() { ChecksWhatIsKept = cache is { ChecksWhatIsKept: true } };
    private readonly SharedWriting _shared = new();

    public void Write<T, TCodec>(string name, T value) where TCodec : IStateCodec<T>
    {
        // Only what is a class can be asked for a revision without making a copy of it first.
        var identity = !typeof(T).IsValueType && value is IRevisedState revised ? new SectionIdentity(revised, revised.Revision) : default;
        if (isWanted?.Invoke(name) == false)
            return;
        var before = cache is { ChecksWhatIsKept: true } ? cache.Find(name, identity) : null;
        if (before is null && TryReuse(name, identity))
            return;
        _shared.Reset();
        _context.Shared = _shared;
        var start = body.Length;
        try
        {
            var writer = new BinaryStateWriter(body, _context, StateLimits.CheckpointDepth);
            TCodec.Write(ref writer, value);
        }
        catch (ContentException content)
        {
            throw Unsavable.At(content, name, BinaryPlace.PointerAt(body.Written[start..], BinaryPlace.End));
        }
        finally
        {
            _context.Shared = null;
        }
        var end = body.Length;
        var hasReplacedText = TakeReplacedText();
        var hasChangedEntry = TakeChangedEntry();
        var beside = _shared.Entries.Count > 0 ? WriteShared(name + SharedTree.Suffix) : null;
        Add(new Pending(name, identity, start, end - start, hasReplacedText, beside)
        {
            Before = before,
            HasChangedEntry = hasChangedEntry,
        });
    }

    private Pending WriteShared(string name)
    {
        var tree = SharedTree.ToTree(_shared, name, _context);
        var start = body.Length;
        var writer = new BinaryStateWriter(body);
        SaveValueCodec.Write(ref writer, tree);
        return new Pending(name, default, start, body.Length - start, TakeReplacedText(), null);
    }

    public void WriteGroup(string name, ISectionGroup? group)
    {
        foreach (var section in group?.SectionNames ?? [])
        {
            var full = $"{name}/{section}";
            var identity = new SectionIdentity(group!.IdentityOf(section));
            if (isWanted?.Invoke(full) == false || TryReuse(full, identity))
                continue;
            var start = body.Length;
            try
            {
                // A checkpoint itself is in no other one.
                var writer = new BinaryStateWriter(body, _context, CheckpointShape.IsName(full) ? 0 : StateLimits.CheckpointDepth);
                group.WriteSection(section, ref writer);
            }
            catch (ContentException content)
            {
                throw Unsavable.At(content, full, BinaryPlace.PointerAt(body.Written[start..], BinaryPlace.End));
            }
            Add(new Pending(full, identity, start, body.Length - start, TakeReplacedText(), null)
            {
                Warnings = (group as IWarningGroup)?.WarningsOf(section) ?? [],
                HasChangedEntry = TakeChangedEntry(),
            });
        }
    }

    /// <summary>The sections, once all are written: before that the buffer may move.</summary>
    public List<PackedSection> Finish()
    {
        var sections = new List<PackedSection>(_sections.Count);
        foreach (var pending in _sections)
        {
            var section = pending.Known ?? Finish(pending, isKept: cache is not null && pending.Identity.IsKnown);
            if (pending.Known is null && cache is not null)
                cache.Keep(pending.Identity, section);
            sections.Add(section);
            if (section.Shared is PackedSection shared)
                sections.Add(shared);
        }
        return sections;
    }

    private PackedSection Finish(Pending pending, bool isKept)
    {
        var bytes = body.WrittenMemory.Slice(pending.Start, pending.Length);
        var beside = pending.Shared is { } shared ? Finish(shared, isKept) : null;
        return new PackedSection(pending.Name, isKept ? bytes.ToArray() : bytes, beside)
        {
            UnmarkedSince = pending.Before is { } before && !IsSame(before, bytes, beside) ? before : null,
            HasChangedEntry = pending.HasChangedEntry,
            HasReplacedText = pending.HasReplacedText,
            Warnings = pending.Warnings,
            IsKept = isKept,
        };
    }

    private static bool IsSame(PackedSection before, ReadOnlyMemory<byte> bytes, PackedSection? shared) =>
        before.Bytes.Span.SequenceEqual(bytes.Span)
        && (before.Shared?.Bytes ?? default).Span.SequenceEqual((shared?.Bytes ?? default).Span);

    private bool TryReuse(string name, SectionIdentity identity)
    {
        if (cache is null || cache.Find(name, identity) is not { } known)
            return false;
        Add(new Pending(name, identity, 0, 0, known.HasReplacedText, null) { Known = known });
        return true;
    }

    private void Add(Pending section) => _sections.Add(section);

    private bool TakeReplacedText()
    {
        var hasReplacedText = _context.HasReplacedText;
        _context.HasReplacedText = false;
        return hasReplacedText;
    }

    private bool TakeChangedEntry()
    {
        var hasChangedEntry = _context.HasChangedEntry;
        _context.HasChangedEntry = false;
        return hasChangedEntry;
    }

    /// <summary>A section that was written into the buffer, or is known.</summary>
    private sealed record Pending(string Name, SectionIdentity Identity, int Start, int Length, bool HasReplacedText, Pending? Shared)
    {
        public PackedSection? Known { get; init; }

        /// <summary>The section as it was written when it last said that it changed.</summary>
        public PackedSection? Before { get; init; }

        public bool HasChangedEntry { get; init; }

        public IReadOnlyList<string> Warnings { get; init; } = [];
    }
}

using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik;

/// <summary>Why a save was made.</summary>
public enum SaveKind
{
    /// <summary>The player asked for it.</summary>
    Manual,

    /// <summary>The player asked for it without choosing a slot.</summary>
    Quick,

    /// <summary>The game made it by itself.</summary>
    Auto,

    /// <summary>It is a checkpoint that the player can be restored to.</summary>
    Checkpoint,
}

/// <summary>What every save says of itself. It comes first in the file and is read without the rest.</summary>
[StateType]
public sealed partial class SaveHeader
{
    /// <summary>The newest number of the file's own layout that this library knows.</summary>
    public const int CurrentFormat = 1;

    /// <summary>How many bytes a header may take, in any form: what a list reads of a file at most.</summary>
    internal const int MostBytes = 1 << 20;

    /// <summary>The number of the file's own layout.</summary>
    public int Format { get; internal set; } = CurrentFormat;

    /// <summary>The game's id; empty for a state type that was saved on its own.</summary>
    public string Game { get; internal set; } = "";

    /// <summary>The save version of the game that wrote it; 0 for a state type that was saved on its own.</summary>
    public int Version { get; internal set; }

    /// <summary>
    /// The digest of the save's shape (64 bits of SHA-256, in hexadecimal); null if it is not known. A different digest under the same
    /// version means that the game's types changed and its version was not raised.
    /// </summary>
    public string? Shape { get; internal set; }

    /// <summary>The save's own id (UUIDv7, RFC 9562).</summary>
    [Saved("save")]
    public Guid SaveId { get; internal set; }

    /// <summary>When it was saved.</summary>
    public DateTimeOffset Saved { get; internal set; }

    /// <summary>What a slot list shows of it; null if it was saved to no slot.</summary>
    public SlotLabel? Slot { get; internal set; }

    /// <summary>The form of the sections' content.</summary>
    public SaveForm Content { get; internal set; }

    /// <summary>How many sections the save has.</summary>
    public int SectionCount { get; internal set; }

    /// <summary>The digest of the list of sections (XXH3, 128 bits, in hexadecimal).</summary>
    public string ContentsDigest { get; internal set; } = "";

    /// <summary>The id of the save that the same slot held before; null for the first.</summary>
    [NotSaved]
    public Guid? ParentId => Slot?.ParentId;

    /// <summary>The playthrough that the save belongs to; all zeros where it was saved to no slot.</summary>
    [NotSaved]
    public Guid Playthrough => Slot?.Playthrough ?? default;

    /// <summary>Why the save was made.</summary>
    [NotSaved]
    public SaveKind Kind => Slot?.Kind ?? default;

    /// <summary>The title that the game gave it; may be empty.</summary>
    [NotSaved]
    public string Title => Slot?.Title ?? "";

    /// <summary>The game's own values for the slot list, in the game's order.</summary>
    [NotSaved]
    public IReadOnlyDictionary<string, State.SaveValue> Summary => Slot?.Summary ?? NoSummary;

    /// <summary>The names of what is kept beside the save (<see cref="SaveLabel.Attachments"/>); "png" is its picture.</summary>
    [NotSaved]
    public IReadOnlyList<string> Attachments => [.. Slot?.AttachmentDigests?.Select(one => one.Key) ?? []];

    /// <summary>How long the playthrough had been played.</summary>
    [NotSaved]
    public TimeSpan Played => Slot?.Played ?? default;

    /// <summary>
    /// The number of the write in its store; null if the store does not count (<see cref="SaveProtection.HasCounter"/>).
    /// </summary>
    [NotSaved]
    public long? WriteNumber =>
        Slot is { } slot && slot.Rest.TryGet(SlotLabel.CountKey, out var count)
        && count is State.SaveScalar { Kind: State.SaveValueKind.Integer, Integer: var number } && number >= 0 && number <= long.MaxValue
            ? (long)number
            : null;

    /// <summary>
    /// Whether title and summary are encrypted, and the key that shows them is not at hand (<see cref="SaveProtection.HasHiddenTitles"/>).
    /// </summary>
    [NotSaved]
    public bool HasHiddenTitles => Slot is { } slot && slot.Rest.TryGet(SlotLabel.HiddenKey, out _);

    private static readonly OrderedDictionary<string, State.SaveValue> NoSummary = [];

    /// <summary>A header that says the same.</summary>
    internal SaveHeader Copy()
    {
        var copy = ForVersion(Version);
        (copy.Format, copy.Content, copy.SectionCount, copy.ContentsDigest) = (Format, Content, SectionCount, ContentsDigest);
        return copy;
    }

    /// <summary>The header of the same save in another version, before anything is known of its sections.</summary>
    internal SaveHeader ForVersion(int version) => new()
    {
        Game = Game,
        Version = version,
        // What a migration makes of a save is not what any game wrote.
        Shape = version == Version ? Shape : null,
        SaveId = SaveId,
        Saved = Saved,
        Slot = Slot?.Copy(),
    };
}

/// <summary>What the header of a save in a slot says for the slot list.</summary>
[StateType]
public sealed partial class SlotLabel
{
    /// <summary>The title that the game gave the save; may be empty.</summary>
    public string Title { get; internal set; } = "";

    /// <summary>Why the save was made.</summary>
    public SaveKind Kind { get; internal set; }

    /// <summary>How long the playthrough had been played.</summary>
    public TimeSpan Played { get; internal set; }

    /// <summary>The game's own values, in the game's order.</summary>
    public OrderedDictionary<string, State.SaveValue> Summary { get; internal set; } = [];

    /// <summary>The playthrough that the save belongs to.</summary>
    public Guid Playthrough { get; internal set; }

    /// <summary>The id of the save that the same slot held before; null for the first.</summary>
    [Saved("parent")]
    public Guid? ParentId { get; internal set; }

    internal const string CountKey = "count";
    internal const string HiddenKey = "hidden";
    internal const string AttachmentsKey = "attachments";

    /// <summary>The digests of what is kept beside the save, by name; null if nothing is.</summary>
    internal State.SaveMap? AttachmentDigests => Rest.TryGet(AttachmentsKey, out var digests) ? digests as State.SaveMap : null;

    /// <summary>What only some saves say: the number of the write, a hidden title and summary, and whatever a newer Lodrik adds.</summary>
    [KeepUnknown]
    internal State.SaveMap Rest { get; } = new();

    internal SlotLabel Copy()
    {
        var copy = new SlotLabel
        {
            Title = Title,
            Kind = Kind,
            Played = Played,
            Summary = Summary,
            Playthrough = Playthrough,
            ParentId = ParentId,
        };
        foreach (var (key, value) in Rest)
            copy.Rest[key] = value;
        return copy;
    }
}

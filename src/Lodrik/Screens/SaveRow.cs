using Lodrik.Slots;
using Lodrik.State;

namespace Lodrik.Screens;

/// <summary>One row of a save screen: a save, or a place for one.</summary>
public sealed class SaveRow
{
    private readonly SlotSummary? _summary;

    internal SaveRow(SlotName slot, SlotSummary? summary, bool isPlace)
    {
        (Slot, _summary, IsPlace) = (slot, summary, isPlace);
        Refusal = summary?.Health switch
        {
            null => ScreenRefusal.EmptyPlace,
            SlotHealth.Damaged => ScreenRefusal.Damaged,
            SlotHealth.OtherGame => ScreenRefusal.OtherGame,
            SlotHealth.NewerVersion => ScreenRefusal.NewerVersion,
            SlotHealth.MissingMigration => ScreenRefusal.MissingMigration,
            _ => ScreenRefusal.None,
        };
    }

    /// <summary>The slot.</summary>
    public SlotName Slot { get; }

    /// <summary>Whether it is one of the fixed places, which are shown even if they are empty.</summary>
    public bool IsPlace { get; }

    /// <summary>Whether there is no save in it.</summary>
    public bool IsEmpty => _summary is null;

    /// <summary>What to show first: the name that the player gave it, or else the save's title, or else the slot's name.</summary>
    public string Caption => Name.Length > 0 ? Name : Title.Length > 0 ? Title : Slot.ToString();

    /// <summary>What the player calls it; empty if it has no name.</summary>
    public string Name => _summary?.Name ?? "";

    /// <summary>The title that the game gave the save; empty if it has none, or if it is hidden.</summary>
    public string Title => _summary?.Title ?? "";

    /// <summary>The game's own values, in its order.</summary>
    public IReadOnlyList<KeyValuePair<string, SaveValue>> Summary => _summary?.Header is { } header ? [.. header.Summary] : [];

    /// <summary>When it was saved; null if that is not known.</summary>
    public DateTimeOffset? Saved => _summary?.Header is { } header ? header.Saved : null;

    /// <summary>How long the playthrough had been played.</summary>
    public TimeSpan Played => _summary?.Played ?? default;

    /// <summary>Why it was saved; null if that is not known.</summary>
    public SaveKind? Kind => _summary?.Header?.Kind;

    /// <summary>Whether it can be loaded; null for an empty place.</summary>
    public SlotHealth? Health => _summary?.Health;

    /// <summary>What is wrong with the newest save in it; null if nothing is.</summary>
    public SaveException? Problem => _summary?.Problem;

    /// <summary>What is wrong, in a sentence for the player (English); empty if nothing is.</summary>
    public string Trouble => Health switch
    {
        null or SlotHealth.Readable => "",
        SlotHealth.FellBack => "The newest save is damaged. The one before it is loaded instead.",
        _ => new ScreenChoice(Refusal).Reason,
    };

    /// <summary>Whether it has a picture (<see cref="SaveScreen.Picture(SaveRow)"/>).</summary>
    public bool HasPicture => _summary?.Header?.Attachments.Contains(Attachments.Picture) == true;

    /// <summary>Whether it is the slot that was loaded from or saved to last.</summary>
    public bool IsCurrent { get; internal init; }

    /// <summary>Whether it is what <see cref="ScreenAction.Continue"/> loads first.</summary>
    public bool IsNewest { get; internal init; }

    /// <summary>Why it cannot be loaded.</summary>
    internal ScreenRefusal Refusal { get; }

    /// <summary>What the list says of it.</summary>
    internal SlotSummary Listed => _summary!;

    /// <summary>Whether two rows stand for the same: the same slot, and of a ring the same playthrough.</summary>
    internal bool IsSameAs(SaveRow other) => Slot == other.Slot
        && (!Slot.IsRing || _summary?.Playthrough == other._summary?.Playthrough);
}

/// <summary>What a save screen shows of the selected row beside its list.</summary>
/// <param name="Row">The row.</param>
/// <param name="Picture">Its picture as PNG; null if it has none.</param>
/// <param name="History">Its saves, newest first.</param>
/// <param name="File">Where its newest save that can be read is.</param>
/// <param name="ByteCount">How large that file is.</param>
/// <param name="Header">All that the save says of itself; null if no save of it can be read.</param>
public sealed record SaveDetails(
    SaveRow Row, ReadOnlyMemory<byte>? Picture, IReadOnlyList<GenerationSummary> History, string File, long ByteCount, SaveHeader? Header);

using Lodrik.Slots;
using Lodrik.State;

namespace Lodrik.Screens;

/// <summary>What a save screen needs to know of a game that uses a store without a session. A session knows it by itself.</summary>
/// <typeparam name="T">The game's save root.</typeparam>
public sealed record ScreenGame<T> where T : class, IStateRoot<T>
{
    /// <summary>The state that is being played; it gives null while nothing is. Null if the screen does not save.</summary>
    public Func<T?>? Playing { get; init; }

    /// <summary>Goes on with what was loaded. Null if the screen does not load.</summary>
    public Action<LoadResult<T>>? Load { get; init; }

    /// <summary>Begins a new game; its playthrough is begun already. Null if the screen does not offer that.</summary>
    public Action? New { get; init; }

    /// <summary>What the slot list shows of a save that is made now; null for nothing.</summary>
    public Func<SaveLabel>? Label { get; init; }

    /// <summary>Sections whose changes are not progress, such as a clock; empty for none.</summary>
    public IReadOnlyCollection<string> NoProgress { get; init; } = [];
}

/// <summary>How a save screen lists what is in no fixed place.</summary>
public enum ScreenOrder
{
    /// <summary>The newest first.</summary>
    Newest,

    /// <summary>The oldest first.</summary>
    Oldest,

    /// <summary>By what is shown first, from A to Z.</summary>
    Caption,

    /// <summary>What was played longest first.</summary>
    Played,
}

/// <summary>What a save screen shows. Every value has a default.</summary>
public sealed record SaveScreenOptions
{
    /// <summary>
    /// Places that come first, in their order, and are shown even if they are empty; null takes those of the store
    /// (<see cref="SaveStoreOptions.Places"/>). If the store has none, other slots are listed after them.
    /// </summary>
    public IReadOnlyList<SlotName>? Places { get; init; }

    /// <summary>The order of all other rows. Damaged ones come last.</summary>
    public ScreenOrder Order { get; init; }

    /// <summary>Only saves of these kinds are listed; empty for all. What cannot be read is listed with all only.</summary>
    public IReadOnlyCollection<SaveKind> Kinds { get; init; } = [];
}

/// <summary>What is being played, as a save screen deals with it. A call is done when it returns, unless it is in the background.</summary>
internal abstract class PlayedOnScreen
{
    /// <summary>Whether something can be saved now, and left without losing it.</summary>
    public abstract ScreenRefusal Playing { get; }

    public abstract bool CanLoad { get; }

    public abstract bool CanBegin { get; }

    public abstract ValueTask<SaveReceipt> Save(
        bool inBackground, SlotName slot, string? name, Overwrite overwrite, CancellationToken cancellation);

    public abstract ValueTask<bool> Load(bool inBackground, WhichSave which, CancellationToken cancellation);

    public abstract ValueTask<bool> Begin(bool inBackground);

    public abstract ValueTask<bool> WouldLoseProgress(bool inBackground, CancellationToken cancellation);
}

/// <summary>The saves of a store, as a save screen deals with them, whatever the game's types are.</summary>
internal abstract class SavesOnScreen
{
    public abstract SlotName? CurrentSlot { get; }

    public abstract IReadOnlyList<SlotName> FixedPlaces { get; }

    public abstract Undoable? LastDeletion { get; }

    public abstract ValueTask<IReadOnlyList<SlotSummary>> List(bool inBackground, CancellationToken cancellation);

    public abstract ValueTask<(byte[]? Picture, IReadOnlyList<GenerationSummary> History)> Details(
        bool inBackground, SlotSummary row, CancellationToken cancellation);

    public abstract ValueTask<byte[]?> Picture(bool inBackground, SlotSummary row, CancellationToken cancellation);

    public abstract ValueTask<int> DeleteForNow(bool inBackground, IReadOnlyList<SlotSummary> rows, CancellationToken cancellation);

    public abstract ValueTask<bool> DeleteForGood(bool inBackground, SlotSummary row, CancellationToken cancellation);

    public abstract ValueTask<int> BringBack(bool inBackground, Undoable undoable, CancellationToken cancellation);

    public abstract ValueTask<SlotName> Rename(
        bool inBackground, SlotName slot, string typed, Overwrite overwrite, bool isPlace, CancellationToken cancellation);

    public abstract ValueTask<SlotName> Copy(
        bool inBackground, SlotSummary row, string typed, Overwrite overwrite, CancellationToken cancellation);

    public abstract ValueTask<bool> Export(
        bool inBackground, SlotSummary row, string path, Overwrite overwrite, CancellationToken cancellation);

    public abstract ValueTask<SlotImport> Import(bool inBackground, string path, SlotName? slot, CancellationToken cancellation);
}

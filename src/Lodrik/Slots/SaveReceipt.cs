using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Slots;

namespace Lodrik;

/// <summary>What a save that is done says: where it is, and what it cost.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Generation">The generation's number within the slot.</param>
/// <param name="File">Where a person finds it.</param>
/// <param name="ByteCount">Its size.</param>
/// <param name="Form">The form of its content.</param>
/// <param name="SaveId">The save's own id.</param>
/// <param name="Encoding">The time it took to turn the state into bytes.</param>
/// <param name="Writing">The time it took until the bytes were on the disk for good.</param>
public sealed record SaveReceipt(
    SlotName Slot, int Generation, string File, long ByteCount, SaveForm Form, Guid SaveId, TimeSpan Encoding, TimeSpan Writing)
{
    /// <summary>What the save cost the thread that asked for it, and each stage.</summary>
    public SaveTimes Times { get; init; } = new(default, default, default, default, default, default);

    /// <summary>What was saved otherwise than it stood; mostly nothing.</summary>
    public IReadOnlyList<SaveWarning> Warnings { get; init; } = [];

    /// <summary>
    /// The playthroughs whose last save in this ring was deleted, as there were more than are kept
    /// (<see cref="SaveStoreOptions.KeepPlaythroughs"/>).
    /// </summary>
    public IReadOnlyList<Guid> DroppedPlaythroughs { get; init; } = [];

    /// <summary>The time of the whole save in milliseconds.</summary>
    public double Milliseconds => (Encoding + Writing).TotalMilliseconds;

    /// <summary>The receipt as a line for a log or a console.</summary>
    public override string ToString() =>
        FormattableString.Invariant(
            $"saved {Slot}, generation {Generation}: {ByteCount} bytes of {Form.DisplayName()} in {Milliseconds:F1} ms, {File}");
}

/// <summary>Whether there was something to load.</summary>
public enum LoadOutcome
{
    /// <summary>A save was loaded.</summary>
    Loaded,

    /// <summary>There is no such slot.</summary>
    NoSuchSlot,
}

/// <summary>What came of loading a slot.</summary>
/// <typeparam name="T">The save root.</typeparam>
public sealed class LoadResult<T> where T : State.IStateRoot<T>
{
    private T? _state;
    private readonly SlotException? _problem;

    internal LoadResult(SlotName slot, SlotException problem)
    {
        _problem = problem;
        Slot = slot;
        Outcome = LoadOutcome.NoSuchSlot;
    }

    internal LoadResult(SlotName slot, int generation, T state, SavedFile file)
    {
        Slot = slot;
        Outcome = LoadOutcome.Loaded;
        Generation = generation;
        _state = state;
        Header = file.Header;
        EditedSections = [.. file.Opened.EditedSections];
        MissingSections = file.MissingSections;
        WasEditedByHand = file.Opened.IsEdited;
    }

    /// <summary>The slot that was asked for.</summary>
    public SlotName Slot { get; }

    /// <summary>Whether there was something to load.</summary>
    public LoadOutcome Outcome { get; }

    /// <summary>Whether a save was loaded.</summary>
    public bool Found => Outcome == LoadOutcome.Loaded;

    /// <summary>The loaded state.</summary>
    /// <exception cref="SlotException">There was no such slot. Ask <see cref="Found"/> first.</exception>
    public T State => Found ? _state! : throw _problem!;

    /// <summary>The generation that was loaded; 0 if there was none.</summary>
    public int Generation { get; }

    /// <summary>What the save says of itself; null if there was none, or where the file was written entirely by hand.</summary>
    public SaveHeader? Header { get; }

    /// <summary>
    /// The older version that the save was migrated from while it was loaded; null if it has the game's version. The file is as it was.
    /// </summary>
    public int? MigratedFrom => Header is { } header && Found && header.Version < T.Root.Version ? header.Version : null;

    /// <summary>
    /// Members and sections of a save of the game's own version that the game does not know. They are lost with the next save. Usually
    /// empty.
    /// </summary>
    public IReadOnlyList<State.UnknownMember> UnknownMembers { get; internal init; } = [];

    /// <summary>Whether a newer version of the game made the save, so that there may be more in it than was loaded.</summary>
    public bool IsFromNewerVersion => Header is { } header && Found && header.Version > T.Root.Version;

    /// <summary>
    /// Why the save's seal or signature does not fit, where the store loads such saves and marks them; null if it fits, or none is asked
    /// for.
    /// </summary>
    public TamperedSaveException? SealProblem { get; internal init; }

    /// <summary>
    /// Why the save is taken for an old one that was restored, where the store counts its writes; null if it is not, or the store does
    /// not count. A game that loads an older generation on purpose, or had to pass over a newer one, sees it as well.
    /// </summary>
    public ReplayedSave? Replay { get; internal init; }

    /// <summary>Whether the save was changed by hand since it was written.</summary>
    public bool WasEditedByHand { get; }

    /// <summary>The sections that were changed by hand.</summary>
    public IReadOnlyList<string> EditedSections { get; } = [];

    /// <summary>The sections that the save once had and that were taken out of it by hand; they have their initial values.</summary>
    public IReadOnlyList<string> MissingSections { get; } = [];

    /// <summary>Newer generations that could not be loaded and were passed over, newest first, each with what is wrong with it.</summary>
    public IReadOnlyList<SaveException> PassedOver { get; internal init; } = [];

    /// <summary>
    /// What a player may want to know of the save that was loaded, a sentence each (English): that newer ones could not be loaded, that it
    /// was changed outside the game, that it is an old one put in the place of a newer one, or that a newer version of the game made it.
    /// </summary>
    public IReadOnlyList<string> Warnings
    {
        get
        {
            var warnings = new List<string>();
            if (Found && PassedOver is [var newest, ..])
                warnings.Add($"The newest save could not be loaded, so an older one was: {newest.Problem}");
            if (SealProblem is not null)
                warnings.Add(SealProblem.Problem);
            else if (WasEditedByHand)
                warnings.Add("The save was changed by hand.");
            if (Replay is not null)
                warnings.Add("The save is a replay: an old one in the place of a newer one.");
            if (IsFromNewerVersion)
                warnings.Add("The save was made by a newer version of the game.");
            return warnings;
        }
    }

    /// <summary>The same result with the state that was filled from the save.</summary>
    internal LoadResult<T> With(T state)
    {
        var result = (LoadResult<T>)MemberwiseClone();
        result._state = state;
        return result;
    }
}

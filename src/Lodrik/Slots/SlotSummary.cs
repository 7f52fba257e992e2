namespace Lodrik;

/// <summary>Whether a slot can be loaded, as far as its newest header tells.</summary>
public enum SlotHealth
{
    /// <summary>The newest generation's header reads well, and this game loads such saves.</summary>
    Readable,

    /// <summary>The newest generation cannot be read; an older one can.</summary>
    FellBack,

    /// <summary>No generation can be read.</summary>
    Damaged,

    /// <summary>It is a save of another game.</summary>
    OtherGame,

    /// <summary>It was made by a newer version of the game, and this one does not load such saves.</summary>
    NewerVersion,

    /// <summary>It was made by an older version of the game, and no migration leads up from it.</summary>
    MissingMigration,
}

/// <summary>One slot in a list of them: what its newest readable header says.</summary>
public sealed class SlotSummary
{
    internal SlotSummary(SlotName slot, string name, IReadOnlyList<Generation> generations, Generation shown, SaveHeader? header,
        SlotHealth health, SaveException? problem)
    {
        Slot = slot;
        Name = name;
        GenerationCount = generations.Count;
        Playthrough = header?.Playthrough ?? default;
        Generation = shown.Number;
        File = shown.File;
        ByteCount = shown.ByteCount;
        Header = header;
        Health = health;
        Problem = problem;
    }

    /// <summary>The same, with what the game says of it.</summary>
    internal SlotSummary(SlotSummary summary, SlotHealth health, SaveException? problem, bool isAhead)
    {
        (Slot, Name, GenerationCount, Playthrough) = (summary.Slot, summary.Name, summary.GenerationCount, summary.Playthrough);
        (Generation, File) = (summary.Generation, summary.File);
        (ByteCount, Header, Health, Problem, IsAhead) = (summary.ByteCount, summary.Header, health, problem, isAhead);
    }

    /// <summary>The slot.</summary>
    public SlotName Slot { get; }

    /// <summary>
    /// Whether its time has not come yet: the clock of the machine that saved it was wrong, and its place in the list is that of the save
    /// that it continues.
    /// </summary>
    public bool IsAhead { get; }

    /// <summary>Whether the slot can be loaded.</summary>
    public SlotHealth Health { get; }

    /// <summary>What is wrong with the newest generation; null if nothing is.</summary>
    public SaveException? Problem { get; }

    /// <summary>How many generations the slot has.</summary>
    public int GenerationCount { get; }

    /// <summary>The number of the generation that this describes: the newest one that can be read.</summary>
    public int Generation { get; }

    /// <summary>The name of its file within the storage.</summary>
    public string File { get; }

    /// <summary>Its size in bytes.</summary>
    public long ByteCount { get; }

    /// <summary>All that the save says of itself; null if no generation can be read, or where it was written entirely by hand.</summary>
    public SaveHeader? Header { get; }

    /// <summary>What the player calls the slot (<see cref="SaveLabel.Name"/>); empty if it has no name.</summary>
    public string Name { get; }

    /// <summary>The playthrough; all zeros where it is unknown.</summary>
    internal Guid Playthrough { get; }

    /// <summary>The title; empty if there is none.</summary>
    public string Title => Header?.Title ?? "";

    /// <summary>When it was saved; the beginning of time where that is not known.</summary>
    public DateTimeOffset Saved => Header?.Saved ?? default;

    /// <summary>How long the playthrough had been played.</summary>
    public TimeSpan Played => Header?.Played ?? default;
}

/// <summary>One generation of a slot as the storage has it.</summary>
internal readonly record struct Generation(int Number, string File, long ByteCount, long Stamp = 0);

/// <summary>One place of a save screen that has a fixed number of them.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Occupant">What is in it; null if it is empty.</param>
public sealed record SlotPlace(SlotName Slot, SlotSummary? Occupant);

/// <summary>A generation and the slot that it is in.</summary>
internal readonly record struct SlotGeneration(SlotName Slot, Generation Generation);

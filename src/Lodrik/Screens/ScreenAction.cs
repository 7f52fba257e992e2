namespace Lodrik.Screens;

/// <summary>What a button of a save screen does.</summary>
public enum ScreenAction
{
    /// <summary>Saves to the selected row; to the current slot if no row is selected.</summary>
    Save,

    /// <summary>Saves under a name that the player typed (the text).</summary>
    SaveAs,

    /// <summary>Loads the selected row.</summary>
    Load,

    /// <summary>Loads the newest save of all that can be loaded.</summary>
    Continue,

    /// <summary>Begins a new game.</summary>
    New,

    /// <summary>Deletes the selected row. It can be brought back until the store is closed.</summary>
    Delete,

    /// <summary>Deletes all rows. They can be brought back until the store is closed.</summary>
    ClearAll,

    /// <summary>Brings back what was deleted last.</summary>
    Undo,

    /// <summary>Gives the selected row a name that the player typed (the text).</summary>
    Rename,

    /// <summary>
    /// Copies the selected row to its own slot, under a name that the player typed (the text); a free one for an empty text.
    /// </summary>
    Copy,

    /// <summary>Writes the selected row to one file (the text is its path).</summary>
    Export,

    /// <summary>Brings a slot in from a file (the text is its path): to the selected empty place, or else to its own slot.</summary>
    Import,
}

/// <summary>Why a button of a save screen does nothing now.</summary>
public enum ScreenRefusal
{
    /// <summary>It does something.</summary>
    None,

    /// <summary>The screen is still busy with what was pressed before.</summary>
    Busy,

    /// <summary>Nothing is being played.</summary>
    NothingPlayed,

    /// <summary>What is being played cannot be saved or left at this moment, because a scene is still being restored.</summary>
    NotReady,

    /// <summary>The game does not offer this: it gave the screen no way to do it.</summary>
    NotOffered,

    /// <summary>No row is selected.</summary>
    NothingSelected,

    /// <summary>The selected place is empty.</summary>
    EmptyPlace,

    /// <summary>There is no save.</summary>
    NoSaves,

    /// <summary>The save is damaged.</summary>
    Damaged,

    /// <summary>The save is another game's.</summary>
    OtherGame,

    /// <summary>The save was made by a newer version of the game.</summary>
    NewerVersion,

    /// <summary>The save was made by an older version of the game, and no migration leads up from it.</summary>
    MissingMigration,

    /// <summary>Quick and automatic saves are made by the game, and have no names.</summary>
    KeptByGame,

    /// <summary>The game has a fixed number of places, and saves go nowhere else.</summary>
    FixedPlaces,

    /// <summary>Nothing was typed.</summary>
    NothingTyped,

    /// <summary>What was typed is too long for a name.</summary>
    TooLong,

    /// <summary>Nothing was deleted that could be brought back.</summary>
    NothingDeleted,

    /// <summary>No question is open.</summary>
    NoQuestion,
}

/// <summary>Whether a button of a save screen does something now.</summary>
/// <param name="Refusal">Why it does not; <see cref="ScreenRefusal.None"/> if it does.</param>
public readonly record struct ScreenChoice(ScreenRefusal Refusal)
{
    /// <summary>Whether it does something.</summary>
    public bool IsPossible => Refusal == ScreenRefusal.None;

    /// <summary>Why it does not, in a sentence for the player (English); empty if it does.</summary>
    public string Reason => Refusal switch
    {
        ScreenRefusal.None => "",
        ScreenRefusal.Busy => "One moment: the last action is not finished yet.",
        ScreenRefusal.NothingPlayed => "No game is being played.",
        ScreenRefusal.NotReady => "The game is still loading.",
        ScreenRefusal.NotOffered => "This is not possible here.",
        ScreenRefusal.NothingSelected => "Select a save first.",
        ScreenRefusal.EmptyPlace => "There is no save in this place.",
        ScreenRefusal.NoSaves => "There are no saves yet.",
        ScreenRefusal.Damaged => "This save is damaged.",
        ScreenRefusal.OtherGame => "This save belongs to another game.",
        ScreenRefusal.NewerVersion => "This save was made by a newer version of the game.",
        ScreenRefusal.MissingMigration => "This save is from an old version that this one cannot read.",
        ScreenRefusal.KeptByGame => "The game makes these saves itself. Copy it to keep it under a name.",
        ScreenRefusal.FixedPlaces => "Choose one of the places.",
        ScreenRefusal.NothingTyped => "Type something first.",
        ScreenRefusal.TooLong => $"This name is too long. The limit is {SaveLabel.MaxNameLength} characters.",
        ScreenRefusal.NothingDeleted => "Nothing was deleted.",
        _ => "There is nothing to answer.",
    };
}

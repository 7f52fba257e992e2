using Lodrik.Storage;
using Microsoft.Extensions.Logging;

namespace Lodrik;

/// <summary>How a store keeps its saves. Every value has a default.</summary>
public sealed record SaveStoreOptions
{
    /// <summary>The folder of the saves; null takes the platform's place for the game's data.</summary>
    public string? Folder { get; init; }

    /// <summary>Another storage than a folder, such as memory; null keeps to the folder.</summary>
    public ISaveStorage? Storage { get; init; }

    /// <summary>The form that saves are written in. Saves of every form are read.</summary>
    public SaveForm Form { get; init; } = SaveForm.Json;

    /// <summary>Whether readable forms are laid out for people, with line breaks and indentation.</summary>
    public bool Indented { get; init; } = true;

    /// <summary>
    /// The extension of the files, with its dot; null takes .json, .xml or .lodrik by the form. It is for people only: the form
    /// is recognised from the bytes.
    /// </summary>
    public string? Extension { get; init; }

    /// <summary>How many generations a slot keeps, from 1.</summary>
    public int KeepGenerations { get; init; } = 5;

    /// <summary>
    /// Whether a save that its own state types find invalid (<see cref="IValidatedState"/>) is passed over for the one before it, as a
    /// damaged one is; otherwise it is an error.
    /// </summary>
    public bool PassOverInvalid { get; init; }

    /// <summary>Where the store says what it saved, loaded and passed over; null is silent.</summary>
    public ILogger? Logger { get; init; }

    /// <summary>The clock; null is the system's.</summary>
    public TimeProvider? Clock { get; init; }
}

/// <summary>What the game says of a save for its own slot list.</summary>
public sealed record SaveLabel
{
    /// <summary>The title; free text.</summary>
    public string Title { get; init; } = "";

    /// <summary>How long the playthrough has been played.</summary>
    public TimeSpan Played { get; init; }

    /// <summary>Why the save is made; null takes it from the slot: quick, auto, or else manual.</summary>
    public SaveKind? Kind { get; init; }

    /// <summary>Values of the game's own choosing, shown in this order.</summary>
    public IReadOnlyList<KeyValuePair<string, State.SaveValue>> Summary { get; init; } = [];
}

/// <summary>Whether a slot that holds another playthrough may be written over.</summary>
public enum Overwrite
{
    /// <summary>It is refused with a <see cref="SlotTakenException"/>.</summary>
    Refused,

    /// <summary>The player was asked and agreed.</summary>
    Allowed,
}

using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;
using Microsoft.Extensions.Logging;

namespace Lodrik;

/// <summary>How a store keeps its saves. Every value has a default.</summary>
public sealed record SaveStoreOptions
{
    /// <summary>The folder of the saves; null takes the platform's place for the game's data.</summary>
    public string? Folder { get; init; }

    /// <summary>The publisher's folder around the game's in the platform's place; null for none.</summary>
    public string? Publisher { get; init; }

    /// <summary>Another storage than a folder, such as memory; null keeps to the folder.</summary>
    public ISaveStorage? Storage { get; init; }

    /// <summary>The form that saves are written in. Saves of every form are read.</summary>
    public SaveForm Form { get; init; } = SaveForm.Json;

    /// <summary>Whether readable forms are laid out for people, with line breaks and indentation.</summary>
    public bool Indented { get; init; } = true;

    /// <summary>How saves are compressed, in the background. What does not become smaller is stored as it is.</summary>
    public SaveCompression Compression { get; init; }

    /// <summary>
    /// The extension of the files, with its dot; null takes .json or .xml for readable saves and .lodrik for others. It is for people only:
    /// the form is recognised from the bytes.
    /// </summary>
    public string? Extension { get; init; }

    /// <summary>
    /// Whether the code for saving and loading is compiled in the background as soon as the store is opened, so that the first save costs
    /// little more than the others. None of the game's own code runs for that.
    /// </summary>
    public bool WarmsUp { get; init; } = true;

    /// <summary>
    /// How long a save may keep the thread that asks for it, which is the game's: at 60 frames a second a frame has 16 ms for everything. A
    /// save that takes longer leaves a warning in the log, with what took the time. Null for no warning.
    /// </summary>
    public TimeSpan? ThreadBudget { get; init; }

    /// <summary>
    /// Whether what says of itself that it did not change, by <see cref="State.IRevisedState"/> or as an entry of a
    /// <see cref="State.SaveLog{T}"/>, is encoded all the same and compared. What changed nevertheless is saved as it is, and the receipt
    /// has a warning (<see cref="SaveWarningCode.UnmarkedChange"/>). Null checks in debug builds of the game, whose code is not optimised.
    /// </summary>
    public bool? FindsUnmarkedChanges { get; init; }

    /// <summary>How many generations a slot keeps, from 1.</summary>
    public int KeepGenerations { get; init; } = 5;

    /// <summary>How many quick saves are kept of each playthrough, from 1.</summary>
    public int KeepQuick { get; init; } = 3;

    /// <summary>
    /// How many saves that the game makes by itself are kept of the playthrough that is being played, from 1. Of the others the newest
    /// stays.
    /// </summary>
    public int KeepAuto { get; init; } = 3;

    /// <summary>
    /// How many playthroughs have their newest automatic save kept, from 1: those that were saved last. Null, as by default, keeps the
    /// newest of every playthrough. What is dropped is in <see cref="SaveReceipt.DroppedPlaythroughs"/>.
    /// </summary>
    public int? KeepPlaythroughs { get; init; }

    /// <summary>
    /// The player whose saves these are, where several share a machine: each profile has slots and settings of its own. A name as a slot
    /// has; null keeps to the root.
    /// </summary>
    public SlotName? Profile { get; init; }

    /// <summary>
    /// The places of a save screen that has a fixed number of them, in their order; empty for slots of any name and number. Quick and auto
    /// are always there besides.
    /// </summary>
    public IReadOnlyList<SlotName> Places { get; init; } = [];

    /// <summary>
    /// What becomes of a readable save without a seal that was changed by hand, or written by hand. It loads by default, and the result
    /// says so (<see cref="LoadResult{T}.WasEditedByHand"/>).
    /// </summary>
    public SaveTreatment EditedSaves { get; init; } = SaveTreatment.Load;

    /// <summary>
    /// What becomes of a save whose seal or signature does not fit, or is missing. It is an error by default; one that is loaded says what
    /// is wrong (<see cref="LoadResult{T}.SealProblem"/>).
    /// </summary>
    public SaveTreatment TamperedSaves { get; init; } = SaveTreatment.Refuse;

    /// <summary>
    /// How saves of older versions are brought up to the game's; null if there are none yet. The chain is checked when the store opens.
    /// </summary>
    public MigrationChain? Migrations { get; init; }

    /// <summary>
    /// What becomes of a save that a newer version of the game made. It is an error by default. If it is loaded, what this game knows of
    /// it is, and what a type does not know is kept where the type says so (<see cref="KeepUnknownAttribute"/>). The save itself is never
    /// written over: saving to its slot is an error, and no ring pushes it out.
    /// </summary>
    public SaveTreatment NewerSaves { get; init; } = SaveTreatment.Refuse;

    /// <summary>
    /// How to treat a save of the game's own version with members that the game does not know: a member was removed or renamed without
    /// raising the version, or two branches of the game both made this version. By default it loads, and
    /// <see cref="LoadResult{T}.UnknownMembers"/> lists them. <see cref="SaveTreatment.Load"/> skips the check.
    /// </summary>
    public SaveTreatment OtherShapes { get; init; } = SaveTreatment.Mark;

    /// <summary>How much memory reading a save may take; null for <see cref="ReadAllowance.Default"/>.</summary>
    public ReadAllowance? Allowance { get; init; }

    /// <summary>How saves are sealed or signed, and what is asked of those that are loaded; null for neither.</summary>
    public SaveProtection? Protection { get; init; }

    /// <summary>
    /// Other protections that a save may have instead of <see cref="Protection"/>: those of an earlier version of the game, or all between
    /// which players can choose. New saves never get them.
    /// </summary>
    public IReadOnlyList<SaveProtection> OtherProtections { get; init; } = [];

    /// <summary>The most bytes that a thumbnail may have.</summary>
    public int MaxThumbnailByteCount { get; init; } = 1 << 20;

    /// <summary>
    /// What becomes of a save that the game's own rules refuse (<see cref="IValidatedState"/>). It is an error by default, or passed over;
    /// it cannot be loaded.
    /// </summary>
    public SaveTreatment InvalidSaves { get; init; } = SaveTreatment.Refuse;

    /// <summary>
    /// What becomes of an old save that somebody put in the place of a newer one, where the store counts its writes
    /// (<see cref="SaveProtection.HasCounter"/>). It loads by default, and the result says so (<see cref="LoadResult{T}.Replay"/>).
    /// </summary>
    public SaveTreatment ReplayedSaves { get; init; } = SaveTreatment.Mark;

    /// <summary>Where the store says what it saved, loaded and passed over; null is silent.</summary>
    public ILogger? Logger { get; init; }

    /// <summary>Where the store's events are raised; null takes the context of the thread that opens the store, if it has one.</summary>
    public SynchronizationContext? EventContext { get; init; }

    /// <summary>The clock; null is the system's.</summary>
    public TimeProvider? Clock { get; init; }
}

/// <summary>What the game says of a save for its own slot list.</summary>
public sealed record SaveLabel
{
    /// <summary>The most characters (UTF-16 code units) that the name of a slot may have.</summary>
    public const int MaxNameLength = 100;

    /// <summary>The title; free text.</summary>
    public string Title { get; init; } = "";

    /// <summary>
    /// What the player calls the slot, in any script. It belongs to the slot, and stays when later saves leave it out; null leaves it as it
    /// is. Line breaks and other control characters become blanks. Quick and automatic saves have no names.
    /// </summary>
    public string? Name { get; init; }

    /// <summary>How long the playthrough has been played.</summary>
    public TimeSpan Played { get; init; }

    /// <summary>Why the save is made; null takes it from the slot: quick, auto, or else manual.</summary>
    public SaveKind? Kind { get; init; }

    /// <summary>A picture of the moment as PNG (ISO/IEC 15948), kept beside the save; empty for none.</summary>
    public ReadOnlyMemory<byte> Thumbnail { get; init; }

    /// <summary>
    /// Makes the <see cref="Thumbnail"/> when the save is written: on another thread if it is written in the background, so it may only use
    /// what it was given, such as pixels that were copied. If it fails, the save has no picture, and its receipt a warning
    /// (<see cref="SaveWarningCode.NoThumbnail"/>). Null for a picture that is there already, or none.
    /// </summary>
    public Func<ReadOnlyMemory<byte>>? DrawThumbnail { get; init; }

    /// <summary>
    /// What else is kept beside the save, by name: a picture in full size ("screenshot.png"), a recording. A name is made of a to z, 0 to 9
    /// and hyphens, and has one extension.
    /// </summary>
    public IReadOnlyDictionary<string, ReadOnlyMemory<byte>> Attachments { get; init; } =
        System.Collections.ObjectModel.ReadOnlyDictionary<string, ReadOnlyMemory<byte>>.Empty;

    /// <summary>A name as it is kept: one line without what would disturb the text around it, and not too long.</summary>
    internal static string NameOf(string typed)
    {
        var name = new System.Text.StringBuilder(typed.Length);
        foreach (var rune in typed.EnumerateRunes())
        {
            if (System.Text.Rune.IsControl(rune) || rune.Value is 0x2028 or 0x2029)
                name.Append(' ');
            // What turns the direction of the text around, such as U+202E, would do so beyond the name.
            else if (rune.Value is not (>= 0x202A and <= 0x202E or >= 0x2066 and <= 0x2069 or 0xFEFF)
                && name.Length + rune.Utf16SequenceLength <= MaxNameLength)
                name.Append(rune);
        }
        return name.ToString().Trim();
    }

    /// <summary>A title made of what there is of these parts, with a dot between.</summary>
    public static string TitleOf(params ReadOnlySpan<string?> parts)
    {
        var title = new System.Text.StringBuilder();
        foreach (var part in parts)
        {
            if (!string.IsNullOrWhiteSpace(part))
                title.Append(title.Length > 0 ? " · " : "").Append(part.Trim());
        }
        return title.ToString();
    }

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

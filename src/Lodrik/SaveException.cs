namespace Lodrik;

/// <summary>
/// Any failure of saving or loading. Everything that bad bytes, a full disk or a wrong call can cause ends in this type
/// or one below it; the message says what happened, where, and what to do about it.
/// </summary>
public class SaveException : Exception
{
    /// <summary>Makes an error of the given code.</summary>
    /// <param name="code">The stable code of what happened.</param>
    /// <param name="problem">What happened, one sentence.</param>
    /// <param name="location">Where it happened, as far as that is known.</param>
    /// <param name="remedy">What to do about it, one sentence, or null if there is nothing to say.</param>
    /// <param name="innerException">What caused it, if anything did.</param>
    public SaveException(
        SaveErrorCode code, string problem, SaveLocation location = default, string? remedy = null, Exception? innerException = null)
        : base(Compose(problem, location, remedy), innerException)
    {
        Code = code;
        Problem = problem;
        Location = location;
        Remedy = remedy;
    }

    /// <summary>The stable code of what happened.</summary>
    public SaveErrorCode Code { get; }

    /// <summary>What happened, without the place.</summary>
    public string Problem { get; }

    /// <summary>Where it happened, as far as that is known.</summary>
    public SaveLocation Location { get; }

    /// <summary>What to do about it, or null if there is nothing to say.</summary>
    public string? Remedy { get; }

    /// <summary>Where the documents explain the error's code, with all its messages: a place in <c>docs/errors.md</c>.</summary>
    public override string? HelpLink
    {
        get => base.HelpLink ?? $"docs/errors.md#{Code.ToString().ToLowerInvariant()}";
        set => base.HelpLink = value;
    }

    private static string Compose(string problem, SaveLocation location, string? remedy)
    {
        var place = location.ToString();
        var message = place.Length == 0 ? problem : $"{problem} ({place})";
        return remedy is null ? message : $"{message} {remedy}";
    }
}

/// <summary>What went wrong, as a number that never changes its meaning.</summary>
public enum SaveErrorCode
{
    /// <summary>The bytes are empty, or belong to another kind of file.</summary>
    NotASave = 101,

    /// <summary>The save was cut off or changed by accident.</summary>
    Damaged = 102,

    /// <summary>The save belongs to another game.</summary>
    WrongGame = 103,

    /// <summary>The file was written in a newer format than this version of Lodrik supports.</summary>
    NewerFormat = 104,

    /// <summary>The save was made by a newer version of the game.</summary>
    NewerVersion = 105,

    /// <summary>The save is older than the game, and no migration step leads up from it.</summary>
    MissingMigration = 106,

    /// <summary>A value in the save is not what the state type expects there.</summary>
    WrongContent = 107,

    /// <summary>A section that was asked for is not in the save.</summary>
    NoSuchSection = 108,

    /// <summary>The bytes ask for more depth or length than the limits allow.</summary>
    LimitExceeded = 109,

    /// <summary>The state matches its types, but the game's own rules refuse it.</summary>
    Invalid = 110,

    /// <summary>The save was changed by hand, and the store does not accept such saves.</summary>
    EditedByHand = 111,

    /// <summary>The save has the game's version but members that the game does not know.</summary>
    OtherShape = 112,

    /// <summary>The live state is nested too deeply to be saved, most often because it refers back to itself.</summary>
    TooDeep = 201,

    /// <summary>An object's type is not the one that its member declares, so part of it would be lost.</summary>
    UndeclaredType = 202,

    /// <summary>Two entities of a scene have the same id, or an entity cannot be saved or restored.</summary>
    SceneConflict = 203,

    /// <summary>A scene was described in a way that cannot work.</summary>
    BadBinding = 204,

    /// <summary>A catalogue has two entries with the same name, or lacks the one that is needed.</summary>
    BadCatalogue = 206,

    /// <summary>A load or a restoration is still under way.</summary>
    NotReady = 205,

    /// <summary>The game's code failed: a hook of its state, or its own storage.</summary>
    ForeignFailure = 207,

    /// <summary>The live state changed while it was being saved: a getter, a hook or another thread changed it.</summary>
    ChangedMeanwhile = 208,

    /// <summary>The name is not a valid slot name.</summary>
    BadSlotName = 301,

    /// <summary>There is no such slot.</summary>
    NoSuchSlot = 302,

    /// <summary>The slot holds another playthrough, and overwriting it was not asked for.</summary>
    SlotTaken = 303,

    /// <summary>The storage refused: no permission, no space, or a path that is not a folder.</summary>
    Storage = 401,

    /// <summary>There is no such checkpoint.</summary>
    NoSuchCheckpoint = 501,

    /// <summary>There is no such scene.</summary>
    NoSuchScene = 502,

    /// <summary>Another process is writing to the store.</summary>
    InUse = 451,

    /// <summary>A migration step could not be carried out.</summary>
    MigrationFailed = 601,

    /// <summary>The chain of migration steps has a gap or is otherwise invalid.</summary>
    BadMigrations = 602,

    /// <summary>The ledger of recorded shapes cannot be read, or does not match the assembly.</summary>
    BadLedger = 603,

    /// <summary>The seal or the signature does not match the save.</summary>
    Tampered = 701,

    /// <summary>The save has no seal or signature, and the store requires one.</summary>
    Unprotected = 702,

    /// <summary>The save is sealed with a key that is not on the key ring, or that does not have the required level.</summary>
    UnknownKey = 703,

    /// <summary>A section is encrypted, and its key was not given.</summary>
    Encrypted = 704,

    /// <summary>The save is a replay, an old one in the place of a newer one, and the store refuses replays.</summary>
    Replayed = 705,

    /// <summary>A layout of transfer codes is invalid.</summary>
    BadCodeLayout = 801,

    /// <summary>The code has a character that is not used in transfer codes.</summary>
    CodeForeignCharacter = 802,

    /// <summary>A transfer code has too few characters.</summary>
    CodeTooShort = 803,

    /// <summary>A transfer code has too many characters.</summary>
    CodeTooLong = 804,

    /// <summary>The check characters of the code do not match: it was mistyped.</summary>
    CodeMistyped = 805,

    /// <summary>The code belongs to another game.</summary>
    CodeOfAnotherGame = 806,

    /// <summary>The code was made by a newer version of the game.</summary>
    CodeOfNewerVersion = 807,

    /// <summary>The code has a version that is no longer accepted.</summary>
    CodeOfOlderVersion = 808,

    /// <summary>A value does not fit the layout, or the code encodes no valid value.</summary>
    CodeOutOfRange = 809,

    /// <summary>The code was not made with the key.</summary>
    CodeForged = 810,
}

/// <summary>Where in the player's saves something happened. Every part may be absent.</summary>
public readonly record struct SaveLocation
{
    /// <summary>The file's path or name.</summary>
    public string? File { get; init; }

    /// <summary>The slot's name.</summary>
    public string? Slot { get; init; }

    /// <summary>The generation's number within the slot.</summary>
    public int? Generation { get; init; }

    /// <summary>The section's name.</summary>
    public string? Section { get; init; }

    /// <summary>The place within the section, as a JSON Pointer (RFC 6901).</summary>
    public string? Path { get; init; }

    /// <summary>The line in a text form, from 1.</summary>
    public int? Line { get; init; }

    /// <summary>The column in a text form, in characters from 1.</summary>
    public int? Column { get; init; }

    /// <summary>This place, with what it leaves open filled in from a wider one.</summary>
    internal SaveLocation Within(SaveLocation wider) => new()
    {
        File = File ?? wider.File,
        Slot = Slot ?? wider.Slot,
        Generation = Generation ?? wider.Generation,
        Section = Section ?? wider.Section,
        Path = Path ?? wider.Path,
        Line = Line ?? wider.Line,
        Column = Column ?? wider.Column,
    };

    /// <summary>The place in words, from the widest to the narrowest; empty when nothing is known.</summary>
    public override string ToString()
    {
        var words = new List<string>(6);
        if (Slot is not null)
            words.Add(Generation is { } generation ? $"slot {Slot}, generation {generation}" : $"slot {Slot}");
        if (File is not null)
            words.Add($"file {File}");
        if (Section is not null)
            words.Add($"section {Section}");
        if (!string.IsNullOrEmpty(Path))
            words.Add($"at {Path}");
        if (Line is { } line)
            words.Add(Column is { } column ? $"line {line}, column {column}" : $"line {line}");
        return string.Join(", ", words);
    }
}

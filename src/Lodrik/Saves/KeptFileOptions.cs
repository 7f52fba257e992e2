namespace Lodrik.Saves;

/// <summary>How an object is kept in a file.</summary>
public sealed class KeptFileOptions
{
    /// <summary>The form of the file; readable ones are laid out for people.</summary>
    public SaveForm Form { get; init; } = SaveForm.Json;

    /// <summary>How long <see cref="KeptFile{T}.SaveSoon"/> waits for more: a second.</summary>
    public TimeSpan Delay { get; init; } = TimeSpan.FromSeconds(1);

    /// <summary>How long it waits at most if more comes all the time: ten seconds.</summary>
    public TimeSpan LongestDelay { get; init; } = TimeSpan.FromSeconds(10);

    /// <summary>The clock that the delays go by.</summary>
    public TimeProvider Time { get; init; } = TimeProvider.System;
}

/// <summary>What happened to a file that an object is kept in.</summary>
public enum KeptFileChange
{
    /// <summary>
    /// It could not be read: damaged, of another game, of a newer version. It was put aside, and the object has its initial values.
    /// </summary>
    Unreadable,

    /// <summary>Another program changed it, and the object has what that wrote.</summary>
    ChangedOutside,

    /// <summary>
    /// Another program changed it while there were unsaved changes here. Those stay, and the other program's file was put aside.
    /// </summary>
    Conflict,

    /// <summary>It could not be written in the background. The next save tries again.</summary>
    NotSaved,
}

/// <summary>Something that happened to a file that an object is kept in.</summary>
/// <param name="Change">What happened.</param>
/// <param name="PutAside">The full path of the file that was put aside; null if none was.</param>
/// <param name="Problem">Why; null if nothing failed.</param>
public sealed record KeptFileNotice(KeptFileChange Change, string? PutAside, SaveException? Problem);

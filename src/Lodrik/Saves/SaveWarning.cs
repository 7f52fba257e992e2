namespace Lodrik;

/// <summary>What a save that is done has to remark, as a number that never changes its meaning.</summary>
public enum SaveWarningCode
{
    /// <summary>A text had half of a character pair, which no form can hold, and has U+FFFD instead.</summary>
    ReplacedText = 1,

    /// <summary>An entity of a scene refers or belongs to an object that no scene knows, and was saved without it.</summary>
    LostReference = 2,

    /// <summary>
    /// Something changed that says of itself that it did not: a section whose <see cref="State.IRevisedState.Revision"/> stayed the same,
    /// or an entry of a <see cref="State.SaveLog{T}"/>. It was saved as it is; with the check off, it would not have been.
    /// </summary>
    UnmarkedChange = 3,

    /// <summary>The picture could not be made (<see cref="SaveLabel.DrawThumbnail"/>), and the save is without one.</summary>
    NoThumbnail = 4,
}

/// <summary>Something that was saved otherwise than it stood.</summary>
/// <param name="Code">The stable code of what happened.</param>
/// <param name="Location">Where it happened.</param>
/// <param name="Message">What happened.</param>
public sealed record SaveWarning(SaveWarningCode Code, SaveLocation Location, string Message)
{
    /// <summary>The warning as a line for a log or a console.</summary>
    public override string ToString() => $"{Message} ({Location})";
}

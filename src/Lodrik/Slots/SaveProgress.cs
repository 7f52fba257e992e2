namespace Lodrik.Slots;

/// <summary>How far a save or a load has got.</summary>
public enum SaveStage
{
    /// <summary>The state is being turned into bytes.</summary>
    Encoding,

    /// <summary>The bytes are being compressed.</summary>
    Compressing,

    /// <summary>The bytes are on their way to the disk.</summary>
    Writing,

    /// <summary>The file is being read.</summary>
    Reading,

    /// <summary>The bytes are being checked and turned into the state.</summary>
    Decoding,

    /// <summary>All is done.</summary>
    Done,
}

/// <summary>How far a save or a load has got.</summary>
/// <param name="Stage">What is being done.</param>
/// <param name="DoneByteCount">How many bytes are done in this stage.</param>
/// <param name="TotalByteCount">How many there are in all; 0 if that is not known yet.</param>
public readonly record struct SaveProgress(SaveStage Stage, long DoneByteCount, long TotalByteCount);

/// <summary>A save that failed.</summary>
/// <param name="Slot">The slot that it was for.</param>
/// <param name="Problem">What went wrong; the slot is as it was.</param>
public sealed record SaveFailure(SlotName Slot, SaveException Problem);

/// <summary>What becomes of saves that are not written yet when a store is closed.</summary>
public enum PendingSaves
{
    /// <summary>They are written first.</summary>
    Finish,

    /// <summary>They are given up; the one that is being written is finished.</summary>
    Cancel,
}

namespace Lodrik.Protection;

/// <summary>Why a save that loaded is taken for an old one that somebody put back.</summary>
/// <param name="Reason">What speaks for it, one sentence.</param>
/// <param name="WriteNumber">The number of the write that made the save; null where it was written before the store counted.</param>
/// <param name="NewestKnown">The number of the newest save known of the slot; null where none is known.</param>
public sealed record ReplayedSave(string Reason, long? WriteNumber, long? NewestKnown);

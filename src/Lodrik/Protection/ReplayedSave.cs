namespace Lodrik.Protection;

/// <summary>Why a save that was loaded counts as a replay: an old one in the place of a newer one.</summary>
/// <param name="Reason">What speaks for it, one sentence.</param>
/// <param name="WriteNumber">The number of the write that made the save; null if it was written before the store counted.</param>
/// <param name="NewestKnown">The number of the newest save known of the slot; null if none is known.</param>
public sealed record ReplayedSave(string Reason, long? WriteNumber, long? NewestKnown);

namespace Lodrik.Slots;

/// <summary>One save in a slot's history.</summary>
/// <param name="Slot">The slot.</param>
/// <param name="Number">The generation's number within the slot.</param>
/// <param name="File">The name of its file within the storage.</param>
/// <param name="ByteCount">Its size.</param>
/// <param name="Header">What it says of itself; null if that cannot be read, or where it was written entirely by hand.</param>
/// <param name="Problem">What is wrong with it; null if nothing is, as far as its header tells.</param>
public sealed record GenerationSummary(SlotName Slot, int Number, string File, long ByteCount, SaveHeader? Header, SaveException? Problem);

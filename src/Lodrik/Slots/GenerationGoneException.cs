using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// A generation was there when the slot was listed, and is gone: another process saved meanwhile and took its oldest away.
/// </summary>
internal sealed class GenerationGoneException(SaveLocation location)
    : StorageException("The file is gone.", location, "List the slots again.");

namespace Lodrik.Saves;

/// <summary>A section as it stands in a save, verified and no longer encrypted, to be put into another save byte for byte.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Bytes">Its bytes, compressed where they were.</param>
/// <param name="Decompressed">Its size once decompressed; 0 where it is not compressed.</param>
internal readonly record struct TakenSection(string Name, ReadOnlyMemory<byte> Bytes, int Decompressed);

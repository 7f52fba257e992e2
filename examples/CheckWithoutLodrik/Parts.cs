namespace CheckWithoutLodrik;

/// <summary>What a seal says.</summary>
internal sealed record Seal(byte[] Frame, IReadOnlyList<(string Name, byte[] Digest)> Sections);

/// <summary>Where the sections of a save stand, and where its seal does, which fits its own signature.</summary>
internal sealed record Parts(IReadOnlyList<(string Name, int Offset, int Length)> Sections, int SealOffset, int SealLength, Seal Seal);

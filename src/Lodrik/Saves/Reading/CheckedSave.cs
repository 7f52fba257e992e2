using System.Security.Cryptography;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Saves.Reading;

/// <summary>A seal that was found to fit its file.</summary>
internal sealed class FittingSeal
{
    private readonly Dictionary<string, byte[]> _digests;
    private readonly bool _isEncrypted;

    public FittingSeal(OpenedSeal seal, bool isEncrypted)
    {
        _isEncrypted = isEncrypted;
        _digests = seal.Content.Sections.ToDictionary(section => section.Name, section => section.Digest, StringComparer.Ordinal);
        KeyId = seal.Key.Id;
        Cipher = seal.Content.Salt is { } salt ? SectionCipher.Of(seal.Key, seal.Making, salt) : null;
    }

    /// <summary>The id of its key.</summary>
    public string KeyId { get; }

    /// <summary>What encrypted sections are decrypted with.</summary>
    public SectionCipher? Cipher { get; }

    /// <summary>Whether a section's bytes are those that were sealed.</summary>
    public bool Fits(string section, ReadOnlySpan<byte> bytes) =>
        CryptographicOperations.FixedTimeEquals(SealContent.DigestOf(bytes, _isEncrypted), _digests[section]);
}

/// <summary>
/// A save that was opened under a protection, or on purpose without one. Only this class makes verified sections, and each is verified,
/// decrypted and decompressed when it is asked for, once.
/// </summary>
internal sealed class CheckedSave : ISectionSource
{
    private readonly FittingSeal? _seal;
    private readonly Dictionary<string, VerifiedSection> _verified = new(StringComparer.Ordinal);

    private CheckedSave(OpenedSave save, SaveHeader? header, FittingSeal? seal) => (Opened, Header, _seal) = (save, header, seal);

    /// <summary>
    /// The save without a look at its seal: sections are held against their checksums only, and encrypted ones cannot be read.
    /// </summary>
    public static CheckedSave WithoutSeal(OpenedSave save) => new(save, save.Header, seal: null);

    /// <summary>
    /// Holds the save against its seal: the frame, and which sections there are in which order, at once; the content of each section before
    /// it is decoded.
    /// </summary>
    /// <param name="save">The save.</param>
    /// <param name="protection">The keys, and whether the save has to be encrypted.</param>
    /// <exception cref="TamperedSaveException">There is no seal, or it does not fit.</exception>
    public static CheckedSave Of(OpenedSave save, SaveProtection protection) =>
        Untrusted.Read(save.Location, () => Check(save, protection));

    private static CheckedSave Check(OpenedSave save, SaveProtection protection)
    {
        if (save.Seal is not { } seal)
        {
            throw new TamperedSaveException(
                SaveErrorCode.Unprotected,
                $"The save has no {(protection.Level == ProtectionLevel.Signature ? "signature" : "seal")}, and one is required.",
                save.Location, "Load an older generation or a copy.");
        }
        var file = save.Bytes.Span;
        var value = save.File.SealValueOf(file, seal) ?? throw Changed(save, "The seal is malformed.");
        var opened = save.File.OpenSeal(file.Slice(value.Offset, value.Length), protection.Keys, save.Location);
        var content = opened.Content;
        if (!content.Sections.Select(section => section.Name).SequenceEqual(save.Sections.Select(section => section.Name)))
            throw Changed(save, "Sections were added, removed, renamed or reordered since the save was sealed.");
        var places = save.Sections.Select(section => (section.Name, section.Slice.Offset, section.Slice.Length)).ToList();
        var frame = SealContent.FrameOf(file, places, value.Offset, value.Length, protection.Context);
        if (!CryptographicOperations.FixedTimeEquals(frame, content.Frame))
            throw Changed(save, "The header or something between the sections was changed since the save was sealed, or the save is "
                + "bound to another context.");
        var isEncrypted = content.Salt is not null && save.Table.All(entry => entry.IsEncrypted);
        if (protection.IsEncrypted != isEncrypted)
        {
            throw new TamperedSaveException(
                SaveErrorCode.Unprotected, protection.IsEncrypted
                    ? "The save is not encrypted, and it is required to be."
                    : "The save is encrypted, and only a seal is expected.",
                save.Location, "Load an older generation or a copy.");
        }
        return new CheckedSave(save, HiddenLabel.Reveal(save.Header, protection.Keys), new FittingSeal(opened, isEncrypted));
    }

    /// <summary>The save as it was opened.</summary>
    public OpenedSave Opened { get; }

    /// <summary>The header, with the title and the summary where they were hidden and the key is at hand.</summary>
    public SaveHeader? Header { get; }

    /// <summary>The id of the key whose seal fits; null if the seal was not looked at.</summary>
    public string? KeyId => _seal?.KeyId;

    public SaveLocation Location => Opened.Location;

    public IReadOnlyList<string> Names => [.. Opened.Sections.Select(section => section.Name)];

    public SectionContent? Find(string name)
    {
        if (_verified.TryGetValue(name, out var known))
            return known;
        if (Opened.Find(name) is not { } section)
            return null;
        var shared = name.EndsWith(SharedTree.Suffix, StringComparison.Ordinal) ? null : Find(name + SharedTree.Suffix);
        var verified = Untrusted.Read(Opened.Location, () => Verify(section, shared));
        _verified.Add(name, verified);
        return verified;
    }

    /// <summary>The one value that a file written entirely by hand consists of.</summary>
    public SectionContent Whole() => new VerifiedSection(Opened, Opened.Whole, Opened.Bytes, Opened.Whole, SectionHealth.Unchecked, null);

    /// <summary>A section as it is in the file, but no longer encrypted, for another file.</summary>
    /// <exception cref="SaveException">It does not match its digest or its seal.</exception>
    public EncodedSection Take(string name)
    {
        var section = Opened.Find(name)!;
        var bytes = Decrypt(section, VerifyBytes(section));
        // What was neither edited nor encrypted was just hashed: its digest is that of the table.
        var digest = section is { Health: SectionHealth.Intact, Entry: { IsEncrypted: false } entry }
            ? entry.Digest
            : SectionDigest.Of(bytes.Span);
        return new EncodedSection(name, bytes, digest, section.Entry?.Decompressed ?? 0);
    }

    private VerifiedSection Verify(OpenedSection section, SectionContent? shared)
    {
        var raw = VerifyBytes(section);
        var bytes = Decompress(section, Decrypt(section, raw));
        // Content that is as it is in the file has its place in the file, which errors name.
        var isInPlace = section.Entry is not { } entry || entry is { IsEncrypted: false, Decompressed: 0 };
        return isInPlace
            ? new VerifiedSection(Opened, section.Slice, Opened.Bytes, section.Slice, section.Health, shared)
            : new VerifiedSection(Opened, section.Slice, bytes, new SectionSlice(section.Name, 0, bytes.Length), section.Health, shared);
    }

    /// <summary>Makes sure that a section's bytes are those that were written, and those that were sealed.</summary>
    private ReadOnlyMemory<byte> VerifyBytes(OpenedSection section)
    {
        if (section.Health == SectionHealth.Damaged)
            throw new DamagedSaveException(
                SaveErrorCode.Damaged, "The section does not match its digest: some of its bytes were changed since it was saved.",
                At(section), "Load an older generation or a copy.");
        if (_seal is not null && !_seal.Fits(section.Name, section.Raw.Span))
        {
            throw section.Health == SectionHealth.Intact
                ? new TamperedSaveException(
                    SaveErrorCode.Tampered, "The section was changed since the save was sealed, and its checksum was made to fit.",
                    At(section), "Load an older generation or a copy.")
                : new DamagedSaveException(
                    SaveErrorCode.Damaged, "The section is not as it was sealed, and its checksum fails as well: it was edited by "
                        + "hand, or damaged.", At(section), "Load an older generation or a copy.");
        }
        return section.Raw;
    }

    private ReadOnlyMemory<byte> Decrypt(OpenedSection section, ReadOnlyMemory<byte> bytes)
    {
        if (Opened.File.IsText || section.Entry is not { IsEncrypted: true })
            return bytes;
        if (_seal?.Cipher is not { } cipher)
            throw new TamperedSaveException(
                SaveErrorCode.Encrypted, "The section is encrypted.", At(section), "Open the save with its key.");
        return cipher.Decrypt(section.Name, bytes.Span)
            ?? throw new TamperedSaveException(
                SaveErrorCode.Tampered, "The section was changed since it was encrypted.", At(section),
                    "Load an older generation or a copy.");
    }

    private ReadOnlyMemory<byte> Decompress(OpenedSection section, ReadOnlyMemory<byte> bytes)
    {
        if (Opened.File.IsText || section.Entry is not { Decompressed: > 0 and var size })
            return bytes;
        try
        {
            Opened.Allowance.Take(size);
            return SectionCompression.Decompress(bytes.Span, size);
        }
        catch (ContentException content)
        {
            throw new DamagedSaveException(content.Code, content.Message, At(section), "Load an older generation or a copy.", content);
        }
    }

    private SaveLocation At(OpenedSection section) => new SaveLocation { Section = section.Name }.Within(Opened.Location);

    private static TamperedSaveException Changed(OpenedSave save, string problem) =>
        new(SaveErrorCode.Tampered, problem, save.Location, "Load an older generation or a copy.");

    /// <summary>
    /// A section whose bytes were checked. There is no other way from a file to a section's content than through this class.
    /// </summary>
    /// <param name="save">The save.</param>
    /// <param name="place">The section in the file.</param>
    /// <param name="bytes">What the content is in: the file, or what a section became when it was decrypted and decompressed.</param>
    /// <param name="slice">Where in it.</param>
    /// <param name="health">How the section compares to what was written.</param>
    /// <param name="shared">The section beside it that holds its shared objects.</param>
    private sealed class VerifiedSection(
        OpenedSave save, SectionSlice place, ReadOnlyMemory<byte> bytes, SectionSlice slice, SectionHealth health, SectionContent? shared)
            : SectionContent
    {
        public override SectionAllowance Allowance { get; } = new(save.Allowance);

        public override string Name => place.Name;

        public override FileForm Form => save.Content;

        public override ReadOnlyMemory<byte> Bytes => bytes.Slice(slice.Offset, slice.Length);

        public override SectionContent? Shared => shared;

        public override bool IsIntact => health == SectionHealth.Intact;

        public override SaveLocation Origin => save.Location;

        public override SaveException Misfit(Exception exception, SectionSlice part, string within) =>
            save.Content.Misfit(exception, bytes, part with { Offset = slice.Offset + part.Offset }, save.Location, within);
    }
}

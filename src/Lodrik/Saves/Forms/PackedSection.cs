using System.Runtime.CompilerServices;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>
/// A section in memory, as packed content, written in this process: what a snapshot consists of, and what a checkpoint keeps.
/// </summary>
/// <param name="name">The section's name.</param>
/// <param name="cbor">Its content.</param>
/// <param name="shared">The section beside it that holds the contents of its shared objects.</param>
/// <param name="origin">What it was made of, for errors.</param>
internal sealed class PackedSection(string name, ReadOnlyMemory<byte> cbor, PackedSection? shared = null, SaveLocation origin = default)
    : SectionContent, IPackedContent
{
    private UInt128? _digest;

    public override string Name => name;

    public override bool IsIntact => true;

    public override FileForm Form => FileForms.Packed;

    public override ReadOnlyMemory<byte> Bytes => cbor;

    public override SectionContent? Shared => shared;

    public override SaveLocation Origin => origin;

    /// <summary>Whether half of a character pair was replaced in some text.</summary>
    public bool HasReplacedText { get; init; }

    /// <summary>What its group has to say of it, a sentence each.</summary>
    public IReadOnlyList<string> Warnings { get; init; } = [];

    /// <summary>The section as it was when it last said that it changed, where it changed since.</summary>
    public PackedSection? UnmarkedSince { get; init; }

    /// <summary>Whether an entry of a log changed after it was added.</summary>
    public bool HasChangedEntry { get; init; }

    /// <summary>Whether the section was kept from an earlier snapshot, or is to be kept for a later one.</summary>
    public bool IsKept { get; init; }

    /// <summary>The digest of the content, computed when it is asked for and then known.</summary>
    public UInt128 Digest => _digest ??= SectionDigest.Of(cbor.Span);

    /// <summary>The section in a readable form as it was written last, for one that is kept from save to save.</summary>
    public FormedSection? Formed { get; set; }

    /// <summary>A section that holds a value.</summary>
    public static PackedSection Of<T, TCodec>(string name, T value, SaveLocation origin = default) where TCodec : IStateCodec<T> =>
        new(name, BinaryEncoding.Of<T, TCodec>(value), null, origin);

    /// <summary>A section that holds what writes itself.</summary>
    public static PackedSection Of<TValue>(string name, TValue value) where TValue : IValueWriter => new(name, BinaryEncoding.Of(value));

    /// <summary>A section of a group.</summary>
    public static PackedSection Of(ISectionGroup group, string name) => new(name, BinaryEncoding.Of(group, name));

    /// <summary>The same section with bytes of its own, which stay valid.</summary>
    public PackedSection Copied() => new(name, cbor.ToArray()) { HasReplacedText = HasReplacedText, Warnings = Warnings, IsKept = true };

    /// <summary>The same section, whose bytes stay valid from now on.</summary>
    public PackedSection Kept() => new(name, cbor) { HasReplacedText = HasReplacedText, Warnings = Warnings, IsKept = true };

    /// <summary>Writes the content as one value: byte for byte where the writer is of the same form.</summary>
    public void WriteTo<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct
    {
        if (typeof(TWriter) == typeof(BinaryStateWriter))
            Unsafe.As<TWriter, BinaryStateWriter>(ref writer).WriteRaw(cbor.Span);
        else
            SaveValueCodec.Write(ref writer, ToTree());
    }

    public override SaveException Misfit(Exception exception, SectionSlice part, string within) =>
        FileForms.Packed.Misfit(exception, cbor, part, origin, within);
}

/// <summary>A section that is kept, in the form of a save.</summary>
/// <param name="Form">The form.</param>
/// <param name="IsIndented">Whether it is laid out for people.</param>
/// <param name="Section">Its bytes.</param>
internal sealed record FormedSection(SaveForm Form, bool IsIndented, EncodedSection Section);

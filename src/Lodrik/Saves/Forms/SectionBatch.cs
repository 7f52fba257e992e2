using Lodrik.Formats;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>A section whose content is packed, and that can be written in any form.</summary>
internal interface IPackedContent
{
    /// <summary>The section's name.</summary>
    string Name { get; }

    /// <summary>Writes the content as one value.</summary>
    void WriteTo<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct;
}

/// <summary>Sections that are being written in one form, one after the other into one buffer.</summary>
/// <param name="most">How many bytes they may take together.</param>
internal sealed class SectionBatch(int most = int.MaxValue) : IDisposable
{
    private readonly List<SectionSlice> _slices = [];

    /// <summary>Everything that was written, with what the form puts between sections.</summary>
    public PooledBuffer Body { get; } = new(16 * 1024, most);

    /// <summary>Whether a readable form is laid out for people.</summary>
    public bool IsIndented { get; private set; }

    /// <summary>What goes along with the section that is being written.</summary>
    public WriteContext Context { get; } = new();

    /// <summary>Where each section is in the buffer.</summary>
    public IReadOnlyList<SectionSlice> Slices => _slices;

    /// <summary>Forgets what was written.</summary>
    public void Begin(bool isIndented)
    {
        IsIndented = isIndented;
        Body.Reset();
        _slices.Clear();
    }

    /// <summary>Notes a section that was written.</summary>
    public void Add(string name, int offset, int length) => _slices.Add(new SectionSlice(name, offset, length));

    /// <summary>A section's bytes. They are valid until the next time that something is written.</summary>
    public ReadOnlyMemory<byte> BytesOf(SectionSlice slice) => Body.WrittenMemory.Slice(slice.Offset, slice.Length);

    public void Dispose() => Body.Dispose();
}

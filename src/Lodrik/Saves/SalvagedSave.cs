using System.Buffers;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;

namespace Lodrik.Inspection;

/// <summary>
/// What is still whole of a damaged save: a file that was cut, overwritten in part, or shifted. Sections are found by what the save's own
/// list says of them, wherever they stand, and taken where they match their digests.
/// </summary>
public sealed class SalvagedSave
{
    private readonly IReadOnlyList<EncodedSection> _sections;

    private SalvagedSave(SalvageFindings found) => (Header, Sections, _sections, IsEncrypted, HasHiddenTitles) =
        (found.Header, found.Sections, found.Contents, found.IsEncrypted, found.HasHiddenTitles);

    /// <summary>What the save says of itself.</summary>
    public SaveHeader Header { get; }

    /// <summary>All sections that the save had, in their order, and what could be done for each.</summary>
    public IReadOnlyList<SalvagedSection> Sections { get; }

    /// <summary>Whether the damaged save's sections are encrypted.</summary>
    public bool IsEncrypted { get; }

    /// <summary>Whether its title and summary are encrypted as well.</summary>
    public bool HasHiddenTitles { get; }

    /// <summary>Whether nothing is missing.</summary>
    public bool IsComplete => Sections.All(section => section.Outcome != SalvageOutcome.Lost);

    /// <summary>Looks for what is whole in a file.</summary>
    /// <inheritdoc cref="FromBytes"/>
    public static SalvagedSave Open(string path, SaveProtection? protection = null) =>
        FromBytes(WholeFile.Read(path), protection, new SaveLocation { File = path });

    /// <summary>Looks for what is whole in the bytes of a save.</summary>
    /// <param name="bytes">The bytes.</param>
    /// <param name="protection">
    /// The keys of a sealed save: then only that is taken for which the seal stands, and the seal itself has to be whole. Null asks for
    /// checksums only.
    /// </param>
    /// <param name="location">What to call the save in errors.</param>
    /// <exception cref="SaveException">
    /// Header, list of sections or seal are lost, so that nothing can be told of the rest; or a key is needed.
    /// </exception>
    public static SalvagedSave FromBytes(ReadOnlyMemory<byte> bytes, SaveProtection? protection = null, SaveLocation location = default)
    {
        protection?.Check();
        var found = Untrusted.Read(location, () => new Salvage(bytes, location).Run(protection));
        return new SalvagedSave(found);
    }

    /// <summary>The new save: what was found, under the header of the damaged one, with its own id.</summary>
    /// <param name="protection">How it is sealed or encrypted; null for not at all.</param>
    public byte[] ToBytes(SaveProtection? protection = null)
    {
        protection?.CheckForWriting();
        var header = Header.ForVersion(Header.Version);
        header.SaveId = Guid.CreateVersion7();
        header.Slot?.ParentId = Header.SaveId;
        using var writer = new SaveWriter();
        return writer.Write(_sections, header, Header.Content, protection).ToArray();
    }
}

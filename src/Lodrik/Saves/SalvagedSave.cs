using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;

namespace Lodrik.Inspection;

/// <summary>What could be done for a section of a damaged save.</summary>
public enum SalvageOutcome
{
    /// <summary>It is as it was written.</summary>
    Intact,

    /// <summary>
    /// It is readable and was changed since it was written, by hand or by damage that leaves it well-formed; it is taken as it stands.
    /// </summary>
    Changed,

    /// <summary>It is not in the new save.</summary>
    Lost,
}

/// <summary>One section of a damaged save.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Outcome">What could be done for it.</param>
/// <param name="Reason">Why it is lost; null where it is not.</param>
public sealed record SalvagedSection(string Name, SalvageOutcome Outcome, string? Reason = null);

/// <summary>
/// What is still whole of a damaged save: a file that was cut, overwritten in part, or shifted. Sections are found by what the save's own
/// list says of them, wherever they stand, and taken where they match their digests.
/// </summary>
public sealed class SalvagedSave
{
    private readonly IReadOnlyList<EncodedSection> _sections;

    internal SalvagedSave(SaveHeader header, IReadOnlyList<SalvagedSection> sections, IReadOnlyList<EncodedSection> taken,
        bool wasEncrypted, bool hidLabel) =>
        (Header, Sections, _sections, IsEncrypted, HasHiddenTitles) = (header, sections, taken, wasEncrypted, hidLabel);

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
        FromBytes(StateFile.ReadAll(path), protection, new SaveLocation { File = path });

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
        return new Salvage(bytes, location).Run(protection);
    }

    /// <summary>The new save: what was found, under the header of the damaged one, with an id of its own.</summary>
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

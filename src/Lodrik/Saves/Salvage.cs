using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>What is whole of a damaged save.</summary>
/// <param name="Header">What the save says of itself.</param>
/// <param name="Sections">All sections that it had, in their order, and what could be done for each.</param>
/// <param name="Contents">Those that are not lost.</param>
/// <param name="IsEncrypted">Whether they were encrypted.</param>
/// <param name="HasHiddenTitles">Whether the title and the summary were encrypted as well.</param>
internal sealed record SalvageFindings(
    SaveHeader Header, IReadOnlyList<SalvagedSection> Sections, IReadOnlyList<EncodedSection> Contents, bool IsEncrypted,
    bool HasHiddenTitles);

/// <summary>
/// Finds the sections of a damaged save. The section table gives each one's size and digest; where a section begins is found by what comes
/// before it in its form, so that bytes which were lost or added elsewhere do not matter.
/// </summary>
internal sealed class Salvage
{
    /// <summary>How many times the file's size may be hashed on the search: more would be a file made to keep us busy.</summary>
    private const int MostPasses = 32;

    /// <summary>The same for looking through it, which takes less; and what is looked through of a small one.</summary>
    private const int MostScans = 256;
    private const long ScannedAtLeast = 1L << 30;

    /// <summary>How far from where it should be a section is found for nothing.</summary>
    private const int Nearby = 4096;

    /// <summary>How many places are tried for a seal.</summary>
    private const int MostSealPlaces = 64;

    private readonly ReadOnlyMemory<byte> _bytes;
    private readonly SaveLocation _location;
    private readonly FileForm _file;
    private readonly FileParts _parts;
    private readonly SaveHeader _header;
    private readonly Dictionary<string, SectionEntry> _entries = new(StringComparer.Ordinal);
    private long _toHash;
    private long _toScan;
    private int _after;

    /// <exception cref="SaveException">The header or the section table is lost.</exception>
    public Salvage(ReadOnlyMemory<byte> bytes, SaveLocation location)
    {
        (_bytes, _location) = (bytes, location);
        _toHash = MostPasses * (bytes.Length + 4096L);
        _toScan = ScannedAtLeast + (MostScans * (long)bytes.Length);
        _file = FileForms.Recognise(bytes.Span, location);
        try
        {
            _parts = _file.FindWhatIsWhole(bytes);
        }
        catch (Exception exception) when (exception is SaveException || FileForm.IsBadContent(exception))
        {
            throw Lost(exception);
        }
        _header = _parts.Header ?? throw Lost(null);
        foreach (var entry in _parts.Table)
            _entries.TryAdd(entry.Name, entry);
    }

    /// <summary>Finds what is whole.</summary>
    /// <param name="protection">The keys of a sealed save; null asks for checksums only.</param>
    /// <exception cref="SaveException">The seal is lost, or a key is needed.</exception>
    public SalvageFindings Run(SaveProtection? protection)
    {
        var seal = protection is null ? null : FindSeal(protection);
        using var cipher = seal?.Content.Salt is { } salt ? SectionCipher.Of(seal.Key, seal.Making, salt) : null;
        if (cipher is null && _parts.Table.Exists(entry => entry.IsEncrypted))
            throw new TamperedSaveException(
                SaveErrorCode.Encrypted, "The sections are encrypted.", _location, "Pass the key to salvage them.");
        var found = NamesOf(seal).Select(name => Find(name, seal, cipher)).ToList();
        LoseWhatIsNotWholeAlone(found);
        var header = protection is null ? _header : HiddenLabel.Reveal(_header, protection.Keys)!;
        return new SalvageFindings(
            header, [.. found.Select(section => section.Report)], [.. found.Select(section => section.Content).OfType<EncodedSection>()],
            cipher is not null, _header.HasHiddenTitles);
    }

    /// <summary>The names of all sections that the save had, as far as anything tells.</summary>
    private IEnumerable<string> NamesOf(OpenedSeal? seal) => _parts.Table.Select(entry => entry.Name)
        .Concat(seal?.Content.Sections.Select(section => section.Name) ?? [])
        .Concat(_parts.Table.Count == 0 ? _parts.Sections.Select(section => section.Name) : [])
        .Distinct(StringComparer.Ordinal);

    /// <summary>Finds one section and makes sure that it is what was written.</summary>
    private Found Find(string name, OpenedSeal? seal, SectionCipher? cipher)
    {
        var entry = _entries.GetValueOrDefault(name);
        var place = entry.Name is null ? null : Search(entry);
        var outcome = place is null && seal is null ? SalvageOutcome.Changed : SalvageOutcome.Intact;
        place ??= _parts.Find(name) is { } walked && (seal is not null || IsWellFormed(walked)) ? walked : null;
        if (place is not { } slice)
            return Found.Lost(name, "No part of the file matches its digest.");
        var content = _bytes.Slice(slice.Offset, slice.Length);
        if (seal is not null && !IsSealed(seal.Content, name, content.Span, cipher is not null))
            return Found.Lost(name, "It was changed since the save was sealed.");
        if (cipher is not null)
        {
            if (cipher.Decrypt(name, content.Span) is not { } plain)
                return Found.Lost(name, "It was changed since it was encrypted.");
            content = plain;
        }
        return new Found(new SalvagedSection(name, outcome), EncodedSection.Of(name, content, entry.Decompressed));
    }

    /// <summary>A section and the one beside it that holds its shared objects are one thing.</summary>
    private static void LoseWhatIsNotWholeAlone(List<Found> sections)
    {
        var lost = sections.Where(section => section.Content is null).Select(section => section.Report.Name)
            .ToHashSet(StringComparer.Ordinal);
        for (var i = 0; i < sections.Count; i++)
        {
            var name = sections[i].Report.Name;
            var other = name.EndsWith(SharedTree.Suffix, StringComparison.Ordinal)
                ? name[..^SharedTree.Suffix.Length]
                : name + SharedTree.Suffix;
            if (sections[i].Content is not null && lost.Contains(other))
                sections[i] = Found.Lost(name, $"It needs {other}, which was lost.");
        }
    }

    private static bool IsSealed(SealContent seal, string name, ReadOnlySpan<byte> content, bool isEncrypted)
    {
        foreach (var section in seal.Sections)
        {
            if (section.Name == name)
                return System.Security.Cryptography.CryptographicOperations.FixedTimeEquals(
                    SealContent.DigestOf(content, isEncrypted), section.Digest);
        }
        return false;
    }

    private bool IsWellFormed(SectionSlice slice)
    {
        try
        {
            FileForms.ContentOf(_file, _parts).Decode(_bytes.Slice(slice.Offset, slice.Length), new Walker());
            return true;
        }
        catch (Exception exception) when (exception is SaveException || FileForm.IsBadContent(exception))
        {
            return false;
        }
    }

    /// <summary>Where the bytes of a section are, by their digest.</summary>
    private SectionSlice? Search(SectionEntry entry)
    {
        if (_parts.Find(entry.Name) is { } walked && Matches(entry, walked.Offset))
            return walked;
        // Sections are in the order of the table: the next one is found right after the last, and only what was moved is looked for.
        return SearchFrom(_after, entry) ?? (_after > 0 && _toScan > 0 ? SearchFrom(0, entry) : null);
    }

    private SectionSlice? SearchFrom(int at, SectionEntry entry)
    {
        var mark = _file.MarkOf(entry);
        // Once too much was looked through, only what is near the section before is found.
        var end = _toScan > 0 ? _bytes.Length : (int)Math.Min(at + (long)entry.Size + Nearby, _bytes.Length);
        while (true)
        {
            var next = _bytes.Span[at..end].IndexOf(mark.Bytes);
            _toScan -= next < 0 ? end - at : next;
            if (next < 0)
                return null;
            at += next + (mark.IsPartOf ? 0 : mark.Bytes.Length);
            var start = mark.MayHaveBlanks ? at + _bytes.Span[at..].IndexOfAnyExcept(" \t\r\n"u8) : at;
            if (Matches(entry, start))
            {
                _after = start + entry.Size;
                return new SectionSlice(entry.Name, start, entry.Size);
            }
            at += mark.IsPartOf ? mark.Bytes.Length : 0;
        }
    }

    private bool Matches(SectionEntry entry, int start)
    {
        if (start < 0 || entry.Size > _bytes.Length - start || (_toHash -= entry.Size + 16) < 0)
            return false;
        return SectionDigest.Of(_bytes.Span.Slice(start, entry.Size)) == entry.Digest;
    }

    /// <summary>The seal, which is the last thing in every form.</summary>
    private OpenedSeal FindSeal(SaveProtection protection)
    {
        TamperedSaveException? problem = null;
        var end = _bytes.Length;
        for (var place = 0; place < MostSealPlaces; place++)
        {
            end = _file.LastSealIn(_bytes.Span[..end]);
            if (end < 0)
                break;
            try
            {
                if (_file.OpenSealAt(_bytes.Span[end..], protection.Keys, _location) is { } seal)
                    return seal;
            }
            catch (TamperedSaveException exception)
            {
                problem ??= exception;
            }
        }
        throw new TamperedSaveException(
            problem?.Code ?? SaveErrorCode.Unprotected, problem?.Problem ?? "The save has no seal, or it is lost.", _location,
            _parts.Table.Exists(entry => entry.IsEncrypted)
                ? "The key of the sections is made from it, so none of them can be read."
                : "Without a key, sections whose checksums match are salvaged.", problem);
    }

    private DamagedSaveException Lost(Exception? cause) => new(
        SaveErrorCode.Damaged, "The header or the section table is damaged, so the sections cannot be located.",
        _location, "Look for an older generation.", cause);

    /// <summary>What was found of a section.</summary>
    /// <param name="Report">What is said of it.</param>
    /// <param name="Content">Its bytes; null if they are lost.</param>
    private readonly record struct Found(SalvagedSection Report, EncodedSection? Content)
    {
        public static Found Lost(string name, string reason) => new(new SalvagedSection(name, SalvageOutcome.Lost, reason), null);
    }

    /// <summary>Reads a value to its end and forgets it.</summary>
    private sealed class Walker : ISectionDecoder
    {
        public void Decode<TReader>(ref TReader reader)
            where TReader : IStateReader, allows ref struct => SaveValueCodec.ReadTree(ref reader);
    }
}

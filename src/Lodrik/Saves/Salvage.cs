using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Xml;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>
/// Finds the sections of a damaged save. The list of sections gives each one's size and digest; where a section begins is found by what stands
/// before it in its form, so that bytes which were lost or added elsewhere do not matter.
/// </summary>
internal sealed class Salvage(ReadOnlyMemory<byte> bytes, SaveLocation location)
{
    /// <summary>How many times the file's size may be hashed on the search: more would be a file made to keep us busy.</summary>
    private const int MostPasses = 32;

    /// <summary>How many places are tried for a seal.</summary>
    private const int MostSealPlaces = 64;

    /// <summary>How a seal of a packed save begins: the tag of a COSE_Mac0 or a COSE_Sign1, and a list of four.</summary>
    private static ReadOnlySpan<byte> Mac0 => [0xD1, 0x84];

    private static ReadOnlySpan<byte> Sign1 => [0xD2, 0x84];

    private readonly Dictionary<string, SectionSlice> _walked = new(StringComparer.Ordinal);
    private SaveForm _form;
    private bool _isPacked;
    private SaveHeader? _header;
    private List<SectionEntry> _entries = [];
    private long _toHash;

    /// <exception cref="SaveException">Header, list or seal are lost.</exception>
    public SalvagedSave Run(SaveProtection? protection)
    {
        _form = FileLayout.Recognise(bytes.Span, location);
        _isPacked = _form == SaveForm.Binary;
        _toHash = MostPasses * (bytes.Length + 4096L);
        if (_isPacked)
            ReadPackedStart();
        else
            Walk();
        var seal = protection is null ? null : FindSeal(protection);
        var cipher = seal?.Content.Salt is { } salt ? SectionCipher.Of(seal.Key, seal.Making, salt) : null;
        using (cipher)
        {
            if (cipher is null && _entries.Exists(entry => entry.IsEncrypted))
                throw new TamperedSaveException(SaveErrorCode.Encrypted, "The sections are encrypted.", location, "They are salvaged with the key only.");
            var hidLabel = _header!.HasHiddenLabel;
            if (protection is not null)
                HiddenLabel.Reveal(_header, protection.Keys);
            return Collect(seal?.Content, cipher, hidLabel);
        }
    }

    private SalvagedSave Collect(SealContent? seal, SectionCipher? cipher, bool hidLabel)
    {
        var (report, taken) = (new List<SalvagedSection>(), new List<TakenSection>());
        var names = _entries.Select(entry => entry.Name).Concat(seal?.Sections.Select(section => section.Name) ?? []).Concat(_entries.Count == 0 ? _walked.Keys : []).Distinct(StringComparer.Ordinal).ToList();
        foreach (var name in names)
        {
            var index = _entries.FindIndex(entry => entry.Name == name);
            var found = index >= 0 && Search(_entries[index]) is { } slice ? slice : (SectionSlice?)null;
            var outcome = found is null && seal is null ? SalvageOutcome.Changed : SalvageOutcome.Intact;
            found ??= !_isPacked && _walked.TryGetValue(name, out var walked) && (seal is not null || IsWellFormed(walked)) ? walked : null;
            if (found is not { } place)
            {
                report.Add(new SalvagedSection(name, SalvageOutcome.Lost, "None of the file's bytes match its digest."));
                continue;
            }
            var content = bytes.Slice(place.Offset, place.Length);
            if (seal is not null && !IsSealed(seal, name, content.Span, cipher is not null))
            {
                report.Add(new SalvagedSection(name, SalvageOutcome.Lost, "It was changed since the save was sealed."));
                continue;
            }
            if (cipher is not null)
            {
                if (cipher.Decrypt(name, content.Span) is not { } plain)
                {
                    report.Add(new SalvagedSection(name, SalvageOutcome.Lost, "It was changed since it was encrypted."));
                    continue;
                }
                content = plain;
            }
            report.Add(new SalvagedSection(name, outcome));
            taken.Add(new TakenSection(name, content, index >= 0 ? _entries[index].Decompressed : 0));
        }
        // A section and the one beside it that holds its shared objects are one thing.
        for (var i = 0; i < report.Count; i++)
        {
            var other = report[i].Name.EndsWith(SharedSection.Suffix, StringComparison.Ordinal) ? report[i].Name[..^SharedSection.Suffix.Length] : report[i].Name + SharedSection.Suffix;
            if (report[i].Outcome == SalvageOutcome.Lost || report.Find(section => section.Name == other) is not { Outcome: SalvageOutcome.Lost })
                continue;
            taken.RemoveAll(section => section.Name == report[i].Name);
            report[i] = new SalvagedSection(report[i].Name, SalvageOutcome.Lost, $"It is not whole without {other}.");
        }
        return new SalvagedSave(_header!, report, taken, cipher is not null, hidLabel);
    }

    private static bool IsSealed(SealContent seal, string name, ReadOnlySpan<byte> content, bool isEncrypted)
    {
        foreach (var section in seal.Sections)
        {
            if (section.Name == name)
                return CryptographicOperations.FixedTimeEquals(SealContent.DigestOf(content, isEncrypted), section.Digest);
        }
        return false;
    }

    /// <summary>The header and the list of a packed save. What of them does not match its digest may still be readable; each section has its own digest.</summary>
    private void ReadPackedStart()
    {
        try
        {
            var reader = new BinaryStateReader(bytes.Span);
            reader.TryReadTag();
            reader.BeginCountedList(clipped: true);
            reader.NextItem();
            reader.ReadInteger(0, SaveHeader.CurrentFormat);
            reader.NextItem();
            reader.ReadBytes();
            reader.NextItem();
            var (offset, length) = reader.ReadBlock();
            var header = new BinaryStateReader(bytes.Span.Slice(offset, length));
            SaveHeader.StateCodec.Read(ref header, ref _header!);
            reader.NextItem();
            (offset, length) = reader.ReadBlock();
            var table = new BinaryStateReader(bytes.Span.Slice(offset, length));
            _entries = SectionTable.ReadPacked(ref table);
            _form = _header.Content;
        }
        catch (ContentException content)
        {
            throw Lost(content);
        }
    }

    /// <summary>The parts of a readable save as far as it is well-formed.</summary>
    private void Walk()
    {
        try
        {
            if (_form == SaveForm.Json)
                WalkJson();
            else
                foreach (var (name, offset, length) in new XmlSlices(bytes).All())
                    _walked.TryAdd(name, new SectionSlice(name, offset, length));
        }
        catch (Exception exception) when (exception is JsonException or ContentException or XmlException or InvalidOperationException)
        {
            // What stands behind this place is found by its digest.
        }
        try
        {
            _header = _walked.Remove(SaveEncoder.HeaderKey, out var header) ? Read(header, new HeaderDecoder()).Header : null;
        }
        catch (SaveException problem)
        {
            throw Lost(problem);
        }
        if (_header is null)
            throw Lost(null);
        try
        {
            if (_walked.Remove(SaveEncoder.ContentsKey, out var contents))
                _entries = Read(contents, new TableDecoder()).Entries;
        }
        catch (SaveException)
        {
            // Without the list, what is well-formed is taken as it stands.
        }
        _walked.Remove(SaveEncoder.SealKey);
    }

    private void WalkJson()
    {
        var mark = bytes.Span.StartsWith(Encoding.UTF8.Preamble) ? Encoding.UTF8.Preamble.Length : 0;
        var reader = new Utf8JsonReader(bytes.Span[mark..], JsonStateReader.Options);
        reader.Read();
        while (reader.Read() && reader.TokenType == JsonTokenType.PropertyName)
        {
            var name = reader.GetString()!;
            reader.Read();
            var offset = mark + (int)reader.TokenStartIndex;
            reader.Skip();
            _walked.TryAdd(name, new SectionSlice(name, offset, mark + (int)reader.BytesConsumed - offset));
        }
    }

    private TDecoder Read<TDecoder>(SectionSlice slice, TDecoder decoder) where TDecoder : ISectionDecoder
    {
        new VerifiedSection(_form, bytes, slice, SectionHealth.Unchecked, location).Decode(decoder);
        return decoder;
    }

    private bool IsWellFormed(SectionSlice slice)
    {
        try
        {
            new VerifiedSection(_form, bytes, slice, SectionHealth.Unchecked, location).ToTree();
            return true;
        }
        catch (SaveException)
        {
            return false;
        }
    }

    /// <summary>Where the bytes of a section stand, by their digest.</summary>
    private SectionSlice? Search(SectionEntry entry)
    {
        if (_walked.TryGetValue(entry.Name, out var walked) && Matches(walked.Offset))
            return walked;
        var (before, isPartOf) = Before(entry);
        for (var at = 0; ;)
        {
            var next = bytes.Span[at..].IndexOf(before);
            if (next < 0)
                return null;
            at += next + (isPartOf ? 0 : before.Length);
            var start = _form == SaveForm.Json && !_isPacked ? at + bytes.Span[at..].IndexOfAnyExcept(" \t\r\n"u8) : at;
            if (Matches(start))
                return new SectionSlice(entry.Name, start, entry.Size);
            at += isPartOf ? before.Length : 0;
        }

        bool Matches(int start)
        {
            if (entry.Size > bytes.Length - start || start < 0 || (_toHash -= entry.Size + 16) < 0)
                return false;
            return SectionDigest.Of(bytes.Span.Slice(start, entry.Size)) == entry.Digest;
        }
    }

    /// <summary>What stands before a section in its form, or, in XML, what it begins with.</summary>
    private (byte[] Bytes, bool IsPartOf) Before(SectionEntry entry)
    {
        if (_isPacked)
        {
            using var head = new PooledBuffer(16);
            new BinaryStateWriter(head).WriteBlockHead(entry.Size);
            return (head.Written.ToArray(), false);
        }
        return _form == SaveForm.Json
            ? (Encoding.UTF8.GetBytes($"\"{JsonEncodedText.Encode(entry.Name, JsonStateWriter.Options(false).Encoder)}\":"), false)
            : (Encoding.UTF8.GetBytes($"<{(XmlWords.IsName(entry.Name) ? entry.Name : XmlWords.Entry)}"), true);
    }

    /// <summary>The seal, which is the last thing in every form.</summary>
    private OpenedSeal FindSeal(SaveProtection protection)
    {
        TamperedSaveException? problem = null;
        var (before, after) = _isPacked ? ("", "") : _form == SaveForm.Json ? ("\"seal\":", "\"") : ("<seal>", "</seal>");
        var end = bytes.Length;
        for (var place = 0; place < MostSealPlaces; place++)
        {
            var file = bytes.Span[..end];
            end = _isPacked ? Math.Max(file.LastIndexOf(Mac0), file.LastIndexOf(Sign1)) : file.LastIndexOf(Encoding.ASCII.GetBytes(before));
            if (end < 0)
                break;
            try
            {
                var seal = bytes.Span[end..];
                if (_isPacked)
                    return SealEnvelope.OpenCose(seal, protection.Keys, location);
                var text = Encoding.ASCII.GetString(seal[before.Length..]).TrimStart(' ', '"');
                var length = text.IndexOf(after, StringComparison.Ordinal);
                if (length >= 0)
                    return SealEnvelope.OpenJws(text[..length], protection.Keys, location);
            }
            catch (TamperedSaveException exception)
            {
                problem ??= exception;
            }
        }
        throw new TamperedSaveException(
            problem?.Code ?? SaveErrorCode.Unprotected, problem?.Problem ?? "The save has no seal, or it is lost.", location,
            _entries.Exists(entry => entry.IsEncrypted) ? "It has what the key of the sections is made with: nothing of them can be read." : "Without a key, what matches its checksum is salvaged.", problem);
    }

    private DamagedSaveException Lost(Exception? cause) => new(
        SaveErrorCode.Damaged, "The beginning of the save is damaged, and with it what the rest is found by.", location, "Look for an older generation.", cause);

    private sealed class HeaderDecoder : ISectionDecoder
    {
        public SaveHeader? Header { get; private set; }

        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            var header = new SaveHeader { Format = 0 };
            SaveHeader.StateCodec.Read(ref reader, ref header);
            Header = header?.Format is > 0 and <= SaveHeader.CurrentFormat ? header : null;
        }
    }

    private sealed class TableDecoder : ISectionDecoder
    {
        public List<SectionEntry> Entries { get; private set; } = [];

        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct => Entries = SectionTable.ReadReadable(ref reader);
    }
}

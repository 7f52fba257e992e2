using System.Security.Cryptography;
using System.Text;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.State;

namespace Lodrik;

/// <summary>How the bytes of a section compare to what was written.</summary>
public enum SectionHealth
{
    /// <summary>They match their digest.</summary>
    Intact,

    /// <summary>They are readable and well-formed, and were changed since: by hand, most likely.</summary>
    EditedByHand,

    /// <summary>There is nothing to hold them against, because the file was written wholly by hand.</summary>
    Unchecked,

    /// <summary>They do not match their digest.</summary>
    Damaged,
}

/// <summary>One section of a save that was opened.</summary>
/// <param name="Name">The section's name.</param>
/// <param name="Bytes">Its size in the file.</param>
/// <param name="Health">How it compares to what was written.</param>
public sealed record SavedSection(string Name, int Bytes, SectionHealth Health);

/// <summary>
/// A save that has been opened to be looked into: its header, its sections and their content, without the game's types. The form
/// is recognised from the bytes, never from the file's name.
/// </summary>
public sealed class SavedFile
{
    private readonly ReadOnlyMemory<byte> _bytes;
    private readonly SaveLocation _location;
    private readonly FileLayout _layout;
    private readonly List<SectionSlice> _slices;
    private readonly Dictionary<string, Func<VerifiedSection>>? _migrated;
    private Dictionary<string, byte[]>? _sealed;
    private SectionCipher? _cipher;

    private SavedFile(ReadOnlyMemory<byte> bytes, SaveLocation location)
    {
        _bytes = bytes;
        _location = location;
        _layout = FileLayout.Read(bytes, location);
        _slices = _layout.Slices;
        HidesLabel = _layout.Header is { HasHiddenLabel: true };
        Sections = _slices.ConvertAll(slice => new SavedSection(slice.Name, slice.Length, HealthOf(slice)));
    }

    /// <summary>A save of which sections were changed since it was read.</summary>
    private SavedFile(SavedFile origin, SaveHeader header, IReadOnlyList<MigratedSection> sections)
    {
        (_bytes, _location, _layout) = (origin._bytes, origin._location, origin._layout.WithHeader(header));
        _migrated = new Dictionary<string, Func<VerifiedSection>>(StringComparer.Ordinal);
        (_slices, var shown) = ([], new List<SavedSection>());
        foreach (var section in sections)
        {
            var (length, verify) = section.Tree is { } tree ? Encode(section.Name, tree) : TakeOver(origin, section);
            _slices.Add(new SectionSlice(section.Name, 0, length));
            _migrated.Add(section.Name, verify);
            shown.Add(new SavedSection(section.Name, length, section.Origin is { } name ? origin.Sections.First(one => one.Name == name).Health : origin.Health));
        }
        Sections = shown;
    }

    /// <summary>The form of the content.</summary>
    public SaveForm Form => _layout.Form;

    /// <summary>Whether sections are compressed.</summary>
    public bool IsCompressed => _layout.Entries.Exists(entry => entry.Decompressed > 0);

    /// <summary>Whether sections are encrypted, so that they are read with the key only.</summary>
    public bool IsEncrypted => _layout.Entries.Exists(entry => entry.IsEncrypted);

    /// <summary>Whether title and summary are encrypted in the file; once its seal was checked, the header shows them.</summary>
    public bool HidesLabel { get; }

    /// <summary>The header; null in a file that was written wholly by hand.</summary>
    public SaveHeader? Header => _layout.Header;

    /// <summary>The file's size in bytes.</summary>
    public int Bytes => _bytes.Length;

    /// <summary>Whether the save has a seal or a signature. Whether that fits is known to those who have the key.</summary>
    public bool HasSeal => _layout.Seal is not null;

    /// <summary>The sections in the order of the file.</summary>
    public IReadOnlyList<SavedSection> Sections { get; }

    /// <summary>The names of sections that the save once had and that are no longer in it; a readable file can lose them by editing.</summary>
    public IReadOnlyList<string> MissingSections =>
        [.. _layout.Entries.Select(entry => entry.Name).Except(Sections.Select(section => section.Name))];

    /// <summary>How the save as a whole compares to what was written: as its worst section.</summary>
    public SectionHealth Health
    {
        get
        {
            if (Sections.Any(section => section.Health == SectionHealth.Damaged))
                return SectionHealth.Damaged;
            if (Header is null)
                return SectionHealth.Unchecked;
            return _layout.ContentsMatch && MissingSections.Count == 0 && Sections.All(section => section.Health == SectionHealth.Intact)
                ? SectionHealth.Intact
                : SectionHealth.EditedByHand;
        }
    }

    /// <summary>Opens a file.</summary>
    /// <exception cref="SaveException">There is no such file, or it is no save, damaged, or of a newer layout.</exception>
    public static SavedFile Open(string path) => new(StateFile.ReadAll(path), new SaveLocation { File = path });

    /// <summary>Opens a save that is in memory.</summary>
    /// <param name="bytes">The whole save. They are not copied.</param>
    /// <param name="location">What to call the save in errors.</param>
    /// <exception cref="SaveException">The bytes are no save, damaged, or of a newer layout.</exception>
    public static SavedFile FromBytes(ReadOnlyMemory<byte> bytes, SaveLocation location = default) => new(bytes, location);

    /// <summary>The content of one section, as a tree.</summary>
    /// <exception cref="SaveException">There is no such section, or it is damaged.</exception>
    public SaveValue ReadSection(string name)
    {
        return Verify(Find(name) ?? throw NoSection(name)).ToTree();
    }

    /// <summary>The content of the whole save as one map from section names to trees.</summary>
    /// <exception cref="SaveException">A section is damaged.</exception>
    public SaveMap ReadTree()
    {
        var tree = new SaveMap();
        foreach (var slice in _slices)
            tree[slice.Name] = ReadSection(slice.Name);
        return tree;
    }

    /// <summary>
    /// The same save in another form, without the game's types: the header (its ids and times included) and every section. A typed
    /// load of the result gives what a typed load of this save gives.
    /// </summary>
    /// <param name="form">The form to write.</param>
    /// <param name="indented">Whether a readable form is laid out for people.</param>
    /// <returns>The bytes of the save in that form.</returns>
    /// <exception cref="SaveException">A section is damaged, or the file was written wholly by hand and has no header to keep.</exception>
    /// <param name="protection">How the result is sealed or encrypted; null for not at all. A save that has a seal has to have been checked by it.</param>
    /// <param name="progress">Is told the part that is done, from 0 to 1; null for nobody.</param>
    public byte[] ToForm(SaveForm form, bool indented = true, SaveProtection? protection = null, IProgress<double>? progress = null)
    {
        if (protection is not null)
            RequireChecked();
        return Encode(Header?.ForVersion(Header.Version), form, indented, SaveCompression.None, protection, progress);
    }

    /// <summary>The same save under another protection, or under none: its header (ids and times included) and every section byte for byte.</summary>
    /// <param name="protection">How the result is sealed or encrypted; null for not at all.</param>
    /// <returns>The bytes of the save: readable where its content is, unless it is compressed or encrypted.</returns>
    /// <exception cref="InvalidOperationException">The save has a seal, and <see cref="CheckSeal"/> has not found it to fit.</exception>
    /// <exception cref="SaveException">A section is damaged, or the file was written wholly by hand and has no header to keep.</exception>
    public byte[] Protect(SaveProtection? protection)
    {
        RequireChecked();
        protection?.CheckForWriting();
        using var encoder = new SaveEncoder();
        var header = RequireHeader();
        encoder.TakeOver(Form, _slices.ConvertAll(Take));
        return encoder.Complete(header.ForVersion(header.Version), protection: protection).ToArray();
    }

    /// <summary>What was edited is not to be sealed as if it were the game's.</summary>
    private void RequireChecked()
    {
        if (HasSeal && _sealed is null && _migrated is null)
            throw new InvalidOperationException("The save has a seal: check it before the save is written under another.");
    }

    /// <summary>This save, which a migration made of another, as the next save of the same slot: in that one's form, with an id of its own.</summary>
    internal byte[] AsSuccessor(SavedFile origin, SaveProtection? protection)
    {
        var header = Header!.ForVersion(Header.Version);
        header.SaveId = Guid.CreateVersion7();
        header.Slot?.ParentId = origin.Header!.SaveId;
        return Encode(header, origin.Form, indented: true, origin.IsCompressed ? SaveCompression.Fast : SaveCompression.None, protection);
    }

    private SaveHeader RequireHeader() => Header ?? throw new SaveContentException(
        SaveErrorCode.WrongContent, "The file was written wholly by hand, and does not say which game it belongs to.", _location, "Load and save it in the game once.");

    private byte[] Encode(SaveHeader? header, SaveForm form, bool indented, SaveCompression compression, SaveProtection? protection, IProgress<double>? progress = null)
    {
        header ??= RequireHeader();
        protection?.CheckForWriting();
        using var encoder = new SaveEncoder();
        // Each section is read when its turn comes: no more than one of them is a tree at a time.
        var done = new SectionProgress(this, progress);
        encoder.Snapshot(new TreeSave(_slices.ConvertAll(slice => (slice.Name, new Func<SaveValue>(() => done.Next(slice.Name, ReadSection(slice.Name)))))), form, indented);
        return encoder.Complete(header, compression, protection: protection).ToArray();
    }

    /// <summary>Whether a section stands in another save byte for byte, and is whole: then nothing in it is different.</summary>
    internal bool HasSameSection(SavedFile other, string name) =>
        _migrated is null && other._migrated is null && Form == other.Form && !IsEncrypted && !other.IsEncrypted && Find(name) is { } mine && other.Find(name) is { } theirs
        && HealthOf(mine) == SectionHealth.Intact && other.HealthOf(theirs) == SectionHealth.Intact && IsCompressed == other.IsCompressed
        && _bytes.Span.Slice(mine.Offset, mine.Length).SequenceEqual(other._bytes.Span.Slice(theirs.Offset, theirs.Length));

    /// <summary>The content of the save as a tree of lines, section by section; a damaged section is named as such.</summary>
    /// <param name="full">Whether long lists are shown to their end.</param>
    /// <exception cref="SaveException">A section is well-formed and cannot be made out.</exception>
    public string Print(bool full = false)
    {
        var outline = new ContentOutline(full: full);
        return string.Concat(Sections.Select(section => section.Health == SectionHealth.Damaged
            ? $"{ContentOutline.Visible(section.Name)}  damaged: it cannot be shown{Environment.NewLine}"
            : outline.Of(section.Name, ReadSection(section.Name)).ToString()));
    }

    /// <summary>
    /// Holds the save against its seal: the frame, and which sections there are in which order, at once; the content of each section before
    /// it is decoded.
    /// </summary>
    /// <param name="protection">The keys, and whether the save has to be encrypted.</param>
    /// <exception cref="TamperedSaveException">There is no seal, or it does not fit.</exception>
    public void CheckSeal(SaveProtection protection)
    {
        ArgumentNullException.ThrowIfNull(protection);
        if (_layout.Seal is not { } seal)
        {
            throw new TamperedSaveException(
                SaveErrorCode.Unprotected, $"The save has no {(protection.Level == ProtectionLevel.Signature ? "signature" : "seal")}, and one is asked for.", _location, "Load an older generation.");
        }
        var file = _bytes.Span;
        var value = SealValue(seal);
        var (content, key, making) = _layout.IsPacked
            ? SealEnvelope.OpenCose(file.Slice(value.Offset, value.Length), protection.Keys, _location)
            : SealEnvelope.OpenJws(Encoding.ASCII.GetString(file.Slice(value.Offset, value.Length)), protection.Keys, _location);
        // The seal fits, so its salt can be relied on, whatever is found of the rest.
        _cipher = content.Salt is null ? null : SectionCipher.Of(key, making, content.Salt);
        var places = _slices.ConvertAll(slice => (slice.Name, slice.Offset, slice.Length));
        var frame = SealContent.FrameOf(file, places, value.Offset, value.Length, protection.Context);
        if (!content.Sections.Select(section => section.Name).SequenceEqual(_slices.Select(slice => slice.Name)))
            throw Changed("Sections were added, taken out, renamed or put in another order since the save was sealed.");
        if (!CryptographicOperations.FixedTimeEquals(frame, content.Frame))
            throw Changed("The header or what stands between the sections was changed since the save was sealed, or it is bound to another context.");
        var isEncrypted = content.Salt is not null && _layout.Entries.TrueForAll(entry => entry.IsEncrypted);
        if (protection.Encrypts != isEncrypted)
            throw new TamperedSaveException(SaveErrorCode.Unprotected, protection.Encrypts ? "The save is not encrypted, and that is asked for." : "The save is encrypted, and only a seal is asked for.", _location, "Load an older generation.");
        _sealed = content.Sections.ToDictionary(section => section.Name, section => section.Digest, StringComparer.Ordinal);
        SealKey = key.Id;
        HiddenLabel.Reveal(Header, protection.Keys);
    }

    /// <summary>The id of the key whose seal was found to fit; null before that.</summary>
    public string? SealKey { get; private set; }

    /// <summary>Lets the sections be decoded whatever the seal says.</summary>
    internal void ForgetSeal() => _sealed = null;

    /// <summary>Where the seal's own value stands: all of its item in a packed save, what is between the quotes or the tags in a readable one.</summary>
    private SectionSlice SealValue(SectionSlice seal)
    {
        if (_layout.IsPacked)
            return seal;
        var (before, after) = Form == SaveForm.Json ? ("\"", "\"") : ("<seal>", "</seal>");
        var raw = _bytes.Span.Slice(seal.Offset, seal.Length);
        if (seal.Length < before.Length + after.Length || !raw.StartsWith(Encoding.ASCII.GetBytes(before)) || !raw.EndsWith(Encoding.ASCII.GetBytes(after)))
            throw Changed("The seal is not written as seals are.");
        return seal with { Offset = seal.Offset + before.Length, Length = seal.Length - before.Length - after.Length };
    }

    private TamperedSaveException Changed(string problem) => new(SaveErrorCode.Tampered, problem, _location, "Load an older generation.");

    /// <summary>Makes sure that a section's bytes are those that were sealed.</summary>
    private void CheckSealed(SectionSlice slice, SectionHealth health)
    {
        if (_sealed is null || CryptographicOperations.FixedTimeEquals(SealContent.DigestOf(_bytes.Span.Slice(slice.Offset, slice.Length), _cipher is not null), _sealed[slice.Name]))
            return;
        var location = new SaveLocation { Section = slice.Name }.Within(_location);
        throw health == SectionHealth.Intact
            ? new TamperedSaveException(SaveErrorCode.Tampered, "The section was changed since the save was sealed, and its checksum was made to fit.", location, "Load an older generation.")
            : new DamagedSaveException(SaveErrorCode.Damaged, "The section is not as it was sealed, and its checksum fails as well: it looks like an edit by hand, or damage.", location, "Load an older generation.");
    }

    /// <summary>What to call the save in errors.</summary>
    internal SaveLocation Location => _location;

    /// <summary>This save in another version, with what has become of its sections. The bytes of those that nobody looked at are shared.</summary>
    internal SavedFile Migrated(int version, IReadOnlyList<MigratedSection> sections) => new(this, Header!.ForVersion(version), sections);

    /// <summary>This save read as if it had another version, with all of its sections as they are.</summary>
    internal SavedFile ReadAs(int version) => Migrated(version, [.. Sections.Select(section => new MigratedSection(section.Name, section.Name, null))]);

    private (int, Func<VerifiedSection>) Encode(string name, SaveValue tree)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        SaveValueCodec.Write(ref writer, tree);
        var cbor = buffer.Written.ToArray();
        return (cbor.Length, () => new VerifiedSection(SaveForm.Binary, cbor, new SectionSlice(name, 0, cbor.Length), SectionHealth.Intact, _location, shared: SharedOf(name)));
    }

    private static (int, Func<VerifiedSection>) TakeOver(SavedFile origin, MigratedSection section)
    {
        var slice = origin.Find(section.Origin!)!.Value;
        return (slice.Length, () => origin.Verify(slice).Renamed(section.Name));
    }

    private VerifiedSection? SharedOf(string name) =>
        !name.EndsWith(SharedSection.Suffix, StringComparison.Ordinal) && Find(name + SharedSection.Suffix) is { } beside ? Verify(beside) : null;

    /// <summary>Holds the save against the game that is to load it.</summary>
    internal void CheckRoot(StateRoot root)
    {
        if (Header is null)
            return;
        if (Header.Game != root.Game)
        {
            throw new SaveMismatchException(
                SaveErrorCode.WrongGame,
                root.IsSaveFile
                    ? $"The save belongs to {GameName(Header.Game)}, not to the game \"{root.Game}\"."
                    : $"The save belongs to {GameName(Header.Game)}; a state type on its own cannot be read from it.",
                _location,
                root.IsSaveFile ? "Check that this is the right file." : "Load it with the game's save root.");
        }
        if (Header.Version > root.Version)
        {
            throw new SaveMismatchException(
                SaveErrorCode.NewerVersion,
                $"The save has version {Header.Version} and this game reads versions up to {root.Version}.",
                _location,
                "Update the game to load it.");
        }
        if (Header.Version < root.Version)
        {
            throw new SaveMismatchException(
                SaveErrorCode.MissingMigration,
                $"The save has version {Header.Version}, the game has version {root.Version}, and there is no migration step from {Header.Version} to {Header.Version + 1}.",
                _location,
                "Nothing was changed.");
        }
    }

    /// <summary>Reads the sections that were asked for into the state.</summary>
    /// <param name="state">The state, which keeps what the sections do not mention.</param>
    /// <param name="wanted">The names of the sections, or null for all.</param>
    /// <param name="decoded">Told the size of each section that was decoded.</param>
    internal void ReadInto<T>(ref T state, IReadOnlyCollection<string>? wanted, Action<int>? decoded = null) where T : IStateRoot<T>
    {
        CheckRoot(T.Root);
        if (Header is not null && !T.Root.IsSaveFile && Find(StateRoot.SingleSection) is null)
            throw NoSection(StateRoot.SingleSection);
        var sections = new SectionReader(this, wanted, bare: Header is null && !T.Root.IsSaveFile, decoded);
        T.ReadSections(ref sections, ref state);
    }

    /// <summary>The size of a section's content, neither compressed nor encrypted.</summary>
    internal long SizeOf(string name) => Find(name) is { } slice ? VerifyBytes(slice) is { Decompressed: > 0 and var size } ? size : VerifyBytes(slice).Place.Length : 0;

    /// <summary>This save with another content of one section: every other section byte for byte, with an id of its own.</summary>
    /// <param name="name">The section.</param>
    /// <param name="content">Its new content.</param>
    /// <param name="protection">How the result is sealed or encrypted; null for not at all.</param>
    /// <returns>The bytes of the save.</returns>
    /// <exception cref="InvalidOperationException">The save has a seal, and <see cref="CheckSeal"/> has not found it to fit.</exception>
    /// <exception cref="SaveException">There is no such section, or another one is damaged.</exception>
    public byte[] WithSection(string name, SaveValue content, SaveProtection? protection = null)
    {
        ArgumentNullException.ThrowIfNull(content);
        RequireChecked();
        protection?.CheckForWriting();
        var header = RequireHeader();
        if (Find(name) is null)
            throw NoSection(name);
        using var encoder = new SaveEncoder();
        encoder.Snapshot(new TreeSave([(name, () => content)]), Form, indented: Form != SaveForm.Binary && _bytes.Span.Contains((byte)'\n'));
        var edited = FromBytes(encoder.Complete(header.ForVersion(header.Version)).ToArray());
        encoder.TakeOver(Form, _slices.ConvertAll(slice => slice.Name == name ? edited.Take(edited.Find(name)!.Value) : Take(slice)));
        header = header.ForVersion(header.Version);
        header.SaveId = Guid.CreateVersion7();
        header.Slot?.ParentId = Header!.SaveId;
        return encoder.Complete(header, protection: protection).ToArray();
    }

    /// <summary>How many bytes there are to decode for these sections; for all where that is null.</summary>
    internal long BytesOf(IReadOnlyCollection<string>? wanted) => _slices.Where(slice => SectionReader.IsAmong(wanted, slice.Name)).Sum(
        slice => _layout.Entries.Find(entry => entry.Name == slice.Name) is { Decompressed: > 0 and var size } ? (long)size : slice.Length);

    internal SectionSlice? Find(string name)
    {
        foreach (var slice in _slices)
        {
            if (slice.Name == name)
                return slice;
        }
        return null;
    }

    internal IEnumerable<SectionSlice> FindGroup(string name) =>
        _slices.Where(slice => slice.Name.Length > name.Length + 1 && slice.Name.StartsWith(name, StringComparison.Ordinal) && slice.Name[name.Length] == '/');

    /// <summary>The one value that a file written wholly by hand consists of.</summary>
    internal VerifiedSection Whole() => new(Form, _bytes, _layout.Whole, SectionHealth.Unchecked, _location);

    /// <summary>Makes sure that a section may be decoded.</summary>
    /// <exception cref="DamagedSaveException">It does not match its digest.</exception>
    internal VerifiedSection Verify(SectionSlice slice)
    {
        if (_migrated is not null)
            return _migrated[slice.Name]();
        var (bytes, place, decompressed, health) = VerifyBytes(slice);
        if (decompressed > 0)
            (bytes, place) = (Decompress(bytes, place, decompressed), new SectionSlice(slice.Name, 0, decompressed));
        return new VerifiedSection(Form, bytes, place, health, _location, shared: SharedOf(slice.Name));
    }

    /// <summary>A section as it stands in the file, for another file.</summary>
    /// <exception cref="SaveException">It does not match its digest or its seal.</exception>
    internal TakenSection Take(SectionSlice slice)
    {
        var (bytes, place, decompressed, _) = VerifyBytes(slice);
        return new TakenSection(slice.Name, bytes.Slice(place.Offset, place.Length), decompressed);
    }

    private (ReadOnlyMemory<byte> Bytes, SectionSlice Place, int Decompressed, SectionHealth Health) VerifyBytes(SectionSlice slice)
    {
        var health = HealthOf(slice);
        if (health == SectionHealth.Damaged)
        {
            throw new DamagedSaveException(
                SaveErrorCode.Damaged,
                "The section does not match its digest: some of its bytes were changed since it was saved.",
                new SaveLocation { Section = slice.Name }.Within(_location),
                "Load an older generation.");
        }
        CheckSealed(slice, health);
        var entry = _layout.IsPacked ? _layout.Entries.Find(one => one.Name == slice.Name) : default;
        var (bytes, place) = entry.IsEncrypted ? Decrypt(slice) : (_bytes, slice);
        return (bytes, place, entry.Decompressed, health);
    }

    private (ReadOnlyMemory<byte>, SectionSlice) Decrypt(SectionSlice slice)
    {
        var location = new SaveLocation { Section = slice.Name }.Within(_location);
        if (_cipher is null)
            throw new TamperedSaveException(SaveErrorCode.Encrypted, "The section is encrypted.", location, "It is read with the key only.");
        var plain = _cipher.Decrypt(slice.Name, _bytes.Span.Slice(slice.Offset, slice.Length))
            ?? throw new TamperedSaveException(SaveErrorCode.Tampered, "The section was changed since it was encrypted.", location, "Load an older generation.");
        return (plain, slice with { Offset = 0, Length = plain.Length });
    }

    private ReadOnlyMemory<byte> Decompress(ReadOnlyMemory<byte> bytes, SectionSlice slice, int size)
    {
        try
        {
            return SectionCompression.Decompress(bytes.Span.Slice(slice.Offset, slice.Length), size);
        }
        catch (ContentException content)
        {
            throw new DamagedSaveException(content.Code, content.Message, new SaveLocation { Section = slice.Name }.Within(_location), "Load an older generation.", content);
        }
    }

    private SectionHealth HealthOf(SectionSlice slice)
    {
        if (Header is null)
            return SectionHealth.Unchecked;
        foreach (var entry in _layout.Entries)
        {
            if (entry.Name != slice.Name)
                continue;
            if (entry.Size == slice.Length && entry.Digest == SectionDigest.Of(_bytes.Span.Slice(slice.Offset, slice.Length)))
                return SectionHealth.Intact;
            break;
        }
        return _layout.IsPacked ? SectionHealth.Damaged : SectionHealth.EditedByHand;
    }

    private SaveContentException NoSection(string name) => new(
        SaveErrorCode.NoSuchSection,
        $"The save has no section \"{name}\".",
        _location,
        _slices.Count == 0 ? "It has no sections at all." : $"It has: {string.Join(", ", Sections.Select(section => section.Name))}.");

    private static string GameName(string game) => game.Length == 0 ? "no game (it is a state type saved on its own)" : $"the game \"{game}\"";
}

using System.Buffers;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.State;

namespace Lodrik.Inspection;

/// <summary>How the bytes of a section compare to what was written.</summary>
public enum SectionHealth
{
    /// <summary>They match their digest.</summary>
    Intact,

    /// <summary>They are readable and well-formed, and were changed since: by hand, most likely.</summary>
    EditedByHand,

    /// <summary>There is nothing to hold them against, because the file was written entirely by hand.</summary>
    Unchecked,

    /// <summary>They do not match their digest.</summary>
    Damaged,
}

/// <summary>One section of a save that was opened.</summary>
/// <param name="Name">The section's name.</param>
/// <param name="ByteCount">Its size in the file.</param>
/// <param name="Health">How it compares to what was written.</param>
public sealed record SavedSection(string Name, long ByteCount, SectionHealth Health);

/// <summary>
/// A save that has been opened to be looked into: its header, its sections and their content, without the game's types. The form
/// is recognised from the bytes, never from the file's name.
/// </summary>
public sealed class SavedFile
{
    private readonly OpenedSave _opened;
    private readonly MigratedSave? _migrated;
    private CheckedSave _checked;
    private IReadOnlyList<SavedSection>? _sections;

    private SavedFile(OpenedSave opened)
    {
        _opened = opened;
        _checked = CheckedSave.WithoutSeal(opened);
        HasHiddenTitles = opened.Header is { HasHiddenTitles: true };
    }

    /// <summary>A save of which sections were changed since it was read.</summary>
    private SavedFile(SavedFile origin, MigratedSave migrated)
    {
        (_opened, _checked, _migrated, HasHiddenTitles) = (origin._opened, origin._checked, migrated, origin.HasHiddenTitles);
        SealKey = origin.SealKey;
    }

    /// <summary>The form of the content.</summary>
    public SaveForm Form => _opened.Content.Form;

    /// <summary>Whether sections are compressed.</summary>
    public bool IsCompressed => _opened.IsCompressed;

    /// <summary>Whether sections are encrypted, so that they are read with the key only.</summary>
    public bool IsEncrypted => _opened.IsEncrypted;

    /// <summary>Whether title and summary are encrypted in the file; once its seal was checked, the header shows them.</summary>
    public bool HasHiddenTitles { get; }

    /// <summary>The header; null in a file that was written entirely by hand.</summary>
    public SaveHeader? Header => _migrated?.Header ?? _checked.Header;

    /// <summary>The file's size in bytes.</summary>
    public long ByteCount => _opened.Bytes.Length;

    /// <summary>Whether the save has a seal or a signature. Whether that fits is known to those who have the key.</summary>
    public bool HasSeal => _opened.HasSeal;

    /// <summary>The sections in the order of the file.</summary>
    public IReadOnlyList<SavedSection> Sections => _sections ??= [.. Source.Names.Select(Describe)];

    /// <summary>
    /// The names of sections that the save once had and that are no longer in it; a readable file can lose them by editing.
    /// </summary>
    public IReadOnlyList<string> MissingSections => _migrated is null ? _opened.MissingSections : [];

    /// <summary>How the save as a whole compares to what was written: as its worst section.</summary>
    public SectionHealth Health => _opened.Health;

    /// <summary>How the header and the list of sections compare to what was written.</summary>
    public SectionHealth HeaderHealth => _opened.HeaderHealth;

    /// <summary>The id of the key whose seal was found to fit; null before that.</summary>
    public string? SealKey { get; private set; }

    /// <summary>The save as it was opened.</summary>
    internal OpenedSave Opened => _opened;

    /// <summary>The sections that may be decoded.</summary>
    internal ISectionSource Source => (ISectionSource?)_migrated ?? _checked;

    /// <summary>What to call the save in errors.</summary>
    internal SaveLocation Location => _opened.Location;

    /// <summary>Opens a file.</summary>
    /// <exception cref="SaveException">There is no such file, or it is not a save, or damaged, or of a newer format.</exception>
    public static SavedFile Open(string path) => FromBytes(WholeFile.Read(path), new SaveLocation { File = path });

    /// <summary>Opens a file.</summary>
    /// <param name="path">The file.</param>
    /// <param name="allowance">The limit on the memory that reading it may use.</param>
    /// <exception cref="SaveException">There is no such file, or it is not a save, or damaged, or of a newer format.</exception>
    public static SavedFile Open(string path, ReadAllowance allowance)
    {
        ArgumentNullException.ThrowIfNull(allowance);
        return FromBytes(WholeFile.Read(path), new SaveLocation { File = path }, allowance);
    }

    /// <summary>Opens a save that is in memory.</summary>
    /// <param name="bytes">The whole save. They are not copied.</param>
    /// <param name="location">What to call the save in errors.</param>
    /// <param name="allowance">The limit on the memory that reading it may use; null for <see cref="ReadAllowance.Default"/>.</param>
    /// <exception cref="SaveException">The bytes are not a save, or damaged, or of a newer format.</exception>
    public static SavedFile FromBytes(
        ReadOnlyMemory<byte> bytes, SaveLocation location = default, ReadAllowance? allowance = null) =>
        new(OpenedSave.Open(bytes, location, allowance));

    /// <summary>The content of one section, as a tree.</summary>
    /// <exception cref="SaveException">There is no such section, or it is damaged.</exception>
    public SaveValue ReadSection(string name) => (Source.Find(name) ?? throw NoSection(name)).ToTree();

    /// <summary>The content of the whole save as one map from section names to trees.</summary>
    /// <exception cref="SaveException">A section is damaged.</exception>
    public SaveMap ReadTree()
    {
        var tree = new SaveMap();
        foreach (var name in Source.Names)
            tree[name] = ReadSection(name);
        return tree;
    }

    /// <summary>
    /// The same save in another form, without the game's types: the header (its ids and times included) and every section. A typed
    /// load of the result gives what a typed load of this save gives.
    /// </summary>
    /// <param name="form">The form to write.</param>
    /// <param name="indented">Whether a readable form is laid out for people.</param>
    /// <returns>The bytes of the save in that form.</returns>
    /// <exception cref="SaveException">A section is damaged, or the file was written by hand and has no header to keep.</exception>
    /// <param name="protection">
    /// How the result is sealed or encrypted; null for not at all. A save that has a seal has to have been checked by it.
    /// </param>
    /// <param name="progress">Is told the part that is done, from 0 to 1; null for nobody.</param>
    public byte[] ToForm(SaveForm form, bool indented = true, SaveProtection? protection = null, IProgress<double>? progress = null)
    {
        if (protection is not null)
            RequireChecked();
        return Encode(
            RequireHeader().ForVersion(RequireHeader().Version), new SaveTerms(form, indented, SaveCompression.None, protection), progress);
    }

    /// <summary>
    /// The same save under another protection, or under none: its header (ids and times included) and every section byte for byte.
    /// </summary>
    /// <param name="protection">How the result is sealed or encrypted; null for not at all.</param>
    /// <returns>The bytes of the save: readable where its content is, unless it is compressed or encrypted.</returns>
    /// <exception cref="InvalidOperationException">The save has a seal, and <see cref="CheckSeal"/> has not found it to fit.</exception>
    /// <exception cref="SaveException">A section is damaged, or the file was written by hand and has no header to keep.</exception>
    public byte[] Protect(SaveProtection? protection)
    {
        RequireChecked();
        protection?.CheckForWriting();
        using var writer = new SaveWriter();
        var header = RequireHeader();
        return writer.Write(_checked.Names.Select(_checked.Take), header.ForVersion(header.Version), Form, protection).ToArray();
    }

    /// <summary>What was edited is not to be sealed as if it were the game's.</summary>
    private void RequireChecked()
    {
        if (HasSeal && _checked.KeyId is null && _migrated is null)
            throw new InvalidOperationException("The save has a seal: check it before the save is written under another.");
    }

    /// <summary>
    /// This save, which a migration made of another, as the next save of the same slot: in that one's form, with its own id.
    /// </summary>
    internal byte[] AsSuccessor(SavedFile origin, SaveProtection? protection)
    {
        var header = Header!.ForVersion(Header.Version);
        header.SaveId = Guid.CreateVersion7();
        header.Slot?.ParentId = origin.Header!.SaveId;
        return Encode(header,
            new SaveTerms(origin.Form, IsIndented: true, origin.IsCompressed ? SaveCompression.Fast : SaveCompression.None, protection));
    }

    private SaveHeader RequireHeader() => Header ?? throw new SaveContentException(
        SaveErrorCode.WrongContent, "The file was written entirely by hand, so it does not say which game it belongs to.",
        Location, "Load and save it in the game once.");

    private byte[] Encode(SaveHeader header, SaveTerms terms, IProgress<double>? progress = null)
    {
        terms.Protection?.CheckForWriting();
        using var writer = new SaveWriter(_opened.Allowance.Room);
        // Each section is read when its turn comes: no more than one of them is a tree at a time.
        var done = ProgressOf(progress);
        var trees = new TreeSave([.. Source.Names.Select(name => (name, new Func<SaveValue>(() => done.Next(name, ReadSection(name)))))]);
        return writer.Write(trees, header, terms).ToArray();
    }

    /// <summary>Tells somebody how far something has got that goes through the sections.</summary>
    internal SectionProgress ProgressOf(IProgress<double>? progress) =>
        new(Sections.ToDictionary(section => section.Name, section => (long)section.ByteCount, StringComparer.Ordinal), progress);

    /// <summary>Whether a section is the same in another save byte for byte, and intact: then nothing in it is different.</summary>
    internal bool HasSameSection(SavedFile other, string name) =>
        _migrated is null && other._migrated is null && _opened.HasSameSection(other._opened, name);

    /// <summary>A character of what is printed is in memory twice, as a piece and as text, with two bytes each.</summary>
    private const int CharactersOfPrint = 4;

    /// <summary>The content of the save as a tree of lines, section by section; a damaged section is named as such.</summary>
    /// <param name="full">Whether long lists are shown to their end.</param>
    /// <exception cref="SaveException">A section is well-formed and cannot be made out.</exception>
    public string Print(bool full = false)
    {
        var outline = new ContentOutline(full: full) { Most = _opened.Allowance.Room / CharactersOfPrint };
        return string.Concat(Sections.Select(section => section.Health == SectionHealth.Damaged
            ? $"{ContentOutline.Visible(section.Name)}  damaged, so it cannot be shown{Environment.NewLine}"
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
        _checked = CheckedSave.Of(_opened, protection);
        SealKey = _checked.KeyId;
    }

    /// <summary>This save with its seal out of account: sections are held against their checksums only.</summary>
    internal SavedFile WithoutSeal() => new(_opened);

    /// <summary>
    /// This save in another version, with what has become of its sections. The bytes of those that nobody looked at are shared.
    /// </summary>
    internal SavedFile Migrated(int version, IReadOnlyList<MigratedSection> sections) =>
        new(this, new MigratedSave(Source, Header!.ForVersion(version), sections));

    /// <summary>This save read as if it had another version, with all of its sections as they are.</summary>
    internal SavedFile ReadAs(int version) => Migrated(version, [.. Source.Names.Select(name => new MigratedSection(name, name, null))]);

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
                Location,
                root.IsSaveFile ? "Check that this is the right file." : "Load it with the game's save root.");
        }
        if (Header.Version > root.Version)
        {
            throw new SaveMismatchException(
                SaveErrorCode.NewerVersion,
                $"The save has version {Header.Version} and this game reads versions up to {root.Version}.",
                Location,
                "Update the game to load it.");
        }
        if (Header.Version < root.Version)
        {
            throw new SaveMismatchException(
                SaveErrorCode.MissingMigration,
                $"The save has version {Header.Version}, the game has version {root.Version}, and there is no migration step from "
                    + $"{Header.Version} to {Header.Version + 1}.",
                Location,
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
        if (Header is not null && !T.Root.IsSaveFile && _opened.Find(StateRoot.SingleSection) is null)
            throw NoSection(StateRoot.SingleSection);
        var whole = Header is null && !T.Root.IsSaveFile ? _checked.Whole() : null;
        // A save of this version with another shape is of a game that was changed without another version, here or in another branch.
        var unknown = NotesUnknown || (Header is { Shape: { } shape } && T.Root.Shape.Length > 0 && shape != T.Root.Shape)
            ? new UnknownMembers()
            : null;
        var sections = new SectionReader(Source, new WantedSections(wanted), whole, decoded, unknown);
        T.ReadSections(ref sections, ref state);
        if (unknown is null)
            return;
        foreach (var name in whole is null && wanted is null ? Source.Names.Where(name => !IsOf(T.Root, name)) : [])
            unknown.AddSection(name, Location with { Section = name });
        UnknownMembers = unknown.Found;
        Found?.Invoke(unknown.Found);
    }

    /// <summary>Whether reading notes what is not known, and not only where the save's shape is another than the game's.</summary>
    internal bool NotesUnknown { get; set; }

    /// <summary>Told what was not known while the save was read; it may refuse that.</summary>
    internal Action<IReadOnlyList<UnknownMember>>? Found { get; set; }

    /// <summary>What was not known when the save was read last, as far as that was looked at.</summary>
    internal IReadOnlyList<UnknownMember> UnknownMembers { get; private set; } = [];

    private static bool IsOf(StateRoot root, string section) => section.EndsWith(SharedTree.Suffix, StringComparison.Ordinal)
        || root.Sections.Any(known => known == section || (known.EndsWith('/') && section.StartsWith(known, StringComparison.Ordinal)));

    /// <summary>The size of a section's content, neither compressed nor encrypted.</summary>
    internal long SizeOf(string name) => Source.Find(name)?.Bytes.Length ?? 0;

    /// <summary>
    /// A copy of this save, with its own id, in which one section has new content. All other sections stay the same, byte for byte.
    /// </summary>
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
        var header = RequireHeader().ForVersion(RequireHeader().Version);
        if (_opened.Find(name) is null)
            throw NoSection(name);
        using var batch = new SectionBatch();
        batch.Begin(isIndented: _opened.Content.IsText && _opened.Bytes.Span.Contains((byte)'\n'));
        _opened.Content.Write(new TreeSave([(name, () => content)]), batch);
        var bytes = batch.BytesOf(batch.Slices[0]);
        var edited = EncodedSection.Of(name, bytes);
        header.SaveId = Guid.CreateVersion7();
        header.Slot?.ParentId = Header!.SaveId;
        using var writer = new SaveWriter();
        return writer.Write(_checked.Names.Select(one => one == name ? edited : _checked.Take(one)), header, Form, protection).ToArray();
    }

    /// <summary>How many bytes there are to decode for these sections; for all where that is null.</summary>
    internal long BytesOf(IReadOnlyCollection<string>? wanted)
    {
        var sections = new WantedSections(wanted);
        return _opened.Sections.Where(section => sections.Has(section.Name)).Sum(section => section.ContentByteCount);
    }

    private SavedSection Describe(string name)
    {
        if (_migrated is null)
            return new SavedSection(name, _opened.Find(name)!.Slice.Length, _opened.Find(name)!.Health);
        return _migrated.OriginOf(name) is { } former && _opened.Find(former) is { } origin
            ? new SavedSection(name, origin.Slice.Length, origin.Health)
            : new SavedSection(name, _migrated.Find(name)!.Bytes.Length, _opened.Health);
    }

    private SaveContentException NoSection(string name) => new(
        SaveErrorCode.NoSuchSection,
        $"The save has no section \"{name}\".",
        Location,
        Source.Names.Count == 0 ? "It has no sections at all." : $"It has: {string.Join(", ", Source.Names)}.");

    private static string GameName(string game) =>
        game.Length == 0 ? "no game (it is a state type saved on its own)" : $"the game \"{game}\"";
}

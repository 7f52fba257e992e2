using System.Buffers;
using System.Xml;
using System.Xml.Linq;
using Lodrik.Inspection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik.Migrations;

/// <summary>
/// How saves of older versions become saves of the game's version: a chain of steps, each from one version to the next. It is given to the
/// store once (<see cref="SaveStoreOptions.Migrations"/>). A file is never changed by it: what is migrated is what was read.
/// </summary>
/// <remarks>
/// A step looks at the sections that its operations name, and no other is decoded for it; a chain decodes and encodes each of them once,
/// however many steps it has. A failure anywhere in the chain fails the load, and the error names the step.
/// </remarks>
public sealed class MigrationChain
{
    /// <summary>The most that an XML file of another layout may be nested.</summary>
    private const int MaxXmlDepth = 200;

    private readonly List<MigrationStep> _steps = [];
    private readonly string _scenes;
    private readonly string _session;
    private Func<ReadOnlyMemory<byte>, SaveMap?>? _import;

    /// <summary>Begins a chain.</summary>
    /// <param name="scenes">The key of the save root's member for scenes.</param>
    /// <param name="session">The key of the save root's member for the session.</param>
    public MigrationChain(string scenes = "scenes", string session = "session")
    {
        ArgumentException.ThrowIfNullOrEmpty(scenes);
        ArgumentException.ThrowIfNullOrEmpty(session);
        (_scenes, _session) = (scenes, session);
    }

    /// <summary>The steps in the order in which they were added.</summary>
    public IReadOnlyList<MigrationStep> Steps => _steps;

    /// <summary>Whether there is a way in for files that Lodrik did not write.</summary>
    public bool Imports => _import is not null;

    /// <summary>Adds the step that leads up from a version to the next.</summary>
    /// <param name="version">The version that it leads up from; 0 for imported files.</param>
    /// <param name="describe">Names the step's operations.</param>
    /// <exception cref="ArgumentException">An operation is described in a way that cannot work.</exception>
    public MigrationChain From(int version, Action<MigrationStep> describe)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(version);
        ArgumentNullException.ThrowIfNull(describe);
        var step = new MigrationStep(version, _scenes, _session);
        describe(step);
        _steps.Add(step);
        return this;
    }

    /// <summary>Takes JSON files of any layout as version 0: each member of the file's object is a section.</summary>
    public MigrationChain ImportJson() => Import(bytes => ReadJson(bytes) as SaveMap ?? throw new SaveContentException(
        SaveErrorCode.WrongContent, "The JSON file has no object whose members could become the sections.",
        remedy: "Import it with a function of the game."));

    /// <summary>
    /// Takes XML files of any layout as version 0. An element is a map of its attributes and the elements in it, or its text where it has
    /// neither; elements of one name are a list, and a single one is not (see <see cref="MigrationScope{TSelf}.WrapInList"/>). Text beside
    /// elements or attributes is under <c>#text</c>. All values are texts. What is in the root element is the sections.
    /// </summary>
    public MigrationChain ImportXml() => Import(bytes => ReadXml(bytes) as SaveMap ?? throw new SaveContentException(
        SaveErrorCode.WrongContent, "The XML file's root has no elements that could become the sections.",
        remedy: "Import it with a function of the game."));

    /// <summary>Takes files of any kind as version 0.</summary>
    /// <param name="read">Gets the bytes of the file and gives its sections as trees; null for a file that is not the game's.</param>
    /// <exception cref="InvalidOperationException">There is an import already.</exception>
    public MigrationChain Import(Func<ReadOnlyMemory<byte>, SaveMap?> read)
    {
        ArgumentNullException.ThrowIfNull(read);
        if (_import is not null)
            throw new InvalidOperationException("The chain already has an import. Let one function handle all files.");
        _import = read;
        return this;
    }

    /// <summary>What is wrong with the chain for a game of a version; nothing if it is sound.</summary>
    /// <param name="version">The game's save version.</param>
    public IReadOnlyList<string> ProblemsFor(int version)
    {
        var problems = new List<string>();
        foreach (var twice in _steps.GroupBy(step => step.From).Where(steps => steps.Count() > 1))
            problems.Add($"There are {twice.Count()} steps from {twice.Key} to {twice.Key + 1}.");
        for (var i = 1; i < _steps.Count; i++)
        {
            if (_steps[i].From < _steps[i - 1].From)
                problems.Add($"The step from {_steps[i].From} comes after the step from {_steps[i - 1].From}.");
        }
        if (_steps.Count > 0)
        {
            var (first, last) = (_steps.Min(step => step.From), _steps.Max(step => step.To));
            problems.AddRange(Enumerable.Range(first, last - first).Except(_steps.Select(step => step.From))
                .Select(missing => $"The step from {missing} to {missing + 1} is missing."));
            if (last < version)
                problems.Add($"The chain ends at version {last}, but the game has version {version}.");
            if (last > version)
                problems.Add($"The chain leads up to version {last}, but the game has version {version}.");
        }
        if (Imports && !_steps.Exists(step => step.From == 0))
            problems.Add("Files are imported as version 0, but there is no step from 0 to 1.");
        if (!Imports && _steps.Exists(step => step.From == 0))
            problems.Add("There is a step from 0 to 1, but no import produces version 0.");
        return problems;
    }

    /// <summary>
    /// Compares the steps with the shapes of the saves. Lists operations that name something no save of their version has, and changes
    /// between two versions that lose data without an operation that handles them.
    /// </summary>
    /// <param name="shapes">The recorded shapes in the order of their versions, followed by today's.</param>
    public IReadOnlyList<string> ProblemsFor(IReadOnlyList<SaveShape> shapes)
    {
        ArgumentNullException.ThrowIfNull(shapes);
        return [.. StepCheck.Problems(_steps, shapes)];
    }

    /// <summary>Whether a save of an older version can be brought up.</summary>
    internal bool LeadsUpFrom(int version) => _steps.Exists(step => step.From == version);

    /// <summary>The whole chain, one line for each operation, as <c>3 → 4: /warden/hp becomes /warden/health</c>.</summary>
    public override string ToString() => string.Join(Environment.NewLine, _steps.SelectMany(step => step.Lines));

    /// <summary>Reads a file into a new object, migrating it if it is of an older version. The file stays as it is.</summary>
    /// <exception cref="StorageException">There is no such file, or it cannot be read.</exception>
    /// <exception cref="SaveException">The file is damaged or of another game, a step failed, or the content does not fit.</exception>
    public T Read<T>(string path) where T : IStateRoot<T> => Decode<T>(SavedFile.Open(path));

    /// <summary>
    /// Reads a file into a new object and migrates it if it has an older version. If there is no file, returns a new object with its
    /// initial values. The file is not changed.
    /// </summary>
    /// <exception cref="SaveException">
    /// There is a file, and it cannot be read, or is damaged or of another game, a step failed, or the content does not fit.
    /// </exception>
    public T ReadOrNew<T>(string path) where T : IStateRoot<T> => StateFile.ReadOrNew(path, Decode<T>);

    /// <summary>
    /// Reads a file into a new object and migrates it if it has an older version. If the file is missing or damaged, returns a new object
    /// with its initial values. The file is not changed.
    /// </summary>
    /// <param name="path">The file.</param>
    /// <param name="problem">Why the file could not be read; null if it was read or does not exist.</param>
    /// <exception cref="StorageException">The file exists, but the system does not allow reading it.</exception>
    public T ReadOrNew<T>(string path, out SaveException? problem) where T : IStateRoot<T> =>
        StateFile.ReadOrNew(path, Decode<T>, out problem);

    /// <summary>
    /// Keeps an object in a file as <see cref="StateFile.Keep{T}"/> does, and migrates the file if it has an older version. It changes with
    /// the first save.
    /// </summary>
    /// <param name="path">The file. Its folder is created when it is first saved.</param>
    /// <param name="options">The form and delays; null for the defaults.</param>
    /// <exception cref="StorageException">The file exists and the system does not allow reading it; or it is kept already.</exception>
    public KeptFile<T> Keep<T>(string path, KeptFileOptions? options = null) where T : class, IStateRoot<T> =>
        new(path, options ?? new KeptFileOptions(), Decode<T>);

    /// <summary>Reads the bytes of a save into a new object, migrating it if it is of an older version.</summary>
    /// <exception cref="SaveException">The save is damaged or of another game, a step failed, or the content does not fit.</exception>
    public T FromBytes<T>(ReadOnlyMemory<byte> bytes) where T : IStateRoot<T> => Decode<T>(SavedFile.FromBytes(bytes));

    /// <summary>Reads a file that Lodrik did not write, by the way in that the chain has for such files, as version 0.</summary>
    /// <exception cref="StorageException">There is no such file, or it cannot be read.</exception>
    /// <exception cref="SaveException">It is not the game's, a step failed, or what comes of it does not fit.</exception>
    public T Import<T>(string path) where T : IStateRoot<T>
    {
        Check(T.Root);
        return WholeState.Decode<T>(ImportFile(WholeFile.Read(path), T.Root.Game, T.Root.Version, new SaveLocation { File = path }));
    }

    /// <summary>The save as it is in a later version. The one that is given stays as it is.</summary>
    /// <param name="file">A save that was opened.</param>
    /// <param name="version">The version to bring it to; null takes the chain's last.</param>
    /// <exception cref="MigrationException">There is no such way, or a step failed; the error names it.</exception>
    /// <exception cref="SaveException">A section that a step looks at is damaged.</exception>
    public SavedFile Migrate(SavedFile file, int? version = null)
    {
        ArgumentNullException.ThrowIfNull(file);
        if (file.Header is not { } header)
            throw new MigrationException(
                SaveErrorCode.MigrationFailed, "The file was written entirely by hand, so it does not say which version it has.",
                file.Location, "Import it, or load and save it in the game once.");
        var target = version ?? (_steps.Count == 0 ? header.Version : _steps.Max(step => step.To));
        if (header.Version == target)
            return file;
        if (header.Version > target)
            throw new SaveMismatchException(SaveErrorCode.NewerVersion,
                $"The save has version {header.Version}, which is newer than {target}.", file.Location,
                "Migrations only lead to newer versions.");
        var sections = new FileSections(file);
        Apply(sections, Way(header.Version, target, file.Location), file.Location);
        return file.Migrated(target, sections.Sections);
    }

    /// <summary>Reads a file that Lodrik did not write, and gives it as a save of a later version.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="game">The game's id.</param>
    /// <param name="version">The version to bring it to.</param>
    /// <param name="location">What to call the file in errors.</param>
    /// <exception cref="SaveException">It cannot be read, or is not the game's, or a step failed.</exception>
    public SavedFile ImportFile(ReadOnlyMemory<byte> bytes, string game, int version, SaveLocation location = default)
    {
        var sections = Read(bytes, location);
        Apply(new MapSections(sections), Way(0, version, location), location);
        using var writer = new SaveWriter();
        var header = new SaveHeader { Game = game, Version = version, SaveId = Guid.CreateVersion7(), Saved = DateTimeOffset.UtcNow };
        return SavedFile.FromBytes(writer.Write(TreeSave.Of(sections), header, new SaveTerms(SaveForm.Binary)).ToArray(), location);
    }

    /// <summary>Holds the chain against the game that it is for.</summary>
    /// <exception cref="MigrationException">It has gaps, steps twice or out of order, or does not lead to the game's version.</exception>
    internal void Check(StateRoot root)
    {
        if (ProblemsFor(root.Version) is { Count: > 0 } problems)
            throw new MigrationException(
                SaveErrorCode.BadMigrations, $"The migrations of \"{root.Game}\" are invalid. {string.Join(" ", problems)}",
                remedy: "Fix the chain. No save was touched.");
    }

    private T Decode<T>(SavedFile file) where T : IStateRoot<T>
    {
        Check(T.Root);
        return WholeState.Decode<T>(file.Header is { } header && header.Game == T.Root.Game && header.Version < T.Root.Version
            ? Migrate(file, T.Root.Version)
            : file);
    }

    private IEnumerable<MigrationStep> Way(int from, int to, SaveLocation location)
    {
        var way = new List<MigrationStep>();
        for (var version = from; version < to; version++)
        {
            way.Add(_steps.Find(step => step.From == version) ?? throw new SaveMismatchException(
                SaveErrorCode.MissingMigration,
                $"The save has version {from}, the game has version {to}, and there is no migration step from {version} to {version + 1}.",
                location, "Nothing was changed."));
        }
        return way;
    }

    private void Apply(SectionStore sections, IEnumerable<MigrationStep> steps, SaveLocation location)
    {
        List<SectionStore> saves = [sections, .. CheckpointsIn(sections)];
        foreach (var step in steps)
        {
            foreach (var save in saves)
                Apply(save, step, location);
        }
        foreach (var save in saves)
        {
            if (save.Names.FirstOrDefault(name => name.Length == 0 || FileWords.IsReserved(name)) is { } reserved)
                throw new MigrationException(
                    SaveErrorCode.MigrationFailed,
                    $"After the last step there is a section \"{reserved}\", which is a reserved word of the file.",
                    location, "Rename, move or remove it in a step.");
        }
    }

    private void Apply(SectionStore sections, MigrationStep step, SaveLocation location)
    {
        var root = new SaveRoot(sections, [_scenes, _session]);
        foreach (var operation in step.Operations)
        {
            try
            {
                operation.Apply(root);
            }
            catch (OperationException problem)
            {
                throw new MigrationException(
                    SaveErrorCode.MigrationFailed,
                    $"The step {step.From} → {step.To} failed at \"{string.Join("; ", operation.Describe("").Take(3))}\": "
                        + $"{problem.Message}",
                    problem.Location.Within(location), problem.Remedy ?? "The file is as it was.", problem.InnerException, step.From);
            }
        }
    }

    /// <summary>The saves within a save: a checkpoint has all of its sections.</summary>
    private static IEnumerable<SectionStore> CheckpointsIn(SectionStore sections)
    {
        foreach (var name in sections.Names.Where(CheckpointShape.IsName).ToList())
        {
            if (CheckpointShape.SectionsOf(sections.Read(name)) is { } within)
                yield return new MapSections(within, name, $"/{CheckpointShape.Sections}");
        }
    }

    private SaveMap Read(ReadOnlyMemory<byte> bytes, SaveLocation location)
    {
        if (_import is null)
            throw new MigrationException(
                SaveErrorCode.MigrationFailed, "The file is not a save, and the chain has no import for other files.",
                location, "Add one with Import, ImportJson or ImportXml.");
        try
        {
            return _import(bytes)
                ?? throw new MigrationException(SaveErrorCode.NotASave, "The game's import does not recognise the file.",
                location, "Check that this is the right file.");
        }
        catch (SaveException problem) when (problem.Location.File is null && location != default)
        {
            throw new MigrationException(problem.Code, problem.Problem, problem.Location.Within(location), problem.Remedy, problem);
        }
        catch (Exception exception) when (exception is not (SaveException or OutOfMemoryException))
        {
            throw new MigrationException(SaveErrorCode.NotASave, $"The file could not be imported: {exception.Message}",
                location, "Check that this is the right file.", exception);
        }
    }

    private static SaveValue ReadJson(ReadOnlyMemory<byte> bytes) => FileForms.Of(SaveForm.Json).ReadForeign(bytes);

    private static SaveValue ReadXml(ReadOnlyMemory<byte> bytes)
    {
        // A document that is nested without end takes time that grows with the square of its depth, so the depth is looked at first.
        using (var depth = Open(bytes))
        {
            while (depth.Read())
            {
                if (depth.Depth > MaxXmlDepth)
                    throw new SaveContentException(SaveErrorCode.LimitExceeded, $"The XML file is nested more than {MaxXmlDepth} deep.");
            }
        }
        using var reader = Open(bytes);
        return ToTree(XDocument.Load(reader).Root!);

        static XmlReader Open(ReadOnlyMemory<byte> bytes) =>
            XmlReader.Create(
                new MemoryStream(bytes.ToArray()), new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, XmlResolver = null });
    }

    private static SaveValue ToTree(XElement element)
    {
        if (!element.HasElements && !element.Attributes().Any(attribute => !attribute.IsNamespaceDeclaration))
            return element.Value;
        var map = new SaveMap();
        foreach (var attribute in element.Attributes().Where(attribute => !attribute.IsNamespaceDeclaration))
            AddXml(map, attribute.Name.LocalName, attribute.Value);
        foreach (var child in element.Elements())
            AddXml(map, child.Name.LocalName, ToTree(child));
        var text = string.Concat(element.Nodes().OfType<XText>().Select(node => node.Value)).Trim();
        if (text.Length > 0)
            AddXml(map, "#text", text);
        return map;
    }

    /// <summary>What comes under one name more than once becomes a list.</summary>
    private static void AddXml(SaveMap map, string name, SaveValue value)
    {
        if (map.TryAdd(name, value))
            return;
        // Children are never lists themselves, so a list here is one that was made here.
        if (map[name] is SaveList list)
            list.Add(value);
        else
            map[name] = new SaveList { map[name], value };
    }
}

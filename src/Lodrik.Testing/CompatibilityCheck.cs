using System.Buffers;
using Lodrik.Formats;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik.Testing;

/// <summary>
/// What is to be proven: for each recorded version, made-up saves of its shape go through the migrations, lose nothing, load with today's
/// types, keep every value that no step changes, and are the same after being saved and loaded again.
/// </summary>
/// <typeparam name="T">The game's save root.</typeparam>
public sealed class CompatibilityCheck<T> where T : class, IStateRoot<T>
{
    private static readonly SaveForm[] Forms = [SaveForm.Json, SaveForm.Xml, SaveForm.Binary];

    private readonly string _from;
    private readonly Ledger _ledger;
    private readonly MigrationChain? _migrations;
    private readonly List<string> _samples = [];
    private readonly Dictionary<string, IReadOnlyList<string>> _names = new(StringComparer.Ordinal);
    private readonly Dictionary<string, Func<SessionArchive, byte[]>> _sections = new(StringComparer.Ordinal);
    private readonly List<MigrationPath> _changed = [];
    private SceneTypes? _scenes;
    private int _count = 200;
    private int _seed = 1;

    internal CompatibilityCheck(string ledger, MigrationChain? migrations, string from)
    {
        _from = from;
        _ledger = Ledger.Open(Path.Combine(from, ledger));
        _migrations = migrations;
    }

    /// <summary>Gives the bindings of the game's scenes, so that the parts of entities are loaded as what they are.</summary>
    public CompatibilityCheck<T> WithScenes<TScene>(SceneBindings<TScene> bindings)
    {
        ArgumentNullException.ThrowIfNull(bindings);
        _scenes = bindings.Types;
        return this;
    }

    /// <summary>Gives a declared scene of the game, so that the parts of its entities are loaded as what they are.</summary>
    public CompatibilityCheck<T> WithScenes<TScene>() where TScene : ISceneType<TScene> => WithScenes(TScene.MakeBindings());

    /// <summary>Gives the type of a section that a part of the game keeps beside the save root.</summary>
    public CompatibilityCheck<T> WithSection<TState>(string name) where TState : IStateType<TState>
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        _sections[name] = archive => StateFile.ToBytes(archive.Get<TState>(name)!, SaveForm.Binary);
        return this;
    }

    /// <summary>Gives the names of a catalogue that saves have; one that today's assembly has is found by itself.</summary>
    /// <param name="source">The full name of the catalogue's source as the ledger has it.</param>
    /// <param name="names">Its names.</param>
    public CompatibilityCheck<T> WithNames(string source, params IReadOnlyList<string> names)
    {
        ArgumentException.ThrowIfNullOrEmpty(source);
        ArgumentNullException.ThrowIfNull(names);
        _names[source] = names;
        return this;
    }

    /// <summary>Loads the files of a folder as well, with those in folders within: saves of old versions that were kept.</summary>
    /// <param name="folder">The folder; a relative one is looked for from the file of the calling code.</param>
    public CompatibilityCheck<T> WithSamples(string folder)
    {
        ArgumentException.ThrowIfNullOrEmpty(folder);
        _samples.Add(Path.Combine(_from, folder));
        return this;
    }

    /// <summary>
    /// Names the values that the game's own code changes when it loads them: a setter that keeps a number in range, a constructor,
    /// <see cref="IAfterLoading"/>. Any other value that changes when it is loaded is an error.
    /// </summary>
    /// <param name="paths">Where, as JSON Pointers (RFC 6901) from the section on, in which <c>*</c> stands for each entry or item.</param>
    public CompatibilityCheck<T> WithChanged(params IReadOnlyList<string> paths)
    {
        ArgumentNullException.ThrowIfNull(paths);
        _changed.AddRange(paths.Select(MigrationPath.Parse));
        return this;
    }

    /// <summary>Makes so many saves of each version; 200 if nothing is said.</summary>
    public CompatibilityCheck<T> WithSaves(int count)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(count, 1);
        _count = count;
        return this;
    }

    /// <summary>Makes other saves: each seed gives others, and the same ones every time.</summary>
    public CompatibilityCheck<T> WithSeed(int seed)
    {
        _seed = seed;
        return this;
    }

    /// <summary>Carries the check out.</summary>
    /// <exception cref="CompatibilityException">
    /// A save does not load or loses something; the message has the smallest such save.
    /// </exception>
    /// <exception cref="SaveException">The ledger cannot be read, or the migrations have a fault.</exception>
    public CompatibilityReport Check()
    {
        _migrations?.Check(T.Root);
        var versions = _ledger.ListVersions();
        if (versions.Count == 0)
            throw new CompatibilityException(
                $"There is nothing in the ledger {_ledger.FileOf(1)[..^"/1.json".Length]}. Record the game's shape with \"lodrik ledger "
                    + "record\".");
        var shapes = versions.Select(_ledger.Read).ToList();
        var today = SaveShape.OfAssembly(typeof(T).Assembly.Location, typeof(T).FullName!.Replace('+', '.'));
        shapes.ForEach(CheckGiven);
        var (saves, refused) = (0, 0);
        foreach (var shape in shapes)
        {
            refused += CheckVersion(shape, today);
            saves += _count;
        }
        // A save says more than this does, so what one shows comes first.
        if (_migrations?.ProblemsFor([.. shapes, today]) is { Count: > 0 } problems)
            throw new CompatibilityException(string.Join(Environment.NewLine, problems));
        return new CompatibilityReport(versions, saves, refused, CheckSamples(today));
    }

    /// <summary>Without these, a part of each save would not be looked at.</summary>
    private void CheckGiven(SaveShape shape)
    {
        if (shape.Version > T.Root.Version)
            throw new CompatibilityException($"The ledger has version {shape.Version}, and {typeof(T).Name} has version {T.Root.Version}.");
        if (shape.Game != T.Root.Game)
            throw new CompatibilityException(
                $"The ledger is that of the game \"{shape.Game}\", and {typeof(T).Name} is of \"{T.Root.Game}\".");
        if (shape.Kinds.Count > 0 && _scenes is null && shape.Find(shape.Root) is { } root && root.Members.ContainsValue("scenes"))
            throw new CompatibilityException("The ledger has kinds of entities. Give the bindings of the game's scenes with WithScenes.");
    }

    private int CheckVersion(SaveShape shape, SaveShape today)
    {
        var random = new RandomSaves(shape, NamesOf);
        var refused = 0;
        for (var i = 0; i < _count; i++)
        {
            var form = Forms[i % Forms.Length];
            var sections = random.Next(unchecked((_seed * 1_000_003) + i));
            if (Try(shape, sections, form, today) is not { } failure)
                continue;
            if (failure.IsRefusal)
            {
                refused++;
                continue;
            }
            var smallest = new SmallerSaves(shape).Find(sections, candidate => Try(shape, candidate, form, today)?.Sort == failure.Sort);
            throw Report(shape, smallest, form, Try(shape, (SaveMap)SaveValueCodec.Copy(smallest)!, form, today) ?? failure, i);
        }
        return refused < _count ? refused : throw new CompatibilityException(
            $"All of the {_count} saves of version {shape.Version} that were made up are refused by the game's own rules (IValidatedState, "
                + "or what its setters throw), so nothing is proven. Keep sample files of that version, and give them with WithSamples.");
    }

    private Failure? Try(SaveShape shape, SaveMap sections, SaveForm form, SaveShape today) => Try(
        () =>
        {
            using var writer = new SaveWriter();
            var header = new SaveHeader { Game = shape.Game, Version = shape.Version, SaveId = Guid.CreateVersion7() };
            return SavedFile.FromBytes(writer.Write(TreeSave.Of(sections), header, new SaveTerms(form, IsIndented: false)).ToArray());
        },
        form,
        today);

    private Failure? Try(Func<SavedFile> open, SaveForm form, SaveShape today)
    {
        try
        {
            var file = open();
            if (file.Header is null)
                return new Failure("by hand", "", "The game did not write it: it has no header.", null);
            var migrated = file.Header is { } header && header.Version < T.Root.Version && _migrations is not null
                ? _migrations.Migrate(file, T.Root.Version)
                : file;
            if (migrated.Header!.Version == T.Root.Version && new LostMembers(today).In(migrated) is { } found)
                return new Failure($"lost {found.Path}", found.Path, $"Something is lost: {found.Problem}.", null);
            var state = WholeState.Decode<T>(migrated);
            StateFile.FromBytes<T>(StateFile.ToBytes(state, form));
            // What nobody decoded is a tree, of which only the binary form keeps every kind of number apart.
            var bytes = StateFile.ToBytes(state, SaveForm.Binary);
            if ((CheckGroups(migrated, today) ?? CheckSections(migrated, SavedFile.FromBytes(bytes), today)) is { } changed)
                return new Failure($"changed {changed.Path}", changed.Path,
                    $"A value changes when it is loaded: {changed.Problem}. If the game's own code changes it, name it with "
                        + "WithChanged.",
                    null);
            var again = StateFile.FromBytes<T>(bytes);
            return StateContent.AreEqual(state, again)
                ? null
                : new Failure("changed", StateContent.Changes(state, again).FirstOrDefault()?.Path
                    ?? "", "It is another after being saved and loaded again.", null);
        }
        catch (SaveException problem)
        {
            var path = problem.Location.Section is null ? "" : $"/{problem.Location.Section}{problem.Location.Path}";
            return new Failure(
                $"{problem.GetType().Name} {problem.Code} {(problem as MigrationException)?.FromVersion}", path, problem.Message, problem);
        }
    }

    /// <summary>Holds the sections of the root against what they are after being loaded and saved.</summary>
    private (string Path, string Problem)? CheckSections(SavedFile file, SavedFile saved, SaveShape today)
    {
        foreach (var name in T.Root.Sections.Where(name => !name.EndsWith('/') && Has(file, name)))
        {
            if (FindChange(file, name, saved, name, today.Find(today.Root)!.Members[name], today) is { } changed)
                return changed;
        }
        return null;
    }

    private (string Path, string Problem)? FindChange(
        SavedFile file, string name, SavedFile saved, string savedName, string type, SaveShape today) =>
        new KeptValues(today, SharedOf(file, name, file.Form), SharedOf(saved, savedName, file.Form), IsChanged)
            .In(type, InForm(file.ReadSection(name), file.Form), InForm(saved.ReadSection(savedName), file.Form), $"/{name}");

    /// <summary>A value as it is read from a form, which may not distinguish two kinds of numbers.</summary>
    private static SaveValue InForm(SaveValue value, SaveForm form)
    {
        const string Name = "value";
        if (form == SaveForm.Binary)
            return value;
        using var writer = new SaveWriter();
        var save = TreeSave.Of([KeyValuePair.Create(Name, value)]);
        return SavedFile.FromBytes(writer.Write(save, new SaveHeader(), new SaveTerms(form)).ToArray()).ReadSection(Name);
    }

    private bool IsChanged(string path) => _changed.Exists(changed => changed.Matches(MigrationPath.Parse(path)));

    private static bool Has(SavedFile file, string section) => file.Sections.Any(one => one.Name == section);

    private static SaveMap? SharedOf(SavedFile file, string section, SaveForm form) =>
        Has(file, section + SharedTree.Suffix) ? InForm(file.ReadSection(section + SharedTree.Suffix), form) as SaveMap : null;

    /// <summary>Loads what a load of the root leaves undecoded: scenes, and the sections of the game's parts.</summary>
    private (string Path, string Problem)? CheckGroups(SavedFile file, SaveShape today)
    {
        foreach (var group in T.Root.Sections.Where(section => section.EndsWith('/')).Select(section => section[..^1]))
        {
            foreach (var section in SectionReader.GroupOf(file.Source, group))
            {
                var path = $"/{group}/{PointerBuilder.Escape(section.Name)}";
                var changed = IsScene(section) ? CheckScene(section, path, today, file.Form)
                    : _sections.TryGetValue(section.Name, out var decode)
                        ? CheckSection(file, $"{group}/{section.Name}", section, decode, today)
                    : null;
                if (changed is not null)
                    return changed;
            }
        }
        return null;
    }

    private bool IsScene(UndecodedSection section) =>
        _scenes is not null && section.ToTree() is SaveMap map && map.TryGet("entities", out _);

    private (string Path, string Problem)? CheckScene(UndecodedSection section, string path, SaveShape today, SaveForm form)
    {
        var archive = new SceneArchive();
        ((ISectionGroup)archive).TakeSections([section]);
        var first = PackedSection.Of(section.Name, archive.Get(section.Name, _scenes!)!);
        ((ISectionGroup)archive).TakeSections([first]);
        if (!PackedSection.Of(section.Name, archive.Get(section.Name, _scenes!)!).Bytes.Span.SequenceEqual(first.Bytes.Span))
            throw new SaveContentException(SaveErrorCode.WrongContent, "The scene is another after being saved and loaded again.",
                new SaveLocation { Section = section.Name });
        var (old, now) = (EntitiesIn(section), EntitiesIn(first));
        foreach (var (id, value) in old)
        {
            var at = $"{path}/entities/{PointerBuilder.Escape(id)}";
            if (!now.TryGet(id, out var kept) || value is not SaveMap entity || kept is not SaveMap keptEntity)
                return (at, "the entity is missing after loading");
            if (!entity.TryGet("parts", out var parts) || parts is not SaveMap had)
                continue;
            var kind = entity["kind"].AsText() ?? "";
            var has = keptEntity.TryGet("parts", out var keptParts) ? (SaveMap)keptParts : [];
            foreach (var (part, content) in had)
            {
                var within = $"{at}/parts/{PointerBuilder.Escape(part)}";
                if (!has.TryGet(part, out var keptContent))
                    return (within, "the part is missing after loading");
                if (PartOf(today, kind, part) is { } type
                    && new KeptValues(today, null, null, IsChanged).In(type, content, keptContent, within) is { } changed)
                    return changed;
            }
        }
        return null;

        SaveMap EntitiesIn(UndecodedSection from) => (SaveMap)((SaveMap)InForm(from.ToTree(), form))["entities"];
    }

    private static string? PartOf(SaveShape today, string kind, string part) =>
        today.Kinds.TryGetValue(today.FormerKinds.GetValueOrDefault(kind, kind), out var parts) && parts.TryGetValue(part, out var type)
            ? type
            : today.Kinds.TryGetValue("*", out var any) ? any.GetValueOrDefault(part) : null;

    private (string Path, string Problem)? CheckSection(
        SavedFile file, string name, UndecodedSection section, Func<SessionArchive, byte[]> decode, SaveShape today)
    {
        var archive = new SessionArchive();
        ((ISectionGroup)archive).TakeSections([section]);
        var saved = SavedFile.FromBytes(decode(archive));
        return today.Subsystems.TryGetValue(section.Name, out var type)
            ? FindChange(file, name, saved, StateRoot.SingleSection, type, today)
            : null;
    }

    private int CheckSamples(SaveShape today)
    {
        var count = 0;
        foreach (var folder in _samples)
        {
            if (!Directory.Exists(folder))
                throw new CompatibilityException($"There is no folder {folder} with sample files.");
            foreach (var file in Directory.EnumerateFiles(folder, "*", SearchOption.AllDirectories).Order(StringComparer.Ordinal))
            {
                SavedFile? opened = null;
                if (Try(() => opened = SavedFile.Open(file), SaveForm.Binary, today) is { } failure)
                {
                    throw new CompatibilityException(
                        $"The sample {file} does not load today: {failure.Message}{(failure.Path.Length > 0 ? $" ({failure.Path})" : "")}",
                        failure.Cause)
                    {
                        Version = opened?.Header?.Version ?? 0,
                        Path = failure.Path,
                    };
                }
                count++;
            }
        }
        return count;
    }

    private CompatibilityException Report(SaveShape shape, SaveMap smallest, SaveForm form, Failure failure, int index)
    {
        using var writer = new SaveWriter();
        var bytes = writer.Write(
            TreeSave.Of(smallest), new SaveHeader { Game = shape.Game, Version = shape.Version }, new SaveTerms(SaveForm.Binary)).ToArray();
        var step = shape.Version < T.Root.Version && _migrations is null ? " No migrations were given." : "";
        return new CompatibilityException(
            $"""
            A save of version {shape.Version} does not load as it should today{(failure.Path.Length > 0 ? $", at {failure.Path}" : "")}:
                {failure.Message}{step}
            The smallest such save that was found ({form.DisplayName()}, seed {_seed}, number {index}):
            {SavedFile.FromBytes(bytes).Print(full: true)}
            """,
            failure.Cause)
        {
            Version = shape.Version,
            Path = failure.Path,
        };
    }

    /// <summary>The names of a catalogue: those that were given, or those of the source of that name in today's assembly.</summary>
    private IReadOnlyList<string> NamesOf(string source)
    {
        if (_names.TryGetValue(source, out var given))
            return given;
        var catalogue = typeof(T).Assembly.GetType(source)?.GetProperty("Catalogue")?.GetValue(null);
        return catalogue?.GetType().GetProperty("Names")?.GetValue(catalogue) as IReadOnlyList<string>
            ?? throw new CompatibilityException(
                $"The ledger speaks of names in the catalogue of {source}, which today's assembly does not have. Give them with "
                    + "WithNames.");
    }

    /// <summary>Why a save does not do.</summary>
    /// <param name="Sort">What makes two failures the same.</param>
    /// <param name="Path">Where.</param>
    /// <param name="Message">In words.</param>
    /// <param name="Cause">What was thrown.</param>
    private sealed record Failure(string Sort, string Path, string Message, SaveException? Cause)
    {
        /// <summary>Whether it is the game's own rules that a made-up save does not keep to.</summary>
        public bool IsRefusal => Cause is { Code: SaveErrorCode.Invalid }
            or { Code: SaveErrorCode.WrongContent, InnerException: not null and not ContentException };
    }
}

using Lodrik.Inspection;
using Lodrik.Scenes;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Cli.Report;

/// <summary>What a report shows: gathered once, drawn afterwards.</summary>
/// <param name="Source">The file or folder.</param>
/// <param name="Made">When the report was made.</param>
/// <param name="Slots">The slots, newest first; a single file is one of its own.</param>
internal sealed record SaveReport(string Source, DateTimeOffset Made, IReadOnlyList<SlotReport> Slots)
{
    /// <summary>Looks at a store, a slot or a file.</summary>
    /// <param name="path">Its path, as everywhere in the tool.</param>
    /// <param name="detailed">For how many slots, newest first, the content is looked at.</param>
    /// <param name="key">The key of protected saves; null for none.</param>
    /// <exception cref="SaveException">There is nothing of that name, or the folder cannot be read.</exception>
    public static SaveReport Of(string path, int detailed, ToolKey? key)
    {
        var place = Path.TrimEndingDirectorySeparator(path);
        if (SavePlace.IsStore(place))
        {
            var store = SavePlace.Slots(place, key);
            var slots = store.List();
            if (slots.Count == 0)
                throw new StorageException("There are no saves in the folder.", new SaveLocation { File = path }, "Check the path.");
            return new SaveReport(
                place, DateTimeOffset.Now, [.. slots.Select((slot, index) => SlotReport.Of(store, slot.Slot, slot.Generation,
                slots.Count(other => other.Slot == slot.Slot) > 1 ? slot.Header?.Playthrough : null, index < detailed, key))]);
        }
        var save = SaveArgument.Of(path);
        return new SaveReport(save.Path, DateTimeOffset.Now,
            [save is { Slot: { } one, Store: { } folder } ? SlotReport.Of(
                SavePlace.Slots(folder, key), one, save.Generation, null, true, key) : SlotReport.OfFile(save.Path, key)]);
    }
}

/// <summary>A slot, or a file on its own, as a report shows it.</summary>
/// <param name="Name">What it is called.</param>
/// <param name="Generation">The generation that is shown; 0 for a file on its own.</param>
/// <param name="Bytes">Its size.</param>
/// <param name="Header">What it says of itself; null if that cannot be read.</param>
/// <param name="Picture">Its picture as PNG; null for none.</param>
/// <param name="History">The slot's generations, newest first; empty for a file on its own.</param>
/// <param name="Problem">What is wrong, or why the content is not shown; null for nothing.</param>
/// <param name="IsBad">Whether that is a fault of the save.</param>
/// <param name="Content">What is inside; null if it is not shown.</param>
internal sealed record SlotReport(
    string Name, int Generation, long Bytes, SaveHeader? Header, byte[]? Picture, IReadOnlyList<GenerationSummary> History, string? Problem,
    bool IsBad, ContentReport? Content)
{
    public static SlotReport Of(SaveSlots slots, SlotName slot, int generation, Guid? playthrough, bool isDetailed, ToolKey? key)
    {
        var all = slots.History(slot);
        // Quick saves and autosaves have a line for each playthrough.
        var history = playthrough is null ? all : [.. all.Where(one => one.Header is null || one.Header.Playthrough == playthrough)];
        var shown = history.First(one => one.Number == generation);
        var report = new SlotReport(
            slot.ToString(), generation, shown.ByteCount, shown.Header, slots.ReadThumbnail(slot, generation), history,
            history.FirstOrDefault(one => one.Problem is not null)?.Problem?.Message, history.Any(one => one.Problem is not null), null);
        if (!isDetailed)
            return report with
            {
                Problem = report.Problem ?? "Only the newest slots are shown with their content; --details says how many.",
            };
        return report.With(slots.Storage.Locate(shown.File), [.. history.Where(one => one.Number < generation && one.Problem is null)
            .Select(one => (one.Number, slots.Storage.Locate(one.File)))], key);
    }

    public static SlotReport OfFile(string path, ToolKey? key)
    {
        var file = SavePlace.OpenFile(path);
        return new SlotReport(
            Path.GetFileName(path), 0, file.ByteCount, file.Header,
            SavePlace.IsAddress(path) ? null : SaveSlots.ReadThumbnailBeside(path, file.Header), [], null, false, null).With(path, [], key);
    }

    private SlotReport With(string path, IReadOnlyList<(int Generation, string Path)> earlier, ToolKey? key)
    {
        try
        {
            var file = SaveArgument.Open(path, key, mayBePlain: true);
            if (file.IsEncrypted && key is null)
                return this with { Problem = Problem ?? "The save is encrypted: its content is shown with --key." };
            var content = ContentReport.Of(file, earlier, path => SaveArgument.Open(path, key, mayBePlain: true));
            return this with { Content = content, IsBad = IsBad || file.Health == SectionHealth.Damaged };
        }
        catch (SaveException problem)
        {
            return this with { Problem = problem.Message, IsBad = true };
        }
    }
}

/// <summary>What is inside a save.</summary>
/// <param name="File">The save.</param>
/// <param name="Weight">What takes the space in it; null if a section is damaged.</param>
/// <param name="Scenes">Its scenes.</param>
/// <param name="Before">The generation before; null for none that can be read.</param>
/// <param name="Since">What is different since then.</param>
internal sealed record ContentReport(
    SavedFile File, SaveWeight? Weight, IReadOnlyList<SceneReport> Scenes, int? Before, SaveComparison? Since)
{
    private const int MostGenerationsSearched = 4;

    public static ContentReport Of(SavedFile file, IReadOnlyList<(int Generation, string Path)> earlier, Func<string, SavedFile> open)
    {
        if (file.Health == SectionHealth.Damaged)
            return new ContentReport(file, null, [], null, null);
        var scenes = ScenesOf(file).Select(SceneReport.Of).ToList();
        (int Generation, SavedFile File)? before = null;
        foreach (var (generation, path) in earlier.Take(MostGenerationsSearched))
        {
            if (before is not null && scenes.TrueForAll(scene => scene.GoneFromNowhere.Count == 0))
                break;
            if (TryOpen(path, open) is not { } old)
                continue;
            foreach (var was in ScenesOf(old))
                scenes.Find(scene => scene.Section == was.Section)?.Remember(was, isBefore: before is null);
            before ??= (generation, old);
        }
        return new ContentReport(
            file, Screen.WithProgress("Weighing", file.ByteCount, progress => SaveWeight.Of(file, progress)), scenes, before?.Generation,
            before is { } one
                ? Screen.WithProgress("Comparing", file.ByteCount, progress => SaveComparison.Of(one.File, file, progress))
                : null);
    }

    private static IEnumerable<SceneContent> ScenesOf(SavedFile file) =>
        file.Sections.Select(section => SceneContent.Of(section.Name, file.ReadSection(section.Name))).OfType<SceneContent>();

    /// <summary>An earlier save, if there is anything to read in it: what is wrong with it is in the history.</summary>
    private static SavedFile? TryOpen(string path, Func<string, SavedFile> open)
    {
        try
        {
            var file = open(path);
            return file.Health == SectionHealth.Damaged ? null : file;
        }
        catch (SaveException)
        {
            return null;
        }
    }
}

/// <summary>A scene as a report shows it: no more of a large one than a page can show is kept.</summary>
/// <param name="Section">The section that it is in.</param>
/// <param name="Name">Its name.</param>
/// <param name="Count">How many entities it has.</param>
/// <param name="Kinds">How many of each kind, the most numerous first.</param>
/// <param name="Tables">The entities of each kind; of many, some that are spread evenly.</param>
internal sealed record SceneReport(
    string Section, string Name, int Count, IReadOnlyList<(string Kind, int Count)> Kinds, IReadOnlyList<EntityTable> Tables)
{
    private const int MostOfAKind = 300;
    private const int MostGone = 300;

    private readonly HashSet<EntityId> _present = [];
    private readonly Dictionary<EntityId, SceneEntity> _goneAt = [];

    /// <summary>Placed entities that are gone and of which no older generation has told yet where they were.</summary>
    public required HashSet<EntityId> GoneFromNowhere { get; init; }

    /// <summary>What is gone, as it was last known.</summary>
    public IReadOnlyCollection<SceneEntity> Gone => _goneAt.Values;

    public static SceneReport Of(SceneContent scene)
    {
        var tables = scene.Tables();
        var report = new SceneReport(
            scene.Section, scene.Name, scene.EntityCount, [.. tables.Select(table => (table.Kind, table.Entities.Count))],
            [.. tables.Select(table => table with { Entities = Spread(table.Entities) })])
        {
            GoneFromNowhere = [.. scene.Gone],
        };
        report._present.UnionWith(scene.Entities.Select(entity => entity.Id).Where(id => id.IsSpawned));
        return report;
    }

    private static IReadOnlyList<SceneEntity> Spread(IReadOnlyList<SceneEntity> entities)
    {
        var step = (entities.Count + MostOfAKind - 1) / MostOfAKind;
        return step <= 1 ? entities : [.. entities.Where((_, index) => index % step == 0)];
    }

    /// <summary>Learns from an older generation where things were; of the one before, also which spawned ones there are no more.</summary>
    public void Remember(SceneContent was, bool isBefore)
    {
        foreach (var entity in was.Entities)
        {
            var isGone = GoneFromNowhere.Remove(entity.Id) || (isBefore && entity.Id.IsSpawned && !_present.Contains(entity.Id));
            if (isGone && _goneAt.Count < MostGone)
                _goneAt.TryAdd(entity.Id, entity);
        }
    }
}

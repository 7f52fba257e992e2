using Lodrik.Slots;

namespace Lodrik;

// Which save is read, and reading for a session, which decides later whether what was read is what is played.
public sealed partial class SaveStore<T>
{
    /// <summary>Reads a save. The current slot and the playthrough stay as they are, and no event is raised.</summary>
    /// <param name="which">Which save.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <exception cref="SaveException">There is such a save, and it cannot be loaded.</exception>
    internal LoadResult<T> Read(WhichSave which, IProgress<SaveProgress>? progress) => _slots.Now(files => Read(files, which, progress));

    /// <inheritdoc cref="Read(WhichSave, IProgress{SaveProgress})"/>
    internal Task<LoadResult<T>> ReadAsync(WhichSave which, IProgress<SaveProgress>? progress, CancellationToken cancellationToken) =>
        _slots.InBackground(files => Read(files, which, progress), cancellationToken);

    /// <summary>From here on what was read is played: its playthrough is the current one, and its slot unless it is a ring.</summary>
    internal void GoOnWith(LoadResult<T> result) => Shown(Ask().Asked, result);

    private ValueTask<LoadResult<T>> Read(SlotFiles files, WhichSave which, IProgress<SaveProgress>? progress) =>
        which.Slot is { IsRing: true } ring && which.Playthrough is { } playthrough ? LoadRing(files, ring, playthrough, progress)
        : which.Slot is { } slot ? Load(files, slot, null, progress)
        : which.IsQuick ? QuickLoad(files, progress)
        : Continue(files, null, progress);

    private ValueTask<LoadResult<T>> QuickLoad(SlotFiles files, IProgress<SaveProgress>? progress) =>
        _current is { IsUntouched: true }
            ? Load(files, SlotName.Quick, null, progress)
            : LoadRing(files, SlotName.Quick, Playthrough, progress);

    private ValueTask<LoadResult<T>> LoadRing(SlotFiles files, SlotName slot, Guid playthrough, IProgress<SaveProgress>? progress) =>
        LoadAny(files, slot, progress, async () => [.. (await files.RingOf(slot, playthrough).ConfigureAwait(false))
            .Select(generation => new SlotGeneration(slot, generation))]);

    private ValueTask<LoadResult<T>> Continue(
        SlotFiles files, IReadOnlyCollection<SlotName>? among, IProgress<SaveProgress>? progress) => LoadAny(
        files, SlotName.Auto, progress, async () => [.. (await Candidates(files, among).ConfigureAwait(false))
            .Select(one => new SlotGeneration(one.Slot, GenerationOf(one)))]);

    private ValueTask<LoadResult<T>> LoadGeneration(
        SlotFiles files, SlotName slot, int generation, IProgress<SaveProgress>? progress) => LoadAny(
        files, slot, progress, async () => [new SlotGeneration(slot, await files.Find(slot, generation).ConfigureAwait(false))]);

    private ValueTask<LoadResult<T>> LoadAny(
        SlotFiles files, SlotName slot, IProgress<SaveProgress>? progress, Func<ValueTask<List<SlotGeneration>>> find) =>
        LoadAny(files, find, progress, file => Decode(file, null, progress, files.Calls.Cancellation),
            () => new ValueTask<LoadResult<T>>(new LoadResult<T>(slot, new SlotException(
                SaveErrorCode.NoSuchSlot, "There is no save to load.", remedy: "Ask Found before State, or use ContinueOrNew."))));
}

/// <summary>Which save a session reads.</summary>
/// <param name="Slot">That of a slot; null for the newest of several.</param>
/// <param name="IsQuick">The newest quick save of the playthrough, and not the newest of all.</param>
/// <param name="Playthrough">Whose quick or automatic save; null for the newest in the slot.</param>
internal readonly record struct WhichSave(SlotName? Slot, bool IsQuick = false, Guid? Playthrough = null)
{
    public static WhichSave Quick => new(null, IsQuick: true);

    public static WhichSave Newest => default;
}

using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.Saves.Writing;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;
using Microsoft.Extensions.Logging;
using Microsoft.Extensions.Logging.Abstractions;

namespace Lodrik;

/// <summary>
/// A game's saves: slots, and in each slot its generations. Saving writes a new generation and never touches the one before;
/// loading takes the newest that is whole.
/// </summary>
/// <typeparam name="T">The game's save root, marked <see cref="SaveFileAttribute"/>.</typeparam>
/// <remarks>
/// A store knows which playthrough is being played: a new one when it is opened or told so, and that of a save once it is
/// loaded. Saving over a slot that holds another playthrough is refused until it is asked for. A store may be used from several
/// threads: what changes saves waits for its turn, and what only looks waits for nobody. Each call that goes to the storage has an
/// asynchronous twin, which works in the background and uses the storage's asynchronous members only.
/// </remarks>
public sealed partial class SaveStore<T> : IDisposable where T : class, IStateRoot<T>
{
    private readonly SaveStoreOptions _options;
    private readonly ILogger _log;
    private readonly TimeProvider _clock;
    private readonly SaveSlots _slots;
    private readonly Lock _currentGate = new();
    private volatile Current _current;

    private SaveStore(SaveStoreOptions options)
    {
        _options = options;
        _log = options.Logger ?? NullLogger.Instance;
        _clock = options.Clock ?? TimeProvider.System;
        var storage = options.Storage ?? new DirectoryStorage(options.Folder ?? PlatformFolder.Of(T.Root.Game, options.Publisher));
        _slots = SaveSlots.Open(options.Profile is { } profile ? new ProfileStorage(storage, profile) : storage, options.Protection);
        _events = options.EventContext ?? SynchronizationContext.Current;
        _terms = new SaveTerms(options.Form, options.Indented, options.Compression, options.Protection);
        _current = new Current(NewId(), null);
    }

    /// <summary>Where the saves are.</summary>
    public string Location => _slots.Storage.Description;

    /// <summary>The playthrough that is being played; every save carries it.</summary>
    public Guid Playthrough => _current.Playthrough;

    /// <summary>The slot that was loaded from or saved to last, other than quick and auto; null before that.</summary>
    public SlotName? CurrentSlot => _current.Slot;

    /// <summary>
    /// The number of the store's last write; 0 where it does not count (<see cref="SaveProtection.HasCounter"/>), or wrote nothing yet.
    /// </summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public long LastWriteNumber() => _slots.Now(LastWriteNumber);

    /// <inheritdoc cref="LastWriteNumber()"/>
    public Task<long> LastWriteNumberAsync(CancellationToken cancellationToken = default) =>
        _slots.InBackground(LastWriteNumber, cancellationToken);

    /// <summary>Opens the game's store. Nothing is written before the first save.</summary>
    /// <param name="options">How the saves are kept.</param>
    /// <exception cref="ArgumentException">An option cannot be.</exception>
    /// <exception cref="MigrationException">
    /// The chain of migrations has a gap, a step twice, or does not lead to the game's version.
    /// </exception>
    public static SaveStore<T> Open(SaveStoreOptions options)
    {
        ArgumentNullException.ThrowIfNull(options);
        if (!T.Root.IsSaveFile)
            throw new ArgumentException($"{typeof(T).Name} is a state type; a store needs the game's save root, marked [SaveFile(game)].");
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepGenerations, 1, nameof(options));
        if (!Enum.IsDefined(options.Compression))
            throw new ArgumentException($"There is no compression {options.Compression}.", nameof(options));
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepQuick, 1, nameof(options));
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepAuto, 1, nameof(options));
        if (options.Extension is { } extension && !IsExtension(extension))
            throw new ArgumentException(
                $"\"{extension}\" cannot be the extension of a save: it has to be a dot and letters or digits, and not .png or .tmp.",
                nameof(options));
        if (options is { Folder: not null, Storage: not null })
            throw new ArgumentException("Give a folder or a storage, not both.", nameof(options));
        if (options.InvalidSaves is SaveTreatment.Load or SaveTreatment.Mark)
            throw new ArgumentException("A save that the game's own rules refuse cannot be loaded. Choose PassOver or Refuse for "
                + "InvalidSaves.", nameof(options));
        options.Migrations?.Check(T.Root);
        options.Protection?.Check();
        return new SaveStore<T>(options);
    }

    /// <summary>Opens the game's store with the defaults: readable JSON in the platform's place.</summary>
    public static SaveStore<T> Open() => Open(new SaveStoreOptions());

    /// <summary>Opens the game's store in a folder.</summary>
    public static SaveStore<T> Open(string folder) => Open(new SaveStoreOptions { Folder = folder });

    /// <summary>Begins another playthrough: what is saved from now on belongs to it, and to no slot yet.</summary>
    public void StartPlaythrough()
    {
        lock (_currentGate)
            _current = new Current(NewId(), null);
    }

    /// <summary>
    /// What saving to the slot would write over: another playthrough, or a save that cannot be read; null where it just saves.
    /// </summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public SlotSummary? WouldOverwrite(SlotName slot) => _slots.Now(files => WouldOverwrite(files, slot));

    /// <inheritdoc cref="WouldOverwrite(SlotName)"/>
    public Task<SlotSummary?> WouldOverwriteAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        _slots.InBackground(files => WouldOverwrite(files, slot), cancellationToken);

    /// <summary>Loads a slot: its newest generation that is whole.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="sections">
    /// The sections to load (the root's <c>Sections</c> names them); null or none means all. What is not loaded has its initial values.
    /// </param>
    /// <param name="progress">Told how far the load has got.</param>
    /// <returns>The state, or the answer that there is no such slot.</returns>
    /// <exception cref="SaveException">There is such a slot, and none of its generations can be loaded; the newest one's error.</exception>
    public LoadResult<T> Load(
        SlotName slot, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null) =>
        Shown(_slots.Now(files => Load(files, slot, Checked(sections), progress)));

    /// <summary>Loads a slot in the background. The state's own code runs there too.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="sections">The sections to load; null or none means all. What is not loaded has its initial values.</param>
    /// <param name="progress">Told how far the load has got.</param>
    /// <param name="cancellationToken">Gives the load up.</param>
    /// <inheritdoc cref="Load(SlotName, IReadOnlyCollection{string}, IProgress{SaveProgress})"/>
    public async Task<LoadResult<T>> LoadAsync(
        SlotName slot, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null,
        CancellationToken cancellationToken = default) =>
        Shown(await _slots.InBackground(files => Load(files, slot, Checked(sections), progress), cancellationToken).ConfigureAwait(false));

    /// <summary>Loads a slot into an existing state, which is untouched where anything does not fit.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="state">The state.</param>
    /// <param name="sections">The sections to load; null or none means all. What is not loaded stays as it is.</param>
    /// <param name="progress">Told how far the load has got.</param>
    /// <returns>The same state, or the answer that there is no such slot.</returns>
    /// <exception cref="SaveException">There is such a slot, and none of its generations can be loaded; the newest one's error.</exception>
    public LoadResult<T> LoadInto(
        SlotName slot, T state, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null)
    {
        ArgumentNullException.ThrowIfNull(state);
        var chosen = Checked(sections);
        return Shown(_slots.Now(files => Load(files, slot, progress, file =>
        {
            Fill(file, state, chosen);
            return state;
        })));
    }

    /// <summary>
    /// Loads a slot into an existing state: all is read and checked in the background, and the state is filled where the caller waits, so
    /// that a game that waits on its own thread never sees half of it. The state is untouched where anything does not fit.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="state">The state.</param>
    /// <param name="sections">The sections to load; null or none means all. What is not loaded stays as it is.</param>
    /// <param name="progress">Told how far the load has got.</param>
    /// <param name="cancellationToken">Gives the load up, as long as it is in the background.</param>
    /// <inheritdoc cref="LoadInto(SlotName, T, IReadOnlyCollection{string}, IProgress{SaveProgress})"/>
    public async Task<LoadResult<T>> LoadIntoAsync(
        SlotName slot, T state, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null,
        CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(state);
        var chosen = Checked(sections);
        SavedFile? loaded = null;
        var result = await _slots.InBackground(files => Load(files, slot, progress, file =>
        {
            loaded = file;
            return Decode(file, chosen, progress, cancellationToken);
        }), cancellationToken).ConfigureAwait(true);
        if (!result.Found)
            return result;
        Fill(loaded!, state, chosen);
        return Shown(result.With(state));
    }

    /// <summary>Loads a slot, or gives a fresh state with its initial values where there is no such slot.</summary>
    /// <exception cref="SaveException">There is such a slot, and none of its generations can be loaded.</exception>
    public T LoadOrNew(SlotName slot) => OrNew(Load(slot));

    /// <inheritdoc cref="LoadOrNew(SlotName)"/>
    public async Task<T> LoadOrNewAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        OrNew(await LoadAsync(slot, cancellationToken: cancellationToken).ConfigureAwait(false));

    /// <summary>Whether there is such a slot.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public bool Exists(SlotName slot) => _slots.Exists(slot);

    /// <inheritdoc cref="Exists(SlotName)"/>
    public Task<bool> ExistsAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        _slots.ExistsAsync(slot, cancellationToken);

    /// <summary>All slots by what their headers say, newest first. A damaged slot is listed as such.</summary>
    /// <param name="kinds">
    /// Only saves of these kinds; null or none means all. A damaged slot's kind is not known, and it is listed with all only.
    /// </param>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<SlotSummary> List(IReadOnlyCollection<SaveKind>? kinds = null) => Among(kinds, _slots.List());

    /// <param name="kinds">Only saves of these kinds; null or none means all.</param>
    /// <param name="cancellationToken">Gives it up.</param>
    /// <inheritdoc cref="List(IReadOnlyCollection{SaveKind})"/>
    public async Task<IReadOnlyList<SlotSummary>> ListAsync(
        IReadOnlyCollection<SaveKind>? kinds = null, CancellationToken cancellationToken = default) =>
        Among(kinds, await _slots.ListAsync(cancellationToken).ConfigureAwait(false));

    /// <summary>The places of the save screen in their order (<see cref="SaveStoreOptions.Places"/>), each with what is in it.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<SlotPlace> Places() => _slots.Now(Places);

    /// <inheritdoc cref="Places()"/>
    public Task<IReadOnlyList<SlotPlace>> PlacesAsync(CancellationToken cancellationToken = default) =>
        _slots.InBackground(Places, cancellationToken);

    /// <summary>Deletes a slot with all its generations; false where there was none.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public bool Delete(SlotName slot) => _slots.Now(files => _slots.Alone(files, () => Delete(files, slot)));

    /// <inheritdoc cref="Delete(SlotName)"/>
    public Task<bool> DeleteAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        _slots.InBackground(files => _slots.Alone(files, () => Delete(files, slot)), cancellationToken);

    private async ValueTask<long> LastWriteNumber(SlotFiles files) => (await Counter(files).ConfigureAwait(false))?.Last ?? 0;

    /// <summary>The store's counter as it is now; null where the store does not count.</summary>
    private async ValueTask<SaveCounter?> Counter(SlotFiles files) => _options.Protection is { HasCounter: true } protection
        ? await SaveCounter.Read(files.Calls, protection).ConfigureAwait(false)
        : null;

    private async ValueTask<SlotSummary?> WouldOverwrite(SlotFiles files, SlotName slot) => await SlotFiles.Read(async () =>
    {
        var generations = await files.Of(slot).ConfigureAwait(false);
        var occupant = generations.Count > 0 ? await files.Summarise(slot, generations).ConfigureAwait(false) : null;
        return occupant is not null && IsAnothers(slot, occupant, Playthrough) ? occupant : null;
    }).ConfigureAwait(false);

    private static IReadOnlyList<SlotSummary> Among(IReadOnlyCollection<SaveKind>? kinds, IReadOnlyList<SlotSummary> slots) =>
        kinds is not { Count: > 0 } ? slots : [.. slots.Where(slot => slot.Header is { } header && kinds.Contains(header.Kind))];

    private ValueTask<IReadOnlyList<SlotPlace>> Places(SlotFiles files) => SlotFiles.Read<IReadOnlyList<SlotPlace>>(async () =>
    {
        var places = new List<SlotPlace>();
        foreach (var slot in _options.Places)
        {
            var generations = await files.Of(slot).ConfigureAwait(false);
            places.Add(new SlotPlace(
                slot, generations.Count > 0 ? await files.Summarise(slot, generations).ConfigureAwait(false) : null));
        }
        return places;
    });

    private async ValueTask<bool> Delete(SlotFiles files, SlotName slot)
    {
        var deleted = await _slots.Delete(files, slot).ConfigureAwait(false);
        Leave(slot);
        if (deleted == 0)
            return false;
        if (await Counter(files).ConfigureAwait(false) is { } counter)
            await counter.Forget(files.Calls, slot).ConfigureAwait(false);
        StoreLog.Deleted(_log, slot, deleted);
        return true;
    }

    private static T OrNew(LoadResult<T> result) => result.Found ? result.State : T.CreateState();

    /// <summary>A result, once the game's own events have told of it.</summary>
    private LoadResult<T> Shown(LoadResult<T> result)
    {
        if (result.Found)
            Raise(Loaded, result);
        return result;
    }

    private ValueTask<LoadResult<T>> Load(
        SlotFiles files, SlotName slot, IReadOnlyCollection<string>? sections, IProgress<SaveProgress>? progress) =>
        Load(files, slot, progress, file => Decode(file, sections, progress, files.Calls.Cancellation));

    private ValueTask<LoadResult<T>> Load(
        SlotFiles files, SlotName slot, IProgress<SaveProgress>? progress, Func<SavedFile, T> decode) =>
        LoadAny(files, () => OfSlot(files, slot), progress, decode, async () => new LoadResult<T>(slot, SlotFiles.NoSuchSlot(
            slot, (await files.All().ConfigureAwait(false)).Keys, "Ask Found before State, or use LoadOrNew.")));

    private static async ValueTask<List<SlotGeneration>> OfSlot(SlotFiles files, SlotName slot) =>
        [.. (await files.Of(slot).ConfigureAwait(false)).Select(generation => new SlotGeneration(slot, generation))];

    private static T Decode(
        SavedFile file, IReadOnlyCollection<string>? sections, IProgress<SaveProgress>? progress, CancellationToken cancellation)
    {
        var (bytes, all) = (0L, progress is null ? 0 : file.BytesOf(sections));
        return StateFile.Decode<T>(file, sections, decoded: section =>
        {
            cancellation.ThrowIfCancellationRequested();
            progress?.Report(new SaveProgress(SaveStage.Decoding, bytes += section, all));
        });
    }

    private void Fill(SavedFile file, T state, IReadOnlyCollection<string>? sections)
    {
        _cache.ForgetContents();
        StateFile.DecodeInto(file, state, sections);
    }

    /// <summary>Loads the first of some generations that is whole.</summary>
    /// <param name="files">The storage.</param>
    /// <param name="find">Lists the generations, in the order in which they are tried.</param>
    /// <param name="progress">Told how far the load has got.</param>
    /// <param name="decode">Makes the state of a save that was checked.</param>
    /// <param name="absent">The answer where there is nothing to load.</param>
    private async ValueTask<LoadResult<T>> LoadAny(
        SlotFiles files, Func<ValueTask<List<SlotGeneration>>> find, IProgress<SaveProgress>? progress, Func<SavedFile, T> decode,
        Func<ValueTask<LoadResult<T>>> absent)
    {
        progress?.Report(new SaveProgress(SaveStage.Reading, 0, 0));
        LoadResult<T>? result;
        try
        {
            result = await SlotFiles.Read(() => LoadFirst(isAlone: false)).ConfigureAwait(false);
        }
        catch (DoubtException)
        {
            // It may be this store itself that saved or reinstated something meanwhile: between two writes that is out of the question.
            result = await _slots.Alone(files, () => SlotFiles.Read(() => LoadFirst(isAlone: true))).ConfigureAwait(false);
        }
        result ??= await absent().ConfigureAwait(false);
        progress?.Report(new SaveProgress(SaveStage.Done, 0, 0));
        return result;

        async ValueTask<LoadResult<T>?> LoadFirst(bool isAlone)
        {
            // The counter comes first: a save that is written from here on is newer than it says, and not older.
            var counter = _options.ReplayedSaves == SaveTreatment.Load ? null : await Counter(files).ConfigureAwait(false);
            return await this.LoadFirst(files, await find().ConfigureAwait(false), new ReplayWatch(counter, isAlone), progress, decode)
                .ConfigureAwait(false);
        }
    }

    /// <summary>Loads the first of these that is whole; null where there are none.</summary>
    private async ValueTask<LoadResult<T>?> LoadFirst(
        SlotFiles files, List<SlotGeneration> candidates, ReplayWatch replays, IProgress<SaveProgress>? progress,
        Func<SavedFile, T> decode)
    {
        var passedOver = new List<SaveException>();
        foreach (var (slot, generation) in candidates)
        {
            try
            {
                var file = await files.Open(slot, generation, progress).ConfigureAwait(false);
                if (_options.EditedSaves is SaveTreatment.PassOver or SaveTreatment.Refuse && file.Opened.IsEdited)
                    throw Edited(files.Locate(slot, generation));
                var (state, problem) = Decode(file, decode);
                var result = new LoadResult<T>(slot, generation.Number, state, file)
                {
                    PassedOver = passedOver,
                    SealProblem = problem,
                    Replay = Judge(files, slot, generation, file.Header, replays),
                };
                if (result.MigratedFrom is { } version)
                    StoreLog.Migrated(_log, slot, generation.Number, version, T.Root.Version);
                Remember(slot, file.Header?.Slot?.Playthrough ?? Playthrough);
                StoreLog.Loaded(_log, slot, generation.Number, files.Calls.Locate(generation.File));
                return result;
            }
            catch (SaveException exception) when (IsPassedOver(exception))
            {
                passedOver.Add(exception);
                StoreLog.PassedOver(_log, slot, generation.Number, exception.Message);
            }
        }
        return passedOver.Count == 0 ? null : throw await NoneLoads(files, candidates, passedOver).ConfigureAwait(false);
    }

    /// <summary>
    /// Decodes a save once its seal was looked at; where such saves are only marked, one whose seal does not fit as well.
    /// </summary>
    private (T State, TamperedSaveException? Problem) Decode(SavedFile file, Func<SavedFile, T> decode)
    {
        try
        {
            if (_options.Protection is { } protection)
                file.CheckSeal(protection);
            return (decode(InThisVersion(file)), null);
        }
        catch (TamperedSaveException problem) when (_options.TamperedSaves is SaveTreatment.Load or SaveTreatment.Mark)
        {
            return (decode(InThisVersion(file.WithoutSeal())), problem);
        }
    }

    /// <summary>A save as this version of the game reads it: migrated, or a newer one as far as it is known.</summary>
    private SavedFile InThisVersion(SavedFile file) =>
        file.Header is not { } header || header.Game != T.Root.Game || header.Version == T.Root.Version ? file
        : header.Version < T.Root.Version && _options.Migrations is { } chain ? chain.Migrate(file, T.Root.Version)
        : header.Version > T.Root.Version && _options.NewerSaves is SaveTreatment.Load or SaveTreatment.Mark ? file.ReadAs(T.Root.Version)
        : file;

    /// <summary>The error of the newest, and what is still whole in any of them.</summary>
    private static async ValueTask<SaveException> NoneLoads(
        SlotFiles files, List<SlotGeneration> candidates, List<SaveException> passedOver)
    {
        var (newest, whole) = (passedOver[0], new List<string>());
        foreach (var (slot, generation) in candidates)
        {
            if (await files.WholeSections(slot, generation).ConfigureAwait(false) is { Count: > 0 } sections)
                whole.Add($"generation {generation.Number} of {slot}: {string.Join(", ", sections)}");
        }
        var problem = candidates.Count == 1
            ? newest.Problem
            : $"None of the {candidates.Count} generations can be loaded. The newest: {newest.Problem}";
        var remedy = whole.Count == 0
            ? "Nothing in the files is whole. They are left as they are; start anew, or put a copy back."
            : $"The files are left as they are. Still whole are, in {string.Join("; in ", whole)}: load those sections alone.";
        if (newest is TamperedSaveException)
            return new TamperedSaveException(newest.Code, problem, newest.Location, remedy, newest);
        return newest is DamagedSaveException
            ? new DamagedSaveException(newest.Code, problem, newest.Location, remedy, newest)
            : new SaveContentException(newest.Code, problem, newest.Location, remedy, newest);
    }

    private bool IsPassedOver(SaveException exception) => exception is DamagedSaveException
        || exception.Code == SaveErrorCode.NewerVersion && _options.NewerSaves == SaveTreatment.PassOver
        || exception.Code == SaveErrorCode.Invalid && _options.InvalidSaves == SaveTreatment.PassOver
        || exception.Code == SaveErrorCode.EditedByHand && _options.EditedSaves == SaveTreatment.PassOver
        || exception is TamperedSaveException { Code: SaveErrorCode.Replayed } && _options.ReplayedSaves == SaveTreatment.PassOver
        || exception is TamperedSaveException { Code: not SaveErrorCode.Replayed } && _options.TamperedSaves == SaveTreatment.PassOver;

    /// <summary>
    /// What is said of a save that was put in the place of a newer one; null where nothing is, or where the game does not want to know.
    /// </summary>
    /// <exception cref="TamperedSaveException">It was, and such a save does not load.</exception>
    /// <exception cref="DoubtException">It may have been, or a save of this store was written meanwhile.</exception>
    private ReplayedSave? Judge(SlotFiles files, SlotName slot, Generation generation, SaveHeader? header, ReplayWatch replays)
    {
        if (replays.Counter?.Judge(slot, header) is not { } replay)
            return null;
        if (!replays.IsAlone)
            throw new DoubtException();
        StoreLog.Replayed(_log, slot, generation.Number, replay.Reason);
        return _options.ReplayedSaves == SaveTreatment.Mark ? replay : throw new TamperedSaveException(
            SaveErrorCode.Replayed, $"The save is an old one that was put in the place of a newer one: {replay.Reason}",
            files.Locate(slot, generation), "Load another slot.");
    }

    private static SaveContentException Edited(SaveLocation location) => new(
        SaveErrorCode.EditedByHand, "The save was changed by hand since it was written.", location, "Load an older generation.");

    private bool IsAnothers(SlotName slot, SlotSummary occupant, Guid playthrough) =>
        !slot.IsRing && slot != CurrentSlot && occupant.Header?.Slot?.Playthrough != playthrough;

    /// <summary>From here on this playthrough is being played, and this slot is the current one unless it is a ring.</summary>
    private void Remember(SlotName slot, Guid playthrough)
    {
        lock (_currentGate)
        {
            // Another playthrough's slot is not the one to go on saving to.
            var kept = playthrough == Playthrough ? CurrentSlot : null;
            _current = new Current(playthrough, slot.IsRing ? kept : slot);
        }
    }

    /// <summary>A slot that is no more is not the current one.</summary>
    private void Leave(SlotName slot)
    {
        lock (_currentGate)
        {
            if (CurrentSlot == slot)
                _current = _current with { Slot = null };
        }
    }

    private async ValueTask DropOldGenerations(SlotFiles files, SlotName slot, List<Generation> before, Guid playthrough)
    {
        var keep = slot == SlotName.Quick ? _options.KeepQuick : slot == SlotName.Auto ? _options.KeepAuto : _options.KeepGenerations;
        if (before.Count < keep)
            return;
        // A ring is one playthrough's: a new one never pushes out the saves of the one before.
        var ring = slot.IsRing ? await files.RingOf(slot, before, playthrough).ConfigureAwait(false) : before;
        if (ring.Count < keep)
            return;
        var kept = await LastOfOlderVersion(files, slot, ring, keep - 1).ConfigureAwait(false);
        for (var i = ring.Count - 1; i >= keep - 1; i--)
        {
            if (i == kept || await VersionOf(files, slot, ring[i]).ConfigureAwait(false) > T.Root.Version)
                continue;
            try
            {
                await files.Delete(slot, ring[i]).ConfigureAwait(false);
            }
            catch (StorageException exception)
            {
                // The save itself is done; an old generation too many costs nothing but room.
                StoreLog.OldGenerationStays(_log, ring[i].File, exception.Message);
            }
        }
    }

    /// <summary>
    /// The generation beyond those that are kept that stays nevertheless: the newest one of an older version, from which all that came
    /// after it was migrated. None where one of those that are kept is of an older version.
    /// </summary>
    private static async ValueTask<int> LastOfOlderVersion(SlotFiles files, SlotName slot, List<Generation> ring, int firstToDrop)
    {
        if (firstToDrop > 0 && await VersionOf(files, slot, ring[firstToDrop - 1]).ConfigureAwait(false) < T.Root.Version)
            return -1;
        for (var i = firstToDrop; i < ring.Count; i++)
        {
            if (await VersionOf(files, slot, ring[i]).ConfigureAwait(false) < T.Root.Version)
                return i;
        }
        return -1;
    }

    /// <summary>The version of a generation; the game's where it cannot be told.</summary>
    private static async ValueTask<int> VersionOf(SlotFiles files, SlotName slot, Generation generation)
    {
        try
        {
            return (await files.ReadHeader(slot, generation).ConfigureAwait(false))?.Version ?? T.Root.Version;
        }
        catch (SaveException)
        {
            return T.Root.Version;
        }
    }

    private void CheckThumbnail(SaveLabel? label)
    {
        if (label is null || label.Thumbnail.IsEmpty)
            return;
        if (!label.Thumbnail.Span.StartsWith(PngSignature))
            throw new ArgumentException("A thumbnail has to be a PNG picture.", nameof(label));
        if (label.Thumbnail.Length > _options.MaxThumbnailByteCount)
            throw new ArgumentException(
                $"A thumbnail may have {_options.MaxThumbnailByteCount} bytes, and this has {label.Thumbnail.Length}.", nameof(label));
    }

    /// <summary>The first bytes of every PNG file (ISO/IEC 15948 section 5.2).</summary>
    private static ReadOnlySpan<byte> PngSignature => [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A];

    /// <summary>
    /// Refuses a new slot where there is no place for it, or where its name is another's on systems that do not tell case apart.
    /// </summary>
    private async ValueTask RefuseNew(SlotFiles files, SlotName slot)
    {
        if (_options.Places.Count > 0 && !slot.IsRing && !_options.Places.Contains(slot))
        {
            throw new SlotException(
                SaveErrorCode.BadSlotName, "The game has no such place for a save.", new SaveLocation { Slot = slot.ToString() },
                $"It has: {string.Join(", ", _options.Places)}.");
        }
        foreach (var other in await files.Lookalikes(slot).ConfigureAwait(false))
        {
            throw new SlotException(
                SaveErrorCode.BadSlotName,
                $"There is a slot \"{other}\" already, and some systems do not tell upper and lower case apart.",
                new SaveLocation { Slot = slot.ToString() },
                $"Save to \"{other}\", or choose another name.");
        }
    }

    /// <summary>Names of sections that the save has; null where all are meant.</summary>
    /// <exception cref="SaveContentException">There is no such section.</exception>
    private static IReadOnlyCollection<string>? Checked(IReadOnlyCollection<string>? sections)
    {
        foreach (var section in sections ?? [])
        {
            if (T.Root.Sections.Contains(section)
                || T.Root.Sections.Any(known => known.EndsWith('/') && section.StartsWith(known, StringComparison.Ordinal)))
                continue;
            throw new SaveContentException(
                SaveErrorCode.NoSuchSection,
                $"{typeof(T).Name} has no section \"{section}\".",
                remedy: $"It has: {string.Join(", ", T.Root.Sections)}.");
        }
        return sections is { Count: > 0 } ? sections : null;
    }

    private static bool IsExtension(string extension) =>
        extension.Length > 1 && extension[0] == '.' && extension is not (".png" or DirectoryStorage.TemporaryExtension)
            && extension.AsSpan(1).IndexOfAnyExcept(ExtensionCharacters) < 0;

    private static readonly System.Buffers.SearchValues<char> ExtensionCharacters =
        System.Buffers.SearchValues.Create("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_-");

    private Guid NewId() => Guid.CreateVersion7(_clock.GetUtcNow());

    /// <summary>What old saves in the place of newer ones are told by.</summary>
    /// <param name="Counter">The store's counter as it was before anything was listed; null where nobody wants to know.</param>
    /// <param name="IsAlone">Whether nothing is written meanwhile.</param>
    private readonly record struct ReplayWatch(SaveCounter? Counter, bool IsAlone);

    /// <summary>A save looks like an old one, and something may have been written since the counter was read.</summary>
    private sealed class DoubtException : Exception;

    /// <summary>What is being played: one step, so that nobody sees the slot of one playthrough with the id of another.</summary>
    private sealed record Current(Guid Playthrough, SlotName? Slot);
}

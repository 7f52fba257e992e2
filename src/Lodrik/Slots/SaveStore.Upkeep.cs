using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik;

// What a save screen does beside saving and loading: history, renaming, copying, deleting, and going on.
public sealed partial class SaveStore<T>
{
    /// <summary>Whether there is anything to continue: no file is opened for it.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public bool HasSaves() => _slots.Now(HasSaves);

    /// <inheritdoc cref="HasSaves()"/>
    public Task<bool> HasSavesAsync(CancellationToken cancellationToken = default) => _slots.InBackground(HasSaves, cancellationToken);

    /// <summary>
    /// Reads a file that Lodrik did not write, by the way in that the store's migrations have for such files. It begins a playthrough of
    /// its own, which belongs to no slot until it is saved.
    /// </summary>
    /// <exception cref="InvalidOperationException">The store has no migrations.</exception>
    /// <exception cref="SaveException">The file cannot be read or is not the game's, or a step failed.</exception>
    public T Import(string path)
    {
        var state = (_options.Migrations
            ?? throw new InvalidOperationException("The store was opened without migrations, so it cannot import files."))
            .Import<T>(path);
        StartPlaythrough();
        return state;
    }

    /// <summary>Reads a file that Lodrik did not write, in the background.</summary>
    /// <inheritdoc cref="Import(string)"/>
    public Task<T> ImportAsync(string path, CancellationToken cancellationToken = default) =>
        Task.Run(() => Import(path), cancellationToken);

    /// <summary>Saves to the ring of quick saves.</summary>
    /// <param name="state">The state.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <inheritdoc cref="Save(SlotName, T, SaveLabel, Overwrite, IProgress{SaveProgress})"/>
    public SaveReceipt QuickSave(T state, SaveLabel? label = null) => Save(SlotName.Quick, state, label);

    /// <param name="state">The state; it may change as soon as this has returned.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <param name="cancellationToken">Gives the save up as long as writing has not begun, and no other save relies on this one.</param>
    /// <inheritdoc cref="QuickSave(T, SaveLabel)"/>
    public Task<SaveReceipt> QuickSaveAsync(T state, SaveLabel? label = null, CancellationToken cancellationToken = default) =>
        SaveAsync(SlotName.Quick, state, label, cancellationToken: cancellationToken);

    /// <summary>Saves to the ring of automatic saves.</summary>
    /// <param name="state">The state.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <inheritdoc cref="Save(SlotName, T, SaveLabel, Overwrite, IProgress{SaveProgress})"/>
    public SaveReceipt AutoSave(T state, SaveLabel? label = null) => Save(SlotName.Auto, state, label);

    /// <param name="state">The state; it may change as soon as this has returned.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <param name="cancellationToken">Gives the save up as long as writing has not begun, and no other save relies on this one.</param>
    /// <inheritdoc cref="AutoSave(T, SaveLabel)"/>
    public Task<SaveReceipt> AutoSaveAsync(T state, SaveLabel? label = null, CancellationToken cancellationToken = default) =>
        SaveAsync(SlotName.Auto, state, label, cancellationToken: cancellationToken);

    /// <summary>
    /// Loads the newest quick save of the playthrough that is being played; if the store was just opened and nothing is played yet, the
    /// newest of all.
    /// </summary>
    /// <param name="progress">Receives the progress.</param>
    /// <returns>The state, or the answer that there is none.</returns>
    /// <exception cref="SaveException">There are some, and none of them can be loaded.</exception>
    public LoadResult<T> QuickLoad(IProgress<SaveProgress>? progress = null) =>
        Shown(Ask().Asked, _slots.Now(files => QuickLoad(files, progress)));

    /// <param name="progress">Receives the progress.</param>
    /// <param name="cancellationToken">Cancels the load.</param>
    /// <inheritdoc cref="QuickLoad(IProgress{SaveProgress})"/>
    public async Task<LoadResult<T>> QuickLoadAsync(
        IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        Shown(Ask().Asked, await _slots.InBackground(files => QuickLoad(files, progress), cancellationToken).ConfigureAwait(false));

    /// <summary>Loads the newest save of all that can be loaded.</summary>
    /// <param name="among">The slots to choose from; null or none means all.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <returns>
    /// The state, or the answer that there is nothing to continue; <c>PassedOver</c> says what was newer and could not be loaded.
    /// </returns>
    /// <exception cref="SaveException">There are saves, and none of them can be loaded; the newest one's error.</exception>
    public LoadResult<T> Continue(IReadOnlyCollection<SlotName>? among = null, IProgress<SaveProgress>? progress = null) =>
        Shown(Ask().Asked, _slots.Now(files => Continue(files, among, progress)));

    /// <param name="among">The slots to choose from; null or none means all.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <param name="cancellationToken">Cancels the load.</param>
    /// <inheritdoc cref="Continue(IReadOnlyCollection{SlotName}, IProgress{SaveProgress})"/>
    public async Task<LoadResult<T>> ContinueAsync(
        IReadOnlyCollection<SlotName>? among = null, IProgress<SaveProgress>? progress = null,
        CancellationToken cancellationToken = default) =>
        Shown(Ask().Asked, await _slots.InBackground(files => Continue(files, among, progress), cancellationToken).ConfigureAwait(false));

    /// <summary>Loads the newest save of all that can be loaded, or gives a fresh state where there is nothing to continue.</summary>
    /// <exception cref="SaveException">There are saves, and none of them can be loaded; the newest one's error.</exception>
    public T ContinueOrNew() => OrNew(Continue());

    /// <inheritdoc cref="ContinueOrNew"/>
    public async Task<T> ContinueOrNewAsync(CancellationToken cancellationToken = default) =>
        OrNew(await ContinueAsync(cancellationToken: cancellationToken).ConfigureAwait(false));

    /// <summary>
    /// The save that <see cref="Continue(IReadOnlyCollection{SlotName}, IProgress{SaveProgress})"/> would try first, by its header; null
    /// where there is none.
    /// </summary>
    /// <param name="among">The slots to choose from; null or none means all.</param>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public GenerationSummary? Newest(IReadOnlyCollection<SlotName>? among = null) => _slots.Now(files => Newest(files, among));

    /// <param name="among">The slots to choose from; null or none means all.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <inheritdoc cref="Newest(IReadOnlyCollection{SlotName})"/>
    public Task<GenerationSummary?> NewestAsync(
        IReadOnlyCollection<SlotName>? among = null, CancellationToken cancellationToken = default) =>
        _slots.InBackground(files => Newest(files, among), cancellationToken);

    /// <inheritdoc cref="SaveSlots.History(SlotName)"/>
    public IReadOnlyList<GenerationSummary> History(SlotName slot) => _slots.History(slot);

    /// <inheritdoc cref="SaveSlots.History(SlotName)"/>
    public Task<IReadOnlyList<GenerationSummary>> HistoryAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        _slots.HistoryAsync(slot, cancellationToken);

    /// <summary>Loads one generation of a slot, and no other in its place.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="generation">The generation.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <exception cref="SaveException">There is no such slot or generation, or it cannot be loaded.</exception>
    public LoadResult<T> LoadGeneration(SlotName slot, int generation, IProgress<SaveProgress>? progress = null) =>
        Shown(Ask().Asked, _slots.Now(files => LoadGeneration(files, slot, generation, progress)));

    /// <param name="slot">The slot.</param>
    /// <param name="generation">The generation.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <param name="cancellationToken">Cancels the load.</param>
    /// <inheritdoc cref="LoadGeneration(SlotName, int, IProgress{SaveProgress})"/>
    public async Task<LoadResult<T>> LoadGenerationAsync(
        SlotName slot, int generation, IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        Shown(Ask().Asked, await _slots.InBackground(files => LoadGeneration(files, slot, generation, progress), cancellationToken)
            .ConfigureAwait(false));

    /// <inheritdoc cref="SaveSlots.Reinstate(SlotName, int)"/>
    public int Reinstate(SlotName slot, int generation) =>
        _slots.ChangeNow(files => Reinstate(files, slot, generation));

    /// <inheritdoc cref="SaveSlots.Reinstate(SlotName, int)"/>
    public Task<int> ReinstateAsync(SlotName slot, int generation, CancellationToken cancellationToken = default) =>
        _slots.ChangeInBackground(files => Reinstate(files, slot, generation), cancellationToken);

    /// <inheritdoc cref="SaveSlots.Copy(SlotName, SlotName, Overwrite)"/>
    public void Copy(SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused) =>
        _slots.ChangeNow(files => Copy(files, from, to, overwrite));

    /// <inheritdoc cref="SaveSlots.CopyAsync"/>
    public Task CopyAsync(
        SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused, CancellationToken cancellationToken = default) =>
        _slots.ChangeInBackground(files => Copy(files, from, to, overwrite), cancellationToken);

    /// <inheritdoc cref="SaveSlots.Rename(SlotName, SlotName, Overwrite)"/>
    public void Rename(SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused) =>
        _slots.ChangeNow(files => Rename(files, from, to, overwrite));

    /// <inheritdoc cref="SaveSlots.RenameAsync"/>
    public Task RenameAsync(
        SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused, CancellationToken cancellationToken = default) =>
        _slots.ChangeInBackground(files => Rename(files, from, to, overwrite), cancellationToken);

    /// <summary>
    /// Brings every save of the store under the protection that the store has now, from the one that it had: to a new key, or from seals to
    /// encryption.
    /// </summary>
    /// <inheritdoc cref="SaveSlots.Protect(SaveProtection?, SaveProtection?)" path="/exception"/>
    /// <remarks>
    /// Without <paramref name="from"/> every save in the store gets the seal, also one that a stranger put there. Use
    /// <see cref="ProtectChosen"/> to seal only what was chosen.
    /// </remarks>
    /// <param name="from">What the saves are checked by; null for saves without a seal.</param>
    /// <returns>
    /// What became of every generation. One that does not fit its old seal stays as it is. It may be run again, and goes on where it was.
    /// </returns>
    public IReadOnlyList<SlotProtection> ProtectAll(SaveProtection? from) => _slots.Protect(from, Protection);

    /// <param name="from">What the saves are checked by; null for saves without a seal.</param>
    /// <param name="cancellationToken">Cancels it; it can be run again, and goes on where it was.</param>
    /// <inheritdoc cref="ProtectAll(SaveProtection?)"/>
    public Task<IReadOnlyList<SlotProtection>> ProtectAllAsync(SaveProtection? from, CancellationToken cancellationToken = default) =>
        _slots.ProtectAsync(from, Protection, cancellationToken);

    /// <inheritdoc cref="SaveSlots.ProtectChosen"/>
    /// <summary>
    /// Brings the chosen generations, which have no seal yet, under the store's protection, and leaves all others as they are.
    /// </summary>
    /// <param name="chosen">The generations, from <see cref="History(SlotName)"/>; their headers have to be readable.</param>
    /// <exception cref="InvalidOperationException">The store has no protection.</exception>
    public IReadOnlyList<SlotProtection> ProtectChosen(IReadOnlyCollection<GenerationSummary> chosen) =>
        _slots.ProtectChosen(chosen, OwnProtection);

    /// <param name="chosen">The generations, from <see cref="History(SlotName)"/>; their headers have to be readable.</param>
    /// <param name="cancellationToken">Cancels it; it can be run again, and goes on where it was.</param>
    /// <inheritdoc cref="ProtectChosen"/>
    public Task<IReadOnlyList<SlotProtection>> ProtectChosenAsync(
        IReadOnlyCollection<GenerationSummary> chosen, CancellationToken cancellationToken = default) =>
        _slots.ProtectChosenAsync(chosen, OwnProtection, cancellationToken);

    private SaveProtection OwnProtection =>
        Protection ?? throw new InvalidOperationException("The store has no protection to apply.");

    /// <summary>Deletes one generation of a slot; false if there was none.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public bool DeleteGeneration(SlotName slot, int generation) =>
        _slots.ChangeNow(files => DeleteGeneration(files, slot, generation));

    /// <inheritdoc cref="DeleteGeneration(SlotName, int)"/>
    public Task<bool> DeleteGenerationAsync(SlotName slot, int generation, CancellationToken cancellationToken = default) =>
        _slots.ChangeInBackground(files => DeleteGeneration(files, slot, generation), cancellationToken);

    /// <summary>Deletes all slots. Settings stay.</summary>
    /// <returns>How many slots there were.</returns>
    /// <exception cref="StorageException">The storage refused; what is not deleted yet is whole.</exception>
    public int DeleteAll() => _slots.ChangeNow(files => DeleteAll(files));

    /// <inheritdoc cref="DeleteAll()"/>
    public Task<int> DeleteAllAsync(CancellationToken cancellationToken = default) =>
        _slots.ChangeInBackground(files => DeleteAll(files), cancellationToken);

    /// <inheritdoc cref="SaveSlots.ReadAttachment(SlotName, string, int?)"/>
    public byte[]? ReadAttachment(SlotName slot, string name, int? generation = null) => _slots.ReadAttachment(slot, name, generation);

    /// <inheritdoc cref="SaveSlots.ReadAttachment(SlotName, string, int?)"/>
    public Task<byte[]?> ReadAttachmentAsync(
        SlotName slot, string name, int? generation = null, CancellationToken cancellationToken = default) =>
        _slots.ReadAttachmentAsync(slot, name, generation, cancellationToken);

    /// <inheritdoc cref="SaveSlots.ReadThumbnail(SlotName, int?)"/>
    public byte[]? ReadThumbnail(SlotName slot, int? generation = null) => _slots.ReadThumbnail(slot, generation);

    /// <inheritdoc cref="SaveSlots.ReadThumbnail(SlotName, int?)"/>
    public Task<byte[]?> ReadThumbnailAsync(SlotName slot, int? generation = null, CancellationToken cancellationToken = default) =>
        _slots.ReadThumbnailAsync(slot, generation, cancellationToken);

    /// <summary>The file of options that belong to no slot.</summary>
    /// <typeparam name="TSettings">Any state type.</typeparam>
    public SettingsFile<TSettings> Settings<TSettings>() where TSettings : IStateType<TSettings> => new(_slots, Form);

    /// <summary>
    /// The file of options that belong to no slot, sealed or encrypted: for what a player should not edit, such as which endings were seen.
    /// What does not fit is refused as a save would be (<see cref="SettingsFile{T}.LoadOrNew()"/> gives initial values, and says so).
    /// </summary>
    /// <typeparam name="TSettings">Any state type.</typeparam>
    /// <param name="protection">How the file is protected; the store's own is for its saves.</param>
    /// <exception cref="ArgumentException">The protection is invalid.</exception>
    public SettingsFile<TSettings> Settings<TSettings>(SaveProtection protection) where TSettings : IStateType<TSettings>
    {
        ArgumentNullException.ThrowIfNull(protection);
        protection.CheckForWriting();
        return new SettingsFile<TSettings>(_slots, Form, protection);
    }

    /// <summary>The names of the profiles that have saves or settings.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<SlotName> Profiles() => Profiles(StorageCalls.Blocking(WholeStorage)).Result();

    /// <inheritdoc cref="Profiles()"/>
    public Task<IReadOnlyList<SlotName>> ProfilesAsync(CancellationToken cancellationToken = default) =>
        Task.Run(() => Profiles(StorageCalls.Async(WholeStorage, cancellationToken)).AsTask(), cancellationToken);

    private ISaveStorage WholeStorage => (_slots.Storage as ProfileStorage)?.Whole ?? _slots.Storage;

    private static async ValueTask<bool> HasSaves(SlotFiles files) => (await files.All().ConfigureAwait(false)).Count > 0;

    private ValueTask<GenerationSummary?> Newest(SlotFiles files, IReadOnlyCollection<SlotName>? among) => SlotFiles.Read(async () =>
        (await Candidates(files, among).ConfigureAwait(false)).FirstOrDefault(one => one.Problem is null));

    private async ValueTask<int> Reinstate(SlotFiles files, SlotName slot, int generation)
    {
        var found = await files.Find(slot, generation).ConfigureAwait(false);
        // Cut short between the two, the newest save is newer than the counter says, and not older.
        await _slots.Hold(files).ConfigureAwait(false);
        await NoteNewest(files, slot, [found], onlyOlder: true).ConfigureAwait(false);
        var number = await _slots.Reinstate(files, slot, generation).ConfigureAwait(false);
        await NoteNewest(files, slot, await files.Of(slot).ConfigureAwait(false)).ConfigureAwait(false);
        StoreLog.Reinstated(_log, slot, generation, number);
        List<Generation> earlier = [.. (await files.Of(slot).ConfigureAwait(false)).Where(one => one.Number != number)];
        await DropOldGenerations(files, slot, earlier, await files.PlaythroughOf(slot, found).ConfigureAwait(false)).ConfigureAwait(false);
        return number;
    }

    private async ValueTask<bool> Copy(
        SlotFiles files, SlotName from, SlotName to, Overwrite overwrite, IReadOnlyCollection<int>? numbers = null)
    {
        var copied = await files.OfExisting(from).ConfigureAwait(false);
        copied.RemoveAll(one => numbers?.Contains(one.Number) == false);
        if (from == to)
            return false;
        if (!await SaveSlots.Exists(files, to).ConfigureAwait(false))
            await RefuseNew(files, to).ConfigureAwait(false);
        else if (overwrite == Overwrite.Refused)
            throw new SlotTakenException(await files.Summarise(to, await files.Of(to).ConfigureAwait(false)).ConfigureAwait(false));
        await _slots.Hold(files).ConfigureAwait(false);
        // The oldest is copied first, and is the newest there until the next one is.
        await NoteNewest(files, to, [copied[^1]], onlyOlder: true).ConfigureAwait(false);
        await _slots.Copy(files, from, to, overwrite, numbers).ConfigureAwait(false);
        await NoteNewest(files, to, await files.Of(to).ConfigureAwait(false)).ConfigureAwait(false);
        List<Generation> earlier = [.. (await files.Of(to).ConfigureAwait(false)).Skip(1)];
        await DropOldGenerations(files, to, earlier, Playthrough).ConfigureAwait(false);
        return true;
    }

    private async ValueTask<bool> Rename(SlotFiles files, SlotName from, SlotName to, Overwrite overwrite)
    {
        if (!await Copy(files, from, to, overwrite).ConfigureAwait(false))
            return false;
        // Before the old one goes: nobody should see a moment without a current slot.
        Leave(from, to);
        await Delete(files, from, successor: to).ConfigureAwait(false);
        return true;
    }

    private async ValueTask<bool> DeleteGeneration(SlotFiles files, SlotName slot, int generation)
    {
        var left = await files.Of(slot).ConfigureAwait(false);
        if (left.RemoveAll(one => one.Number == generation) == 0)
            return false;
        await _slots.Hold(files).ConfigureAwait(false);
        await NoteNewest(files, slot, left, onlyOlder: true).ConfigureAwait(false);
        await _slots.DeleteGeneration(files, slot, generation).ConfigureAwait(false);
        await NoteNewest(files, slot, left).ConfigureAwait(false);
        if (left.Count == 0 && await Counter(files).ConfigureAwait(false) is { } counter)
            await counter.Forget(files.Calls, slot).ConfigureAwait(false);
        return true;
    }

    private async ValueTask<int> DeleteAll(SlotFiles files)
    {
        var slots = (await files.All().ConfigureAwait(false)).Keys;
        foreach (var slot in slots)
            await Delete(files, slot).ConfigureAwait(false);
        return slots.Count;
    }

    private static async ValueTask<IReadOnlyList<SlotName>> Profiles(StorageCalls calls) =>
        [.. (await calls.List(ProfileStorage.Folder).ConfigureAwait(false))
            .Select(file => SlotName.TryParse(file.Name.Split('/')[1], out var name) ? name : (SlotName?)null)
            .OfType<SlotName>().Distinct().Order()];

    /// <summary>
    /// All generations of these slots, newest first. Within a slot the order is that of the generations: one that was reinstated is as
    /// new as what it was put before.
    /// </summary>
    private async ValueTask<List<GenerationSummary>> Candidates(SlotFiles files, IReadOnlyCollection<SlotName>? among)
    {
        var now = _clock.GetUtcNow();
        var candidates = new List<(GenerationSummary Summary, DateTimeOffset Since)>();
        foreach (var (slot, generations) in await files.All().ConfigureAwait(false))
        {
            if (among is { Count: > 0 } && !among.Contains(slot))
                continue;
            var newest = DateTimeOffset.MinValue;
            foreach (var generation in generations.AsEnumerable().Reverse())
            {
                var summary = await files.Describe(slot, generation).ConfigureAwait(false);
                if (SaveOrder.TimeOf(summary.Header, now) is var time && time > newest)
                    newest = time;
                candidates.Add((summary, newest));
            }
        }
        return
        [
            .. candidates.OrderByDescending(one => one.Since)
                .ThenByDescending(one => one.Since == DateTimeOffset.MinValue ? one.Summary.Header?.Saved : null)
                .ThenByDescending(one => one.Summary.Number).Select(one => one.Summary),
        ];
    }

    private static Generation GenerationOf(GenerationSummary summary) => new(summary.Number, summary.File, summary.ByteCount);

    /// <summary>What the game itself makes the newest save of a slot is not a replay.</summary>
    /// <param name="files">The storage.</param>
    /// <param name="slot">The slot.</param>
    /// <param name="generations">Its generations, newest first, as they will be.</param>
    /// <param name="onlyOlder">Whether this comes before the change: until then a newer one is the newest.</param>
    private async ValueTask NoteNewest(SlotFiles files, SlotName slot, List<Generation> generations, bool onlyOlder = false)
    {
        if (generations.Count == 0 || await Counter(files).ConfigureAwait(false) is not { } counter)
            return;
        foreach (var (playthrough, ring) in slot.IsRing
            ? await files.RingsOf(slot, generations).ConfigureAwait(false)
            : new OrderedDictionary<Guid, List<Generation>> { [default] = generations })
        {
            if ((await files.Summarise(slot, ring).ConfigureAwait(false)).Header is not { } header)
                continue;
            var (owner, number) = (slot.IsRing ? playthrough : header.Playthrough, header.WriteNumber ?? 0);
            if (!onlyOlder || counter.NewestOf(slot, owner) is not { } known || known > number)
                await counter.Note(files.Calls, slot, owner, number).ConfigureAwait(false);
        }
    }
}

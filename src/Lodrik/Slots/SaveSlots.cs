using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// The slots of a storage, whichever game they belong to: all that can be done with saves without the game's types. A
/// <see cref="SaveStore{T}"/> is built on it, and so is the tool.
/// </summary>
/// <remarks>
/// It may be used from several threads. What changes something waits for its turn, and keeps other processes from writing; what only looks
/// waits for nobody. Each call has an asynchronous twin, which works in the background and uses the storage's asynchronous members only.
/// </remarks>
public sealed partial class SaveSlots : IDisposable
{
    private readonly StoreWriter _writer;
    private readonly SlotReading _reading;
    private bool _isClosed;
    private bool _isSwept;

    private readonly HeaderCache _headers = new();

    private SaveSlots(ISaveStorage storage, SlotReading reading)
    {
        Storage = storage;
        _reading = reading;
        Files = new SlotFiles(StorageCalls.Blocking(storage), reading, _headers);
        _writer = StoreWriter.Of(storage);
    }

    /// <summary>Where the saves are.</summary>
    public ISaveStorage Storage { get; }

    /// <summary>How slots and generations are laid out in the storage, for whoever waits on their own thread.</summary>
    internal SlotFiles Files { get; }

    /// <summary>How the saves are read.</summary>
    internal SlotReading Reading => _reading;

    /// <summary>Opens the slots of a storage. Nothing is written.</summary>
    /// <param name="storage">Where the saves are.</param>
    /// <param name="protection">The keys that show hidden titles and summaries; without them they stay hidden.</param>
    public static SaveSlots Open(ISaveStorage storage, SaveProtection? protection = null) => Open(storage, new SlotReading(protection));

    /// <summary>Opens the slots of a game, which has its own ways of reading.</summary>
    internal static SaveSlots Open(ISaveStorage storage, SlotReading reading)
    {
        ArgumentNullException.ThrowIfNull(storage);
        return new SaveSlots(storage, reading);
    }

    /// <summary>Opens the slots of a folder. Nothing is written.</summary>
    /// <param name="folder">The folder of the saves.</param>
    /// <param name="protection">The keys that show hidden titles and summaries; without them they stay hidden.</param>
    public static SaveSlots OpenFolder(string folder, SaveProtection? protection = null) => Open(new DirectoryStorage(folder), protection);

    /// <summary>All slots by what their headers say, newest first. A damaged slot is listed as such, at the end.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<SlotSummary> List() => Now(List);

    /// <inheritdoc cref="List()"/>
    public Task<IReadOnlyList<SlotSummary>> ListAsync(CancellationToken cancellationToken = default) =>
        InBackground(List, cancellationToken);

    /// <summary>All generations of a slot, newest first.</summary>
    /// <exception cref="SlotException">There is no such slot; the error names the one that was most likely meant.</exception>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<GenerationSummary> History(SlotName slot) => Now(files => History(files, slot));

    /// <inheritdoc cref="History(SlotName)"/>
    public Task<IReadOnlyList<GenerationSummary>> HistoryAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        InBackground(files => History(files, slot), cancellationToken);

    /// <summary>Whether there is such a slot.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public bool Exists(SlotName slot) => Now(files => Exists(files, slot));

    /// <inheritdoc cref="Exists(SlotName)"/>
    public Task<bool> ExistsAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        InBackground(files => Exists(files, slot), cancellationToken);

    /// <summary>Opens a save, to be looked into.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="generation">The generation; null for the newest.</param>
    /// <exception cref="SaveException">There is no such slot or generation, or it is damaged.</exception>
    public SavedFile OpenSave(SlotName slot, int? generation = null) => Now(files => OpenSave(files, slot, generation));

    /// <param name="slot">The slot.</param>
    /// <param name="generation">The generation; null for the newest.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <inheritdoc cref="OpenSave(SlotName, int?)"/>
    public Task<SavedFile> OpenSaveAsync(SlotName slot, int? generation = null, CancellationToken cancellationToken = default) =>
        InBackground(files => OpenSave(files, slot, generation), cancellationToken);

    /// <summary>The picture of a slot's newest save, or of one generation, as PNG; null if it has none.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public byte[]? ReadThumbnail(SlotName slot, int? generation = null) =>
        Now(files => ReadAttachment(files, slot, Attachments.Picture, generation));

    /// <inheritdoc cref="ReadThumbnail(SlotName, int?)"/>
    public Task<byte[]?> ReadThumbnailAsync(SlotName slot, int? generation = null, CancellationToken cancellationToken = default) =>
        InBackground(files => ReadAttachment(files, slot, Attachments.Picture, generation), cancellationToken);

    /// <summary>
    /// What is kept beside a slot's newest save, or beside one generation, under a name (<see cref="SaveLabel.Attachments"/>); null if
    /// that save has none of this name, or where the file is not the one that belongs to it.
    /// </summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public byte[]? ReadAttachment(SlotName slot, string name, int? generation = null)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        return Now(files => ReadAttachment(files, slot, name, generation));
    }

    /// <inheritdoc cref="ReadAttachment(SlotName, string, int?)"/>
    public Task<byte[]?> ReadAttachmentAsync(
        SlotName slot, string name, int? generation = null, CancellationToken cancellationToken = default)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        return InBackground(files => ReadAttachment(files, slot, name, generation), cancellationToken);
    }

    /// <summary>
    /// Writes a save as the newest generation of a slot, which has to be there; the picture of the one before comes along.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="save">The bytes of the save.</param>
    /// <returns>The number of the new generation.</returns>
    /// <exception cref="SaveException">There is no such slot, the bytes are not a save, or the storage refused.</exception>
    public int Append(SlotName slot, ReadOnlyMemory<byte> save) => ChangeNow(files => Append(files, slot, save));

    /// <param name="slot">The slot.</param>
    /// <param name="save">The bytes of the save.</param>
    /// <param name="cancellationToken">Cancels it, as long as nothing was written.</param>
    /// <inheritdoc cref="Append(SlotName, ReadOnlyMemory{byte})"/>
    public Task<int> AppendAsync(SlotName slot, ReadOnlyMemory<byte> save, CancellationToken cancellationToken = default) =>
        ChangeInBackground(files => Append(files, slot, save), cancellationToken);

    /// <summary>Writes a save as the first generation of a slot that is not there yet.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="save">The bytes of the save.</param>
    /// <exception cref="SlotTakenException">There is such a slot.</exception>
    /// <exception cref="SaveException">The bytes are not a save, or the storage refused.</exception>
    public void Add(SlotName slot, ReadOnlyMemory<byte> save) => ChangeNow(files => Add(files, slot, save));

    /// <param name="slot">The slot.</param>
    /// <param name="save">The bytes of the save.</param>
    /// <param name="cancellationToken">Cancels it, as long as nothing was written.</param>
    /// <inheritdoc cref="Add(SlotName, ReadOnlyMemory{byte})"/>
    public Task AddAsync(SlotName slot, ReadOnlyMemory<byte> save, CancellationToken cancellationToken = default) =>
        ChangeInBackground(files => Add(files, slot, save), cancellationToken);

    /// <summary>Makes an older generation the slot's newest again. The ones in between stay in the history.</summary>
    /// <returns>The number of the new generation, which has the old one's bytes.</returns>
    /// <exception cref="SaveException">There is no such slot or generation, or it is damaged, or the storage refused.</exception>
    public int Reinstate(SlotName slot, int generation) => ChangeNow(files => Reinstate(files, slot, generation));

    /// <inheritdoc cref="Reinstate(SlotName, int)"/>
    public Task<int> ReinstateAsync(SlotName slot, int generation, CancellationToken cancellationToken = default) =>
        ChangeInBackground(files => Reinstate(files, slot, generation), cancellationToken);

    /// <summary>
    /// Copies a slot with its history and pictures. All of it is there at once, or nothing. The name that the player gave the slot stays
    /// with that slot.
    /// </summary>
    /// <param name="from">The slot.</param>
    /// <param name="to">Another slot.</param>
    /// <param name="overwrite">Whether the other slot may hold something; that then becomes older history.</param>
    /// <exception cref="SlotException">There is no such slot.</exception>
    /// <exception cref="SlotTakenException">The other slot holds something, and overwriting was not allowed.</exception>
    /// <exception cref="StorageException">The storage refused.</exception>
    public void Copy(SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused) =>
        ChangeNow(files => Copy(files, from, to, overwrite));

    /// <param name="from">The slot.</param>
    /// <param name="to">Another slot.</param>
    /// <param name="overwrite">Whether the other slot may hold something; that then becomes older history.</param>
    /// <param name="cancellationToken">Cancels it, with nothing copied.</param>
    /// <inheritdoc cref="Copy(SlotName, SlotName, Overwrite)"/>
    public Task CopyAsync(
        SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused, CancellationToken cancellationToken = default) =>
        ChangeInBackground(files => Copy(files, from, to, overwrite), cancellationToken);

    /// <summary>Gives a slot another name. It is there under one name or both at every moment.</summary>
    /// <inheritdoc cref="Copy(SlotName, SlotName, Overwrite)"/>
    public void Rename(SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused) =>
        ChangeNow(files => Rename(files, from, to, overwrite));

    /// <summary>Gives a slot another name. It is there under one name or both at every moment.</summary>
    /// <inheritdoc cref="CopyAsync"/>
    public Task RenameAsync(
        SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused, CancellationToken cancellationToken = default) =>
        ChangeInBackground(files => Rename(files, from, to, overwrite), cancellationToken);

    /// <summary>Lets other processes write, as soon as nobody in this one has these slots open any more.</summary>
    public void Dispose()
    {
        if (!Interlocked.Exchange(ref _isClosed, true))
            _writer.Dispose();
    }

    /// <summary>Does something on the caller's thread.</summary>
    internal TResult Now<TResult>(Func<SlotFiles, ValueTask<TResult>> act)
    {
        CheckOpen();
        return act(Files).Result();
    }

    /// <summary>What is closed keeps nobody from writing, and so must not write either.</summary>
    /// <exception cref="ObjectDisposedException">It is closed.</exception>
    internal void CheckOpen() => ObjectDisposedException.ThrowIf(Volatile.Read(ref _isClosed), this);

    /// <summary>Does something in the background, with the storage's asynchronous calls only.</summary>
    internal Task<TResult> InBackground<TResult>(Func<SlotFiles, ValueTask<TResult>> act, CancellationToken cancellation)
    {
        CheckOpen();
        return Task.Run(() => act(FilesFor(cancellation)).AsTask(), cancellation);
    }

    /// <summary>Changes saves on the caller's thread, alone, in the order of asking.</summary>
    internal TResult ChangeNow<TResult>(Func<SlotFiles, ValueTask<TResult>> act) => Now(files => Alone(files, () => act(files)));

    /// <summary>Changes saves in the background, alone, in the order of asking.</summary>
    internal Task<TResult> ChangeInBackground<TResult>(Func<SlotFiles, ValueTask<TResult>> act, CancellationToken cancellation)
    {
        CheckOpen();
        // Who asks now comes before whoever asks once this has returned.
        var turn = _writer.Ask();
        return Task.Run(
            () =>
            {
                var files = FilesFor(cancellation);
                return StoreWriter.Alone(turn, files.Calls, () => act(files)).AsTask();
            }, CancellationToken.None);
    }

    /// <summary>How slots and generations are laid out in the storage, for whoever waits asynchronously.</summary>
    internal SlotFiles FilesFor(CancellationToken cancellation) =>
        new(StorageCalls.Async(Storage, cancellation), _reading, _headers);

    /// <summary>Does something that changes saves, alone. What it does must not call this again.</summary>
    internal ValueTask<TResult> Alone<TResult>(SlotFiles files, Func<ValueTask<TResult>> act)
    {
        CheckOpen();
        return _writer.Alone(files.Calls, act);
    }

    /// <summary>
    /// Names of slots that differ from this one by upper and lower case only. All slots are listed once for that, not with every new one.
    /// Called in a turn, for a slot that is about to be written.
    /// </summary>
    internal async ValueTask<List<SlotName>> Lookalikes(SlotFiles files, SlotName slot)
    {
        if (!_writer.SlotNames.TryGetValue(Storage.Description, out var names))
        {
            names = (await files.All().ConfigureAwait(false)).Keys.Select(name => name.ToString())
                .ToHashSet(StringComparer.OrdinalIgnoreCase);
            _writer.SlotNames.Add(Storage.Description, names);
        }
        // What is known may be old; a name like this one is looked for again.
        return names.Add(slot.ToString()) ? [] : await files.Lookalikes(slot).ConfigureAwait(false);
    }

    /// <summary>A slot is written that may be new.</summary>
    private void NoteName(SlotName slot)
    {
        if (_writer.SlotNames.TryGetValue(Storage.Description, out var names))
            names.Add(slot.ToString());
    }

    /// <summary>The line of those who change the saves of this place.</summary>
    internal StoreWriter Writer => _writer;

    /// <summary>Whether nobody else can be writing to this place. Asked in a turn, after <see cref="Hold"/>.</summary>
    internal bool IsOnlyWriter => _writer.IsAlone;

    /// <summary>Calls the game back while something is done alone.</summary>
    internal void CallBack(Action callback) => _writer.CallBack(callback);

    /// <summary>
    /// Makes sure that no other process writes. Called in a turn before anything is changed. The first time, what an earlier process left
    /// hidden is deleted, but not where another one may be in the middle of it.
    /// </summary>
    /// <exception cref="StoreInUseException">Another process does.</exception>
    internal async ValueTask Hold(SlotFiles files)
    {
        await _writer.Hold(files.Calls).ConfigureAwait(false);
        if (_isSwept || !_writer.IsAlone)
            return;
        _isSwept = true;
        await Sweep(files).ConfigureAwait(false);
    }

    // What follows is done in a turn of its own by the calls above, or in a longer one by a store.

    internal static async ValueTask<bool> Exists(SlotFiles files, SlotName slot) => (await files.Of(slot).ConfigureAwait(false)).Count > 0;

    internal static ValueTask<IReadOnlyList<SlotSummary>> List(SlotFiles files) => SlotFiles.Read<IReadOnlyList<SlotSummary>>(async () =>
    {
        var slots = await files.SummariseAll().ConfigureAwait(false);
        return Sorted(slots, DateTimeOffset.UtcNow);
    });

    /// <summary>Slots with the newest first, and whether their times can be.</summary>
    internal static List<SlotSummary> Sorted(IEnumerable<SlotSummary> slots, DateTimeOffset now) =>
    [
        .. slots.OrderByDescending(slot => SaveOrder.TimeOf(slot.Header, now)).ThenByDescending(slot => slot.Saved)
            .ThenBy(slot => slot.Slot)
            .Select(slot => SaveOrder.IsAhead(slot.Header, now) ? new SlotSummary(slot, slot.Health, slot.Problem, isAhead: true) : slot),
    ];

    internal static ValueTask<IReadOnlyList<GenerationSummary>> History(SlotFiles files, SlotName slot) =>
        SlotFiles.Read<IReadOnlyList<GenerationSummary>>(async () =>
        {
            var history = new List<GenerationSummary>();
            foreach (var generation in await files.OfExisting(slot).ConfigureAwait(false))
                history.Add(await files.DescribeToShow(slot, generation).ConfigureAwait(false));
            return history;
        });

    internal static ValueTask<byte[]?> ReadAttachment(SlotFiles files, SlotName slot, string name, int? generation) => SlotFiles.Read(
        async () =>
        {
            var generations = await files.Of(slot).ConfigureAwait(false);
            var shown = generation is { } number
                ? generations.Find(one => one.Number == number)
                : (await files.FirstReadable(slot, generations).ConfigureAwait(false)) ?? default;
            return shown.Number > 0 ? await files.ReadAttachment(slot, shown, name).ConfigureAwait(false) : null;
        });

    internal async ValueTask<int> Reinstate(SlotFiles files, SlotName slot, int generation)
    {
        var found = await files.Find(slot, generation).ConfigureAwait(false);
        await Hold(files).ConfigureAwait(false);
        // What cannot be loaded is not made the newest.
        if ((await files.Open(slot, found).ConfigureAwait(false)).Health == SectionHealth.Damaged)
            throw new DamagedSaveException(
                SaveErrorCode.Damaged, "The generation is damaged.", files.Locate(slot, found), "Choose another one. Nothing was changed.");
        var number = NextNumber(files, slot, await files.Contents(slot).ConfigureAwait(false));
        await CopyGeneration(files, slot, found, slot, number).ConfigureAwait(false);
        return number;
    }

    internal async ValueTask<int> Copy(
        SlotFiles files, SlotName from, SlotName to, Overwrite overwrite, IReadOnlyCollection<int>? numbers = null)
    {
        var generations = await files.OfExisting(from).ConfigureAwait(false);
        generations.RemoveAll(one => numbers?.Contains(one.Number) == false);
        if (from == to)
            return 0;
        var there = await files.Contents(to).ConfigureAwait(false);
        if (there.Shown.Count > 0 && overwrite == Overwrite.Refused)
            throw new SlotTakenException(await files.Summarise(to, there.Shown).ConfigureAwait(false));
        await Hold(files).ConfigureAwait(false);
        NoteName(to);
        var first = NextNumber(files, to, there, generations.Count);
        generations.Reverse();
        await AllAtOnce(files, to, [.. Enumerable.Range(first, generations.Count)], async () =>
        {
            for (var i = 0; i < generations.Count; i++)
                await CopyGeneration(files, from, generations[i], to, first + i).ConfigureAwait(false);
        }).ConfigureAwait(false);
        return generations.Count;
    }

    private static ValueTask<SavedFile> OpenSave(SlotFiles files, SlotName slot, int? generation) => SlotFiles.Read(async () =>
        await files.Open(
            slot,
            generation is { } number
                ? await files.Find(slot, number).ConfigureAwait(false)
                : (await files.OfExisting(slot).ConfigureAwait(false))[0])
            .ConfigureAwait(false));

    private async ValueTask<int> Append(SlotFiles files, SlotName slot, ReadOnlyMemory<byte> save)
    {
        SavedFile.FromBytes(save);
        var newest = (await files.OfExisting(slot).ConfigureAwait(false))[0];
        await Hold(files).ConfigureAwait(false);
        var number = NextNumber(files, slot, await files.Contents(slot).ConfigureAwait(false));
        await CopyAttachments(files, slot, newest, slot, number).ConfigureAwait(false);
        await files.Calls.Write(SlotFiles.NameOf(slot, number, Path.GetExtension(newest.File)), save, replace: false).ConfigureAwait(false);
        return number;
    }

    private async ValueTask<bool> Add(SlotFiles files, SlotName slot, ReadOnlyMemory<byte> save)
    {
        var extension = SavedFile.FromBytes(save).Opened.File.Extension;
        var there = await files.Contents(slot).ConfigureAwait(false);
        if (there.Shown.Count > 0)
            throw new SlotTakenException(await files.Summarise(slot, there.Shown).ConfigureAwait(false));
        await Hold(files).ConfigureAwait(false);
        NoteName(slot);
        var number = NextNumber(files, slot, there);
        await files.Calls.Write(SlotFiles.NameOf(slot, number, extension), save, replace: false).ConfigureAwait(false);
        return true;
    }

    private async ValueTask<bool> Rename(SlotFiles files, SlotName from, SlotName to, Overwrite overwrite)
    {
        await Copy(files, from, to, overwrite).ConfigureAwait(false);
        if (from != to)
            await Delete(files, from).ConfigureAwait(false);
        return true;
    }

    /// <summary>Writes a generation's bytes once more, what belongs to it first.</summary>
    private static async ValueTask CopyGeneration(SlotFiles files, SlotName from, Generation generation, SlotName to, int number)
    {
        var bytes = await files.Calls.Read(generation.File).ConfigureAwait(false)
            ?? throw new StorageException("The file is gone.", files.Locate(from, generation), "List the slots again.");
        await CopyAttachments(files, from, generation, to, number).ConfigureAwait(false);
        await files.Calls.Write(SlotFiles.NameOf(to, number, Path.GetExtension(generation.File)), bytes, replace: false)
            .ConfigureAwait(false);
    }

    private static async ValueTask CopyAttachments(SlotFiles files, SlotName from, Generation generation, SlotName to, int number)
    {
        IReadOnlyList<string> names;
        try
        {
            names = Attachments.NamesIn(await files.ReadHeader(from, generation).ConfigureAwait(false));
        }
        catch (DamagedSaveException)
        {
            return;
        }
        foreach (var name in names)
        {
            if (await files.ReadAttachment(from, generation, name).ConfigureAwait(false) is { } bytes)
                await files.Calls.Write(SlotFiles.AttachmentOf(to, number, name), bytes, replace: true).ConfigureAwait(false);
        }
    }
}

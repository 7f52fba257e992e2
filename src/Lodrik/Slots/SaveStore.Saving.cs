using System.Buffers;
using System.Diagnostics;
using Lodrik.Saves;
using Lodrik.Saves.Writing;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik;

// Saving: the snapshot on the thread of the caller, the rest there or in the background.
public sealed partial class SaveStore<T> : IAsyncDisposable
{
    /// <summary>The store that tells the game its news on this thread: what that waits for cannot be waited for by the game.</summary>
    [ThreadStatic]
    private static SaveStore<T>? _teller;

    private readonly SynchronizationContext? _events;
    private readonly Lock _askGate = new();
    private readonly Lock _queueGate = new();
    private readonly SectionCache _cache;

    /// <summary>The saves whose writing has not begun, by slot: the one that a newer one may take the place of.</summary>
    private readonly Dictionary<SlotName, Request> _waiting = [];

    /// <summary>All saves that were given to the background and are not told of yet.</summary>
    private readonly HashSet<Request> _pending = [];

    /// <summary>The saves that failed in the background, until the slot is saved to again.</summary>
    private readonly OrderedDictionary<SlotName, SaveFailure> _failures = [];
    private readonly Queue<Action> _news = [];
    private SaveWriter? _saveWriter;

    /// <summary>The sections of the save that was written last.</summary>
    private volatile WrittenSections? _written;
    private bool _isTelling;
    private bool _isClosed;

    /// <summary>A save begins; raised with its slot. A game shows its icon from here on.</summary>
    public event EventHandler<SlotName>? SaveStarted;

    /// <summary>A save is done.</summary>
    public event EventHandler<SaveReceipt>? Saved;

    /// <summary>A save failed; the slot is as it was.</summary>
    public event EventHandler<SaveFailure>? SaveFailed;

    /// <summary>A save was loaded.</summary>
    public event EventHandler<LoadResult<T>>? Loaded;

    /// <summary>Saves the state to a slot, after whatever was asked for before.</summary>
    /// <param name="slot">The slot, new or not.</param>
    /// <param name="state">The state.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <param name="overwrite">Whether a slot that holds another playthrough may be written over.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <returns>What was written, and where: the save is on the disk for good.</returns>
    /// <exception cref="SlotTakenException">The slot holds another playthrough, and overwriting was not allowed.</exception>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is; the slot is as it was.</exception>
    /// <exception cref="StorageException">The storage refused; the slot is as it was.</exception>
    /// <exception cref="StoreInUseException">Another process writes to the store.</exception>
    public SaveReceipt Save(
        SlotName slot, T state, SaveLabel? label = null, Overwrite overwrite = Overwrite.Refused,
        IProgress<SaveProgress>? progress = null) => SaveSince(Stopwatch.GetTimestamp(), slot, state, label, overwrite, progress);

    /// <summary>Saves the state, counting from an earlier moment what the thread pays.</summary>
    internal SaveReceipt SaveSince(
        long started, SlotName slot, T state, SaveLabel? label, Overwrite overwrite = Overwrite.Refused,
        IProgress<SaveProgress>? progress = null)
    {
        _slots.Writer.RefuseCallback();
        using var request = TakeDown(started, slot, state, label, overwrite, progress, inBackground: false);
        return Write(_slots.Files, request).Result();
    }

    /// <summary>Saves to the slot that was loaded from or saved to last.</summary>
    /// <param name="state">The state.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <exception cref="SlotException">There is none yet.</exception>
    /// <inheritdoc cref="Save(SlotName, T, SaveLabel, Overwrite, IProgress{SaveProgress})"/>
    public SaveReceipt SaveToCurrent(T state, SaveLabel? label = null) => Save(CurrentSlot ?? throw NoCurrentSlot(), state, label);

    /// <summary>Saves to the slot that was loaded from or saved to last, in the background.</summary>
    /// <param name="state">The state; it may change as soon as this has returned.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <param name="cancellationToken">Gives the save up as long as writing has not begun, and no other save relies on this one.</param>
    /// <inheritdoc cref="SaveToCurrent(T, SaveLabel)"/>
    public Task<SaveReceipt> SaveToCurrentAsync(T state, SaveLabel? label = null, CancellationToken cancellationToken = default) =>
        CurrentSlot is { } slot
            ? SaveAsync(slot, state, label, cancellationToken: cancellationToken)
            : Task.FromException<SaveReceipt>(NoCurrentSlot());

    /// <summary>The slot that was loaded from or saved to last.</summary>
    /// <exception cref="SlotException">There is none yet.</exception>
    internal SlotName RequireCurrentSlot() => CurrentSlot ?? throw NoCurrentSlot();

    private static SlotException NoCurrentSlot() =>
        new(SaveErrorCode.NoSuchSlot, "No slot has been loaded from or saved to yet.", remedy: "Name the slot to save to.");

    /// <summary>
    /// Saves the state to a slot: takes the snapshot before it returns, and does the rest in the background. While one save is being
    /// written, newer ones for the same slot become one: the newest, whose receipt all of them get. Those of another playthrough, with
    /// another answer to overwriting, or with another change of the saves in between, do not.
    /// </summary>
    /// <param name="slot">The slot, new or not.</param>
    /// <param name="state">The state; it may change as soon as this has returned.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <param name="overwrite">Whether a slot that holds another playthrough may be written over.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <param name="cancellationToken">Gives the save up as long as writing has not begun, and no other save relies on this one.</param>
    /// <returns>What was written, and where.</returns>
    /// <inheritdoc cref="Save(SlotName, T, SaveLabel, Overwrite, IProgress{SaveProgress})" path="/exception"/>
    public Task<SaveReceipt> SaveAsync(
        SlotName slot, T state, SaveLabel? label = null, Overwrite overwrite = Overwrite.Refused,
        IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) =>
        SaveAsyncSince(Stopwatch.GetTimestamp(), slot, state, label, overwrite, progress, cancellationToken);

    /// <summary>Saves the state in the background, counting from an earlier moment what the thread pays.</summary>
    internal Task<SaveReceipt> SaveAsyncSince(
        long started, SlotName slot, T state, SaveLabel? label, Overwrite overwrite = Overwrite.Refused,
        IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default)
    {
        if (cancellationToken.IsCancellationRequested)
            return Task.FromCanceled<SaveReceipt>(cancellationToken);
        try
        {
            var request = TakeDown(started, slot, state, label, overwrite, progress, inBackground: true, cancellationToken);
            _ = Task.Run(() => WriteInBackground(request), CancellationToken.None);
            return request.Done.Task;
        }
        catch (SaveException exception)
        {
            return Task.FromException<SaveReceipt>(exception);
        }
    }

    /// <summary>
    /// Has the code that saving and loading consist of compiled, so that the first save costs little more than the others. Nothing is
    /// written, and none of the game's constructors, setters and hooks run. A store does this by itself when it is opened
    /// (<see cref="SaveStoreOptions.WarmsUp"/>); this waits for it.
    /// </summary>
    /// <returns>Done when the code is there; at once where it was compiled ahead of time.</returns>
    public Task WarmUpAsync() => StoreWarmUp.Of<T>(Form, SaveStore<WarmUpSave>.RunThrough);

    /// <summary>Saves and loads on a disk that is in memory only, so that the code for it is there; for a save of our own.</summary>
    internal static void RunThrough(SaveForm form)
    {
        var storage = new DirectoryStorage("/warm-up", new MemoryCalls());
        using var store = Open(new SaveStoreOptions { Storage = storage, Form = form, KeepGenerations = 1, WarmsUp = false });
        for (var i = 0; i < 2; i++)
        {
            store.Save("sample", T.CreateState());
            store.SaveAsync("sample", T.CreateState()).Wait();
            store.Load("sample");
            store.List();
            store.Continue();
        }
    }

    /// <summary>
    /// Takes down the state as it is at this moment, and asks for a turn: the order of the snapshots is that of the generations.
    /// </summary>
    private Request TakeDown(
        long begun, SlotName slot, T state, SaveLabel? label, Overwrite overwrite, IProgress<SaveProgress>? progress, bool inBackground,
        CancellationToken cancellation = default)
    {
        ArgumentNullException.ThrowIfNull(state);
        ObjectDisposedException.ThrowIf(_isClosed, this);
        var capture = Stopwatch.GetElapsedTime(begun);
        CheckLabel(label);
        Raise(SaveStarted, slot);
        Report(progress, new SaveProgress(SaveStage.Encoding, 0, 0));
        try
        {
            lock (_askGate)
            {
                ObjectDisposedException.ThrowIf(_isClosed, this);
                var started = Stopwatch.GetTimestamp();
                var (asked, current) = Ask();
                var snapshot = Snapshot.Of(state, _cache);
                var request = new Request(slot, label ?? new SaveLabel(), overwrite, current.Playthrough, _clock.GetUtcNow(), progress)
                {
                    Asked = asked,
                    IsCurrent = current.Slot == slot,
                    Cancellation = cancellation,
                    Snapshot = snapshot,
                    Paid = new ThreadTimes(begun, 0, capture, Stopwatch.GetElapsedTime(started)),
                    Turn = _slots.Writer.Ask(isSave: true),
                };
                if (inBackground)
                {
                    request.Paid = request.Paid with { Ended = Stopwatch.GetTimestamp() };
                    Queue(request);
                }
                return request;
            }
        }
        catch (Exception exception) when (exception is not ObjectDisposedException)
        {
            Tell(() => Raise(SaveFailed, new SaveFailure(slot, Problem(exception, slot))));
            throw;
        }
    }

    /// <summary>Turns a snapshot into a new generation. Each step relies on the one before.</summary>
    private async ValueTask<SaveReceipt> Write(SlotFiles files, Request request)
    {
        SaveReceipt receipt;
        try
        {
            receipt = await StoreWriter.Alone(request.Turn, files.Calls, () => WriteAlone(files, request)).ConfigureAwait(false);
        }
        catch (Exception exception)
        {
            var failure = new SaveFailure(request.Slot, Problem(exception, request.Slot));
            lock (_queueGate)
            {
                if (_pending.Contains(request))
                    _failures[request.Slot] = failure;
            }
            request.Written.TrySetResult();
            Tell(() => Raise(SaveFailed, failure));
            throw;
        }
        lock (_queueGate)
            _failures.Remove(request.Slot);
        request.Written.TrySetResult();
        Tell(() =>
        {
            Guarded(request.Progress)?.Report(new SaveProgress(SaveStage.Done, receipt.ByteCount, receipt.ByteCount));
            Raise(Saved, receipt);
        });
        return receipt;
    }

    /// <summary>What a failure is told as, whatever it was.</summary>
    private static SaveException Problem(Exception exception, SlotName slot) => exception as SaveException
        ?? new UnsavableStateException(
            SaveErrorCode.ForeignFailure, $"The game's code failed: {exception.Message}",
            new SaveLocation { Slot = slot.ToString() }, null, exception);

    private async ValueTask<SaveReceipt> WriteAlone(SlotFiles files, Request request)
    {
        // Whoever lists first and then waits for others to finish has an old list.
        await _slots.Hold(files).ConfigureAwait(false);
        var started = Stopwatch.GetTimestamp();
        var waited = request.Paid.Ended is > 0 and var ended ? Stopwatch.GetElapsedTime(ended, started) : TimeSpan.Zero;
        List<SaveWarning> warnings = [.. request.Snapshot.FindWarnings()];
        request.Label = Drawn(request.Label, request.Slot, warnings);
        var counter = await Counter(files).ConfigureAwait(false);
        if (counter is not null)
            await counter.Begin(files.Calls).ConfigureAwait(false);
        var terms = _terms;
        var (place, header, byteCount, encoded, file) = await WriteAsNext(files, request, counter, terms).ConfigureAwait(false);
        // The save comes first: cut short between the two, it is newer than the counter says, and not older.
        if (counter is not null)
            await counter.Note(files.Calls, request.Slot, request.Playthrough, header.WriteNumber ?? 0).ConfigureAwait(false);
        var written = Stopwatch.GetTimestamp();
        // A playthrough that was begun meanwhile is not ended by a save of the one before.
        _written = WrittenSections.Of(header.SaveId, request.Snapshot);
        if (request.Playthrough == Playthrough)
            Remember(request.Slot, request.Playthrough, request.Asked, header);
        var dropped = await DropOldGenerations(files, request.Slot, place.Earlier, request.Playthrough).ConfigureAwait(false);
        var receipt = new SaveReceipt(
            request.Slot, place.Generation, files.Calls.Locate(file), byteCount, terms.Form, header.SaveId,
            request.Paid.Snapshot + Stopwatch.GetElapsedTime(started, encoded), Stopwatch.GetElapsedTime(encoded, written))
        {
            Times = new SaveTimes(
                Stopwatch.GetElapsedTime(request.Paid.Started, request.Paid.Ended > 0 ? request.Paid.Ended : written), request.Paid.Capture,
                request.Paid.Snapshot, waited, Stopwatch.GetElapsedTime(started, encoded), Stopwatch.GetElapsedTime(encoded, written)),
            Warnings = warnings,
            DroppedPlaythroughs = dropped,
        };
        foreach (var warning in warnings)
            StoreLog.Warned(_log, receipt.Slot, receipt.Generation, warning.ToString());
        if (receipt.Times.OnThread > _options.ThreadBudget)
            StoreLog.OverBudget(
                _log, receipt.Slot, receipt.Times.OnThread.TotalMilliseconds, _options.ThreadBudget.Value.TotalMilliseconds, receipt.Times);
        StoreLog.Saved(_log, receipt.Slot, receipt.Generation, receipt.ByteCount, receipt.Milliseconds, receipt.File);
        return receipt;
    }

    /// <summary>
    /// Encodes a save and writes it as the slot's next generation. A storage that several write to may have one with that number by now:
    /// then the slot is looked at again, and the save gets the number after it.
    /// </summary>
    private async ValueTask<Written> WriteAsNext(SlotFiles files, Request request, SaveCounter? counter, SaveTerms terms)
    {
        const int Attempts = 20;
        var least = 1;
        for (var attempt = 1; ; attempt++)
        {
            var place = await FindPlace(files, request, least).ConfigureAwait(false);
            var header = Describe(request, place.Occupant?.Header, counter);
            var (byteCount, encoded) = (0L, 0L);
            try
            {
                var bytes = Encode(request, header, terms);
                (byteCount, encoded) = (bytes.Length, Stopwatch.GetTimestamp());
                var file = await Store(files, request, place.Generation, bytes, terms).ConfigureAwait(false);
                return new Written(place, header, byteCount, encoded, file);
            }
            catch (StorageException exception) when (exception.AlreadyExists && attempt < Attempts && place.Generation < int.MaxValue)
            {
                // It may be this very save: the answer to an earlier request was lost, and a server keeps it under its own signature.
                if (await files.FileOf(request.Slot, place.Generation, header.SaveId).ConfigureAwait(false) is { } file)
                    return new Written(place, header, byteCount, encoded, file);
                least = place.Generation + 1;
            }
            finally
            {
                _saveWriter?.Release();
            }
        }
    }

    /// <summary>Where a save goes, if it may go there.</summary>
    /// <param name="files">The slots.</param>
    /// <param name="request">The save.</param>
    /// <param name="least">The least number that it may have.</param>
    /// <exception cref="SaveException">It may not.</exception>
    private async ValueTask<Place> FindPlace(SlotFiles files, Request request, int least)
    {
        var slot = request.Slot;
        var there = await files.Contents(slot).ConfigureAwait(false);
        var earlier = there.Shown;
        if (earlier.Count == 0)
            await RefuseNew(files, slot).ConfigureAwait(false);
        var occupant = earlier.Count > 0 ? await files.Summarise(slot, earlier).ConfigureAwait(false) : null;
        if (request.Overwrite == Overwrite.Refused && occupant is not null && !request.IsCurrent
            && IsAnothers(slot, occupant, request.Playthrough))
            throw new SlotTakenException(occupant);
        if (!slot.IsRing && occupant?.Header is { } held && held.Version > T.Root.Version)
            throw NewerInSlot(slot, held.Version);
        return new Place(earlier, occupant, Math.Max(least, SaveSlots.NextNumber(files, slot, there)));
    }

    /// <summary>Makes the bytes of a save out of its snapshot. They are valid until the next save, and as long as the snapshot.</summary>
    private ReadOnlySequence<byte> Encode(Request request, SaveHeader header, SaveTerms terms)
    {
        var progress = request.Progress;
        _saveWriter ??= new SaveWriter();
        return _saveWriter.Write(
            request.Snapshot, header, terms, _cache,
            progress is null ? null : (done, total) => Report(progress, new SaveProgress(SaveStage.Compressing, done, total)));
    }

    /// <summary>Writes a save and what belongs to it for good.</summary>
    /// <returns>The name of the save's file.</returns>
    private async ValueTask<string> Store(SlotFiles files, Request request, int generation, ReadOnlySequence<byte> bytes, SaveTerms terms)
    {
        Report(request.Progress, new SaveProgress(SaveStage.Writing, 0, bytes.Length));
        // What belongs to a save comes before it: a save is never without. What a crash left under its number may be replaced, but not
        // what another writer has just put there.
        var contents = new List<StoredContent>();
        if (request.Label.Name is { } typed && !request.Slot.IsRing)
            contents.Add(SlotFiles.NameContent(request.Slot, SaveLabel.NameOf(typed)));
        foreach (var (name, content) in Attachments.Of(request.Label))
            contents.Add(new(SlotFiles.AttachmentOf(request.Slot, generation, name), new(content), Replace: _slots.IsOnlyWriter));
        var file = SlotFiles.NameOf(request.Slot, generation, _options.Extension ?? terms.File.Extension);
        contents.Add(new(file, bytes, Replace: false));
        await files.Calls.WriteAll(contents).ConfigureAwait(false);
        return file;
    }

    private void Report(IProgress<SaveProgress>? progress, SaveProgress reached)
    {
        if (progress is not null)
            _slots.CallBack(() => Guarded(() => progress.Report(reached)));
    }

    /// <summary>A save of this version on top would hide the newer one from the game that made it.</summary>
    private static SaveMismatchException NewerInSlot(SlotName slot, int version) => new(
        SaveErrorCode.NewerVersion,
        $"The slot holds a save of version {version}, and this game has version {T.Root.Version}; it will not be overwritten.",
        new SaveLocation { Slot = slot.ToString() }, "Save to another slot, or delete this one first.");

    private SaveHeader Describe(Request request, SaveHeader? parent, SaveCounter? counter)
    {
        var (slot, label) = (request.Slot, request.Label);
        var shown = new SlotLabel
        {
            Title = label.Title,
            Kind = label.Kind ?? (slot == SlotName.Quick ? SaveKind.Quick : slot == SlotName.Auto ? SaveKind.Auto : SaveKind.Manual),
            Played = label.Played < TimeSpan.Zero ? TimeSpan.Zero : label.Played,
            Playthrough = request.Playthrough,
            ParentId = parent?.SaveId,
        };
        foreach (var (name, value) in label.Summary)
            shown.Summary[name] = value;
        if (counter is not null)
            shown.Rest[SlotLabel.CountKey] = counter.Next(parent?.WriteNumber);
        var current = _current;
        var continued = parent?.Playthrough == request.Playthrough ? SaveOrder.ClockTimeOf(parent) : DateTimeOffset.MinValue;
        SaveOrder.Note(
            shown, current.Playthrough == request.Playthrough && current.Continued > continued ? current.Continued : continued);
        Attachments.Note(shown, Attachments.Of(label));
        return new SaveHeader
        {
            Game = T.Root.Game,
            Version = T.Root.Version,
            Shape = T.Root.Shape.Length > 0 ? T.Root.Shape : null,
            SaveId = NewId(),
            Saved = request.Taken,
            Slot = shown,
        };
    }

    /// <summary>Where a save goes.</summary>
    /// <param name="Earlier">The generations that are there.</param>
    /// <param name="Occupant">The save that is there now.</param>
    /// <param name="Generation">The number of the new one.</param>
    private sealed record Place(List<Generation> Earlier, SlotSummary? Occupant, int Generation);

    /// <summary>A save that is written.</summary>
    /// <param name="Place">Where.</param>
    /// <param name="Header">Its header.</param>
    /// <param name="ByteCount">Its size.</param>
    /// <param name="Encoded">When it was encoded.</param>
    /// <param name="File">Its file.</param>
    private sealed record Written(Place Place, SaveHeader Header, long ByteCount, long Encoded, string File);
}

using System.Diagnostics;
using Lodrik.Saves;
using Lodrik.Slots;

namespace Lodrik;

// Saving: the snapshot on the thread of the caller, the rest there or in the background.
public sealed partial class SaveStore<T> : IAsyncDisposable
{
    /// <summary>Whether this thread is the one that writes in the background: a handler of an event may save in its turn.</summary>
    [ThreadStatic]
    private static bool _isWorker;

    private readonly SynchronizationContext? _events;
    private readonly Lock _queueGate = new();
    private readonly Stack<SaveEncoder> _encoders = [];
    private readonly SectionCache _cache = new();
    private readonly OrderedDictionary<SlotName, Request> _waiting = [];
    private Task _worker = Task.CompletedTask;
    private bool _isWorking;
    private bool _isClosed;

    /// <summary>A save begins; raised with its slot. A game shows its icon from here on.</summary>
    public event Action<SlotName>? Saving;

    /// <summary>A save is done.</summary>
    public event Action<SaveReceipt>? Saved;

    /// <summary>A save failed; the slot is as it was.</summary>
    public event Action<SaveFailure>? Failed;

    /// <summary>A save was loaded.</summary>
    public event Action<LoadResult<T>>? Loaded;

    /// <summary>Saves the state to a slot, after whatever is being saved in the background.</summary>
    /// <param name="slot">The slot, new or not.</param>
    /// <param name="state">The state.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <param name="overwrite">Whether a slot that holds another playthrough may be written over.</param>
    /// <returns>What was written, and where: the save is on the disk for good.</returns>
    /// <exception cref="SlotTakenException">The slot holds another playthrough, and overwriting was not allowed.</exception>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is; the slot is as it was.</exception>
    /// <exception cref="StorageException">The storage refused; the slot is as it was.</exception>
    /// <exception cref="StoreInUseException">Another process writes to the store.</exception>
    public SaveReceipt Save(SlotName slot, T state, SaveLabel? label = null, Overwrite overwrite = Overwrite.Refused)
    {
        using var request = Snapshot(slot, state, label, overwrite, progress: null);
        WaitForBackground();
        return Write(request);
    }

    /// <summary>
    /// Saves the state to a slot: takes the snapshot before it returns, and does the rest in the background. While one save is being
    /// written, newer ones for the same slot become one: the newest, whose receipt all of them get.
    /// </summary>
    /// <param name="slot">The slot, new or not.</param>
    /// <param name="state">The state; it may change as soon as this has returned.</param>
    /// <param name="label">What the slot list shows.</param>
    /// <param name="overwrite">Whether a slot that holds another playthrough may be written over.</param>
    /// <param name="progress">Told how far the save has got.</param>
    /// <param name="cancellationToken">Gives the save up as long as writing has not begun, and no other save relies on this one.</param>
    /// <returns>What was written, and where. The exceptions are those of <see cref="Save(SlotName, T, SaveLabel, Overwrite)"/>.</returns>
    public Task<SaveReceipt> SaveAsync(
        SlotName slot, T state, SaveLabel? label = null, Overwrite overwrite = Overwrite.Refused,
        IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default)
    {
        if (cancellationToken.IsCancellationRequested)
            return Task.FromCanceled<SaveReceipt>(cancellationToken);
        Request request;
        try
        {
            request = Snapshot(slot, state, label, overwrite, progress);
        }
        catch (SaveException exception)
        {
            return Task.FromException<SaveReceipt>(exception);
        }
        request.Cancellation = cancellationToken;
        lock (_queueGate)
        {
            if (_waiting.Remove(slot, out var older))
                request.Replace(older);
            _waiting.Add(slot, request);
            if (!_isWorking)
            {
                _isWorking = true;
                _worker = Task.Run(WriteWaiting, CancellationToken.None);
            }
        }
        return request.Done.Task;
    }

    /// <summary>Loads a slot in the background.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="sections">The sections to load; null means all.</param>
    /// <param name="progress">Told how far the load has got.</param>
    /// <param name="cancellationToken">Gives the load up.</param>
    /// <returns>As <see cref="Load(SlotName, IReadOnlyCollection{string})"/>. The state's own code runs in the background too.</returns>
    public Task<LoadResult<T>> LoadAsync(
        SlotName slot, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null, CancellationToken cancellationToken = default) => Task.Run(
        () =>
        {
            progress?.Report(new SaveProgress(SaveStage.Reading, 0, 0));
            var result = Load(slot, sections ?? [], progress, cancellationToken);
            progress?.Report(new SaveProgress(SaveStage.Done, 0, 0));
            return result;
        },
        cancellationToken);

    /// <summary>Runs the code that saving and loading consist of once, so that the first save costs no more than the others. Nothing is written.</summary>
    public Task WarmUpAsync() => Task.Run(() => StateFile.FromBytes<T>(StateFile.ToBytes(T.CreateState(), _options.Form)));

    /// <summary>Waits until all that was given to the background is on the disk.</summary>
    public void WaitForBackground()
    {
        while (true)
        {
            Task worker;
            lock (_queueGate)
            {
                if (!_isWorking || _isWorker)
                    return;
                worker = _worker;
            }
            worker.Wait();
        }
    }

    /// <summary>Writes what is still waiting, and closes the store.</summary>
    public void Dispose() => Close(PendingSaves.Finish);

    /// <summary>Writes what is still waiting, and closes the store.</summary>
    public ValueTask DisposeAsync() => new(Task.Run(Dispose));

    /// <summary>Closes the store, and lets other processes write.</summary>
    /// <param name="pending">What becomes of saves that are not written yet.</param>
    public void Close(PendingSaves pending)
    {
        List<Request> givenUp = [];
        lock (_queueGate)
        {
            if (_isClosed)
                return;
            _isClosed = true;
            if (pending == PendingSaves.Cancel)
            {
                givenUp.AddRange(_waiting.Values);
                _waiting.Clear();
            }
        }
        foreach (var request in givenUp)
            request.Cancel();
        WaitForBackground();
        lock (_queueGate)
        {
            while (_encoders.TryPop(out var encoder))
                encoder.Dispose();
        }
        _writer.Dispose();
    }

    /// <summary>Takes down the state as it is at this moment.</summary>
    private Request Snapshot(SlotName slot, T state, SaveLabel? label, Overwrite overwrite, IProgress<SaveProgress>? progress)
    {
        ArgumentNullException.ThrowIfNull(state);
        ObjectDisposedException.ThrowIf(_isClosed, this);
        CheckThumbnail(label);
        Raise(Saving, slot);
        progress?.Report(new SaveProgress(SaveStage.Encoding, 0, 0));
        var request = new Request(this, slot, label ?? new SaveLabel(), overwrite, Playthrough, _clock.GetUtcNow(), progress);
        var started = Stopwatch.GetTimestamp();
        try
        {
            request.Encoder.Snapshot(state, _options.Form, _options.Indented, _cache);
        }
        catch (Exception exception)
        {
            request.Dispose();
            if (exception is SaveException problem)
                Raise(Failed, new SaveFailure(slot, problem));
            throw;
        }
        request.Encoding = Stopwatch.GetElapsedTime(started);
        return request;
    }

    /// <summary>Writes one request after the other until none is left.</summary>
    private void WriteWaiting()
    {
        _isWorker = true;
        try
        {
            while (WriteNext())
            {
            }
        }
        finally
        {
            _isWorker = false;
        }
    }

    private bool WriteNext()
    {
        Request request;
        lock (_queueGate)
        {
            if (_waiting.Count == 0)
            {
                _isWorking = false;
                return false;
            }
            request = _waiting.GetAt(0).Value;
            _waiting.RemoveAt(0);
        }
        if (request.IsGivenUp)
        {
            request.Cancel();
            return true;
        }
        using (request)
        {
            try
            {
                request.Complete(Write(request));
            }
            catch (Exception exception)
            {
                request.Fail(exception);
            }
        }
        return true;
    }

    /// <summary>Turns a snapshot into a new generation. Each step relies on the one before.</summary>
    private SaveReceipt Write(Request request)
    {
        SaveReceipt receipt;
        try
        {
            lock (_gate)
                receipt = WriteAlone(request);
        }
        catch (SaveException problem)
        {
            Raise(Failed, new SaveFailure(request.Slot, problem));
            throw;
        }
        request.Progress?.Report(new SaveProgress(SaveStage.Done, receipt.Bytes, receipt.Bytes));
        Raise(Saved, receipt);
        return receipt;
    }

    private SaveReceipt WriteAlone(Request request)
    {
        var slot = request.Slot;
        var generations = _files.Of(slot);
        if (generations.Count == 0)
            RefuseNew(slot);
        var occupant = generations.Count > 0 ? _files.Summarise(slot, generations) : null;
        if (request.Overwrite == Overwrite.Refused && occupant is not null && IsAnothers(slot, occupant, request.Playthrough))
            throw new SlotTakenException(occupant);
        if (!slot.IsRing && occupant?.Header is { } held && held.Version > T.Root.Version)
            throw NewerInSlot(slot, held.Version);
        _writer.Hold();

        var started = Stopwatch.GetTimestamp();
        var header = Describe(request, occupant?.Header);
        var counter = Counter;
        var count = counter?.Next(occupant?.Header?.Count) ?? 0;
        if (counter is not null)
            header.Slot!.Rest[SlotLabel.CountKey] = count;
        var progress = request.Progress;
        var bytes = request.Encoder.Complete(
            header, _options.Compression, progress is null ? null : (done, all) => progress.Report(new SaveProgress(SaveStage.Compressing, done, all)), _options.Protection);
        var encoded = Stopwatch.GetTimestamp();
        request.Progress?.Report(new SaveProgress(SaveStage.Writing, 0, bytes.Length));

        var generation = generations.Count > 0 ? generations[0].Number + 1 : 1;
        var file = SlotFiles.NameOf(slot, generation, _options.Extension ?? (_options.Compression == SaveCompression.None && _options.Protection is not { Encrypts: true } ? _options.Form : SaveForm.Binary).FileExtension());
        if (request.Label.Thumbnail is { IsEmpty: false } thumbnail)
            _files.Storage.Write(SlotFiles.ThumbnailOf(slot, generation), thumbnail, replace: true);
        _files.Storage.Write(file, bytes, replace: false);
        // The save comes first: cut short between the two, it is newer than the counter says, and not older.
        counter?.Note(slot, request.Playthrough, count);
        var written = Stopwatch.GetTimestamp();

        // A playthrough that was begun meanwhile is not ended by a save of the one before.
        if (request.Playthrough == Playthrough)
            Remember(slot, request.Playthrough);
        DropOldGenerations(slot, generations, request.Playthrough);
        var receipt = new SaveReceipt(
            slot, generation, _files.Storage.Locate(file), bytes.Length, _options.Form, header.SaveId,
            request.Encoding + Stopwatch.GetElapsedTime(started, encoded), Stopwatch.GetElapsedTime(encoded, written))
        {
            Warnings = request.Encoder.Warnings,
        };
        foreach (var warning in receipt.Warnings)
            StoreLog.Warned(_log, slot, generation, warning.ToString());
        StoreLog.Saved(_log, slot, generation, receipt.Bytes, receipt.Milliseconds, receipt.File);
        return receipt;
    }

    /// <summary>A save of this version on top would hide the newer one from the game that made it.</summary>
    private static SaveMismatchException NewerInSlot(SlotName slot, int version) => new(
        SaveErrorCode.NewerVersion, $"The slot holds a save of version {version}, and this game has version {T.Root.Version}; it is not written over.",
        new SaveLocation { Slot = slot.ToString() }, "Save to another slot, or delete this one first.");

    private SaveHeader Describe(Request request, SaveHeader? parent)
    {
        var (slot, label) = (request.Slot, request.Label);
        var shown = new SlotLabel
        {
            Title = label.Title,
            Kind = label.Kind ?? (slot == SlotName.Quick ? SaveKind.Quick : slot == SlotName.Auto ? SaveKind.Auto : SaveKind.Manual),
            Played = label.Played,
            Playthrough = request.Playthrough,
            ParentId = parent?.SaveId,
        };
        foreach (var (name, value) in label.Summary)
            shown.Summary[name] = value;
        return new SaveHeader
        {
            Game = T.Root.Game,
            Version = T.Root.Version,
            SaveId = NewId(),
            Saved = request.Taken,
            Slot = shown,
        };
    }

    private SaveEncoder RentEncoder()
    {
        lock (_queueGate)
            return _encoders.TryPop(out var encoder) ? encoder : new SaveEncoder();
    }

    private void ReturnEncoder(SaveEncoder encoder)
    {
        lock (_queueGate)
        {
            if (!_isClosed && _encoders.Count < 2)
                _encoders.Push(encoder);
            else
                encoder.Dispose();
        }
    }

    /// <summary>Raises an event where the game wants it. A handler that throws harms no save.</summary>
    private void Raise<TEvent>(Action<TEvent>? handlers, TEvent what)
    {
        if (handlers is null)
            return;
        if (_events is null)
            RaiseHere();
        else
            _events.Post(_ => RaiseHere(), null);

        void RaiseHere()
        {
            try
            {
                handlers(what);
            }
            catch (Exception exception)
            {
                StoreLog.HandlerFailed(_log, exception);
            }
        }
    }

    /// <summary>A save between its snapshot and its receipt.</summary>
    private sealed class Request(
        SaveStore<T> store, SlotName slot, SaveLabel label, Overwrite overwrite, Guid playthrough, DateTimeOffset taken, IProgress<SaveProgress>? progress) : IDisposable
    {
        private readonly List<TaskCompletionSource<SaveReceipt>> _replaced = [];
        private SaveEncoder? _encoder = store.RentEncoder();

        public SlotName Slot => slot;

        public SaveLabel Label => label;

        public Overwrite Overwrite => overwrite;

        public Guid Playthrough => playthrough;

        /// <summary>When the snapshot was taken.</summary>
        public DateTimeOffset Taken => taken;

        public IProgress<SaveProgress>? Progress => progress;

        public TaskCompletionSource<SaveReceipt> Done { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);

        public CancellationToken Cancellation { get; set; }

        public TimeSpan Encoding { get; set; }

        public SaveEncoder Encoder => _encoder!;

        /// <summary>Whether nobody wants it any more; those whose place it took still do.</summary>
        public bool IsGivenUp => _replaced.Count == 0 && Cancellation.IsCancellationRequested;

        /// <summary>Takes the place of an older request for the same slot, and answers for it.</summary>
        public void Replace(Request older)
        {
            _replaced.AddRange(older._replaced);
            _replaced.Add(older.Done);
            older.Dispose();
        }

        public void Complete(SaveReceipt receipt) => ForAll(done => done.TrySetResult(receipt));

        public void Fail(Exception exception) => ForAll(done => done.TrySetException(exception));

        public void Cancel()
        {
            ForAll(done => done.TrySetCanceled(CancellationToken.None));
            Dispose();
        }

        public void Dispose()
        {
            if (Interlocked.Exchange(ref _encoder, null) is { } encoder)
                store.ReturnEncoder(encoder);
        }

        private void ForAll(Action<TaskCompletionSource<SaveReceipt>> act)
        {
            _replaced.ForEach(act);
            act(Done);
        }
    }
}

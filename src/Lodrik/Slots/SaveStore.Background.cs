using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik;

// The background: the line of saves, who waits for them, how the store is closed, and what the game is told.
public sealed partial class SaveStore<T>
{
    /// <summary>Waits until all that was given to the background is on the disk, or has failed.</summary>
    public void WaitForBackground()
    {
        while (Background is { } background)
            background.Wait();
    }

    /// <summary>Waits until all that was given to the background is on the disk, or has failed.</summary>
    /// <param name="cancellationToken">Cancels waiting; what is being saved goes on.</param>
    public async Task WaitForBackgroundAsync(CancellationToken cancellationToken = default)
    {
        while (Background is { } background)
            await background.WaitAsync(cancellationToken).ConfigureAwait(false);
    }

    /// <summary>Writes what is still waiting, and closes the store.</summary>
    public void Dispose() => Close(PendingSaves.Finish);

    /// <summary>Writes what is still waiting, and closes the store.</summary>
    public ValueTask DisposeAsync() => new(CloseAsync(PendingSaves.Finish));

    /// <summary>Closes the store, and lets other processes write.</summary>
    /// <param name="pending">What becomes of saves that are not written yet.</param>
    /// <returns>The saves that failed in the background, of slots that were not saved to since.</returns>
    public IReadOnlyList<SaveFailure> Close(PendingSaves pending)
    {
        if (!BeginClosing(pending))
            return [];
        WaitForBackground();
        FinishClosing(_slots.Files).Result();
        return FailedSaves;
    }

    /// <summary>Closes the store, and lets other processes write.</summary>
    /// <param name="pending">What becomes of saves that are not written yet.</param>
    /// <returns>The saves that failed in the background, of slots that were not saved to since.</returns>
    public async Task<IReadOnlyList<SaveFailure>> CloseAsync(PendingSaves pending)
    {
        if (!BeginClosing(pending))
            return [];
        await WaitForBackgroundAsync().ConfigureAwait(false);
        await FinishClosing(_slots.FilesFor(CancellationToken.None)).ConfigureAwait(false);
        return FailedSaves;
    }

    /// <summary>The saves that failed in the background, of slots that were not saved to since, the oldest first.</summary>
    public IReadOnlyList<SaveFailure> FailedSaves
    {
        get
        {
            lock (_queueGate)
                return [.. _failures.Values];
        }
    }

    /// <summary>
    /// What is not told of yet; null if there is nothing. Whoever is told of one waits for the writing alone: what is left to tell is
    /// told once they are done.
    /// </summary>
    private Task? Background
    {
        get
        {
            lock (_queueGate)
            {
                var all = _pending.Select(one => _teller == this ? one.Written.Task : one.Told.Task);
                Task[] open = [.. all.Where(task => !task.IsCompleted)];
                return open.Length == 0 ? null : Task.WhenAll(open);
            }
        }
    }

    /// <summary>From here on nothing can be saved any more; false if the store is closed already.</summary>
    private bool BeginClosing(PendingSaves pending)
    {
        lock (_askGate)
        {
            if (_isClosed)
                return false;
            _isClosed = true;
        }
        if (pending == PendingSaves.Cancel)
        {
            lock (_queueGate)
            {
                foreach (var request in _waiting.Values)
                {
                    request.IsGivenUp = true;
                    request.Cancel();
                }
                _waiting.Clear();
            }
        }
        return true;
    }

    private async ValueTask<bool> FinishClosing(SlotFiles files)
    {
        await _slots.Alone(files, () =>
        {
            _saveWriter?.Dispose();
            return _slots.EndDeletions(files);
        }).ConfigureAwait(false);
        _slots.Dispose();
        return true;
    }

    /// <summary>Puts a save in the line of the background. It takes the place of one that nobody would miss.</summary>
    private void Queue(Request request)
    {
        lock (_queueGate)
        {
            if (_waiting.TryGetValue(request.Slot, out var older) && older.IsAsGoodAs(request))
                request.Replace(older);
            _waiting[request.Slot] = request;
            _pending.Add(request);
        }
        Unfinished.Add(request.Written.Task);
    }

    /// <summary>Writes a save in its turn, unless a newer one took its place or nobody wants it any more.</summary>
    private async Task WriteInBackground(Request request)
    {
        var files = _slots.FilesFor(CancellationToken.None);
        await request.Turn.Begun.ConfigureAwait(false);
        bool isWanted;
        lock (_queueGate)
        {
            if (_waiting.TryGetValue(request.Slot, out var waiting) && waiting == request)
                _waiting.Remove(request.Slot);
            isWanted = !request.IsReplaced && !request.IsGivenUp;
        }
        try
        {
            if (isWanted)
            {
                request.Complete(await Write(files, request).ConfigureAwait(false));
            }
            else
            {
                request.Turn.End();
                if (!request.IsReplaced)
                    request.Cancel();
            }
        }
        catch (Exception exception)
        {
            request.Fail(exception);
        }
        finally
        {
            request.Dispose();
            request.Written.TrySetResult();
            // After all that was to be told of it.
            Tell(() => Forget(request));
        }
    }

    private void Forget(Request request)
    {
        lock (_queueGate)
            _pending.Remove(request);
        request.Told.TrySetResult();
    }

    /// <summary>
    /// Tells the game something, outside of every turn, and one thing after the other: what becomes known while a handler runs is told
    /// when it has returned, by whoever is telling.
    /// </summary>
    private void Tell(Action news)
    {
        lock (_news)
        {
            _news.Enqueue(news);
            if (_isTelling)
                return;
            _isTelling = true;
        }
        var before = _teller;
        _teller = this;
        try
        {
            while (true)
            {
                Action next;
                lock (_news)
                {
                    if (!_news.TryDequeue(out next!))
                    {
                        _isTelling = false;
                        return;
                    }
                }
                next();
            }
        }
        finally
        {
            _teller = before;
        }
    }

    /// <summary>Raises an event where the game wants it. A handler that throws harms no save.</summary>
    private void Raise<TEvent>(EventHandler<TEvent>? handlers, TEvent what)
    {
        if (handlers is null)
            return;
        if (_events is null)
            RaiseHere();
        else
            _events.Post(_ => RaiseHere(), null);

        void RaiseHere() => Guarded(() => handlers(this, what));
    }

    /// <summary>Calls the game back. What it throws there harms no save.</summary>
    private void Guarded(Action callback)
    {
        try
        {
            callback();
        }
        catch (Exception exception)
        {
            StoreLog.HandlerFailed(_log, exception);
        }
    }

    /// <summary>Tells the game how far a load has got. What it throws there harms no load.</summary>
    private GuardedProgress? Guarded(IProgress<SaveProgress>? progress) => progress is null ? null : new GuardedProgress(this, progress);

    private sealed class GuardedProgress(SaveStore<T> store, IProgress<SaveProgress> progress) : IProgress<SaveProgress>
    {
        public void Report(SaveProgress value) => store.Guarded(() => progress.Report(value));
    }
}

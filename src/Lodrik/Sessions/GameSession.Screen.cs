using System.Collections.Concurrent;
using Lodrik.Screens;

namespace Lodrik;

// The save screen of a session, which knows what is being played and how to go on with a save.
public sealed partial class GameSession<TSave, TScene>
{
    /// <summary>What a screen waits for, to be begun on the game's thread.</summary>
    private readonly ConcurrentQueue<ScreenRequest> _ofScreens = new();

    /// <summary>
    /// A save screen without its looks, over the session's store. What it loads is put up by the session, as if the game had asked for it.
    /// The list is read before this returns.
    /// </summary>
    /// <param name="options">What it shows; null for the defaults.</param>
    /// <exception cref="Storage.StorageException">The storage cannot be read.</exception>
    public SaveScreen Screen(SaveScreenOptions? options = null)
    {
        var screen = CreateScreen(options);
        screen.Fill();
        return screen;
    }

    /// <param name="options">What it shows; null for the defaults.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <inheritdoc cref="Screen(SaveScreenOptions?)"/>
    public async Task<SaveScreen> ScreenAsync(SaveScreenOptions? options = null, CancellationToken cancellationToken = default)
    {
        var screen = CreateScreen(options);
        await screen.FillAsync(cancellationToken).ConfigureAwait(true);
        return screen;
    }

    private SaveScreen CreateScreen(SaveScreenOptions? options) =>
        new(new StoredSaves<TSave>(_store), new PlayedSession(this), options ?? new SaveScreenOptions());

    /// <summary>Begins what a screen asked for on another thread, after something that it did in the background.</summary>
    private void BeginForScreens()
    {
        while (_ofScreens.TryDequeue(out var request))
            request.Begin();
    }

    private void DropForScreens()
    {
        while (_ofScreens.TryDequeue(out var request))
            request.Done.TrySetCanceled();
    }

    /// <summary>A change that a screen asks for.</summary>
    /// <param name="ask">Asks the session for it.</param>
    private sealed class ScreenRequest(Func<Task<SessionArrival>> ask)
    {
        public TaskCompletionSource Done { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);

        public async void Begin()
        {
            try
            {
                await ask().ConfigureAwait(false);
                Done.TrySetResult();
            }
            catch (OperationCanceledException problem)
            {
                Done.TrySetCanceled(problem.CancellationToken);
            }
            catch (Exception problem)
            {
                Done.TrySetException(problem);
            }
        }
    }

    /// <summary>What a session plays, for a screen.</summary>
    private sealed class PlayedSession(GameSession<TSave, TScene> session) : PlayedOnScreen
    {
        public override ScreenRefusal Playing => session.IsReady ? ScreenRefusal.None
            : session.Current is null && session._loading is null && session._request is null ? ScreenRefusal.NothingPlayed
            : ScreenRefusal.NotReady;

        public override bool CanLoad => true;

        public override bool CanBegin => true;

        public override ValueTask<SaveReceipt> Save(
            bool inBackground, SlotName slot, string? name, Overwrite overwrite, CancellationToken cancellation)
        {
            var label = name is null ? null : session.LabelOf(null) with { Name = name };
            return inBackground
                ? new(session.SaveAsync(slot, label, overwrite, cancellationToken: cancellation))
                : new(session.Save(slot, label, overwrite));
        }

        public override ValueTask<bool> WouldLoseProgress(bool inBackground, CancellationToken cancellation)
        {
            return inBackground ? InBackground() : new(session.UnsavedChanges().Count > 0);

            async ValueTask<bool> InBackground() =>
                (await session.UnsavedChangesAsync(cancellation).ConfigureAwait(true)).Count > 0;
        }

        public override ValueTask<bool> Load(bool inBackground, WhichSave which, CancellationToken cancellation)
        {
            if (inBackground)
                return InTick(() => session.LoadBehind(which, null, cancellation));
            session.LoadNow(which, null);
            return new(true);
        }

        public override ValueTask<bool> Begin(bool inBackground)
        {
            if (inBackground)
                return InTick(session.StartNewAsync);
            session.StartNew();
            return new(true);
        }

        /// <summary>The session is the game's thread's alone, and this may be another one.</summary>
        private async ValueTask<bool> InTick(Func<Task<SessionArrival>> ask)
        {
            var request = new ScreenRequest(ask);
            session._ofScreens.Enqueue(request);
            await request.Done.Task.ConfigureAwait(true);
            return true;
        }
    }
}

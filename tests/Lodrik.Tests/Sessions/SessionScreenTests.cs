using Lodrik.Screens;
using Lodrik.Storage;
using Lodrik.Tests.Scenes;

namespace Lodrik.Tests.Sessions;

/// <summary>The save screen of a session, on a game's thread that has no synchronisation context.</summary>
public sealed class SessionScreenTests : IDisposable
{
    private readonly SaveStore<RunSave> _store = SaveStore<RunSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
    private readonly HashSet<int> _threads = [];

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    public void Dispose() => _store.Dispose();

    [Fact]
    public void A_session_saves_and_loads_what_its_screen_is_told()
    {
        using var session = Session();
        var screen = session.Screen();
        Assert.Equal((ScreenRefusal.NothingPlayed, ScreenRefusal.NoSaves), (screen.Can(ScreenAction.SaveAs).Refusal, screen.Can(ScreenAction.Continue).Refusal));
        Assert.True(screen.Press(ScreenAction.New).IsDone);
        Assert.True(screen.Press(ScreenAction.SaveAs, "Evening").IsDone);
        Assert.Equal(("Evening", "in the yard"), (screen.Selected!.Name, screen.Selected.Title));
        session.State.Tally["boats"] = 3;
        Assert.Equal(ScreenQuestionKind.Discard, screen.Press(ScreenAction.Load).Question?.Kind);
        Assert.True(screen.Answer(true).IsDone);
        Assert.Empty(session.State.Tally);
        Assert.True(session.IsReady);
        Assert.True(screen.Press(ScreenAction.Load).IsDone);
        session.Travel(new ScenePlace("mill", "door"));
        Assert.Equal(ScreenQuestionKind.Discard, screen.Press(ScreenAction.Continue).Question?.Kind);
        Assert.True(screen.Answer(true).IsDone);
        Assert.Equal("yard", session.Place.Scene);
    }

    [Fact]
    public void What_is_loaded_in_the_background_is_put_up_on_the_games_thread()
    {
        // The game's loop: one thread without a synchronisation context.
        Exception? failure = null;
        var game = new Thread(() =>
        {
            try
            {
                Play();
            }
            catch (Exception exception)
            {
                failure = exception;
            }
        });
        game.Start();
        Assert.True(game.Join(TimeSpan.FromMinutes(1)));
        Assert.Null(failure);
        Assert.Equal([game.ManagedThreadId], _threads);
    }

    [Fact]
    public async Task A_session_that_is_left_takes_back_what_its_screen_waits_for()
    {
        var session = Session();
        session.StartNew();
        var screen = await session.ScreenAsync(cancellationToken: Cancellation);
        Assert.True((await screen.PressAsync(ScreenAction.SaveAs, "Evening", Cancellation)).IsDone);
        var loading = screen.PressAsync(ScreenAction.Load, cancellationToken: Cancellation);
        while (!loading.IsCompleted)
        {
            session.Dispose();
            Cancellation.ThrowIfCancellationRequested();
            await Task.Yield();
        }
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => loading);
        Assert.False(screen.IsBusy);
        Assert.Equal(ScreenRefusal.NothingPlayed, screen.Can(ScreenAction.Save).Refusal);
    }

    private void Play()
    {
        using var session = Session();
        var screen = Wait(session, session.ScreenAsync());
        Assert.True(Wait(session, screen.PressAsync(ScreenAction.New)).IsDone);
        Assert.True(Wait(session, screen.PressAsync(ScreenAction.SaveAs, "Evening")).IsDone);
        session.State.Tally["boats"] = 3;
        var asked = Wait(session, screen.PressAsync(ScreenAction.Load));
        Assert.Equal(ScreenQuestionKind.Discard, asked.Question?.Kind);
        Assert.True(Wait(session, screen.AnswerAsync(true)).IsDone);
        Assert.Empty(session.State.Tally);
        Assert.True(Wait(session, screen.PressAsync(ScreenAction.Continue)).IsDone);
        Assert.True(Wait(session, screen.PressAsync(ScreenAction.New)).IsDone);
        Assert.Null(_store.CurrentSlot);
    }

    private static T Wait<T>(GameSession<RunSave, Yard> session, Task<T> task)
    {
        while (!task.IsCompleted)
        {
            session.Tick();
            Thread.Yield();
        }
        return task.GetAwaiter().GetResult();
    }

    private GameSession<RunSave, Yard> Session()
    {
        GameSession<RunSave, Yard>? session = null;
        return session = new GameSession<RunSave, Yard>(_store, Yard.Bindings(), new SessionOptions<RunSave>
        {
            Start = new ScenePlace("yard", "gate"),
            Autosave = AutosavePolicy.Never,
            Label = _ => new SaveLabel { Title = "in the yard" },
            ChangeScene = change =>
            {
                _threads.Add(Environment.CurrentManagedThreadId);
                session!.Arrive(change, Yard.Author());
            },
        });
    }
}

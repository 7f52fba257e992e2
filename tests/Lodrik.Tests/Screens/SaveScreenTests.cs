using Lodrik.Screens;
using Lodrik.Storage;
using Lodrik.Tests.Slots;

namespace Lodrik.Tests.Screens;

/// <summary>A save screen without its looks: rows, buttons, questions.</summary>
public sealed class SaveScreenTests : IDisposable
{
    private readonly MemoryStorage _memory = new();
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
    private readonly SaveStore<LogSave> _store;
    private LogSave? _played = At(1);

    public SaveScreenTests() => _store = Open();

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    public void Dispose()
    {
        _store.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void What_is_typed_means_the_slot_that_is_there_and_asks_to_replace_it()
    {
        var screen = Screen();
        Assert.Equal("Saved \"雪山\".", Done(screen.Press(ScreenAction.SaveAs, " 雪山 ")));
        Assert.Equal(("雪山", "day 1", true, true), (screen.Selected!.Name, screen.Selected.Title, screen.Selected.IsCurrent, screen.Selected.IsNewest));
        _played!.Log.Day = 2;
        var asked = screen.Press(ScreenAction.SaveAs, "雪山");
        Assert.Equal((ScreenOutcomeKind.Asks, ScreenQuestionKind.Replace, "雪山", "Replace \"雪山\"?"), (asked.Kind, asked.Question!.Kind, asked.Question.Row!.Name, asked.Message));
        Assert.Same(asked.Question, screen.Question);
        Assert.Equal(ScreenOutcomeKind.Cancelled, screen.Answer(false) is { Action: ScreenAction.SaveAs } no ? no.Kind : default);
        Assert.Equal((ScreenAction.SaveAs, null), (asked.Action, screen.Answer(true).Action));
        Assert.Equal((ScreenAction.Load, null), (screen.Press(ScreenAction.Load).Action, screen.Refresh().Action));
        Assert.Equal(1, _store.Load(screen.Selected.Slot).State.Log.Day);
        screen.Press(ScreenAction.SaveAs, "雪山");
        Assert.Equal(2, screen.Answer(true).Receipt!.Generation);
        Assert.Single(screen.Rows);
        Assert.Equal(ScreenRefusal.NothingTyped, screen.Press(ScreenAction.SaveAs, " \u202e ").Refusal);
        Assert.Equal(ScreenRefusal.TooLong, screen.Press(ScreenAction.SaveAs, new string('x', 101)).Refusal);
    }

    [Fact]
    public void Saving_asks_before_it_replaces_another_row_and_not_where_one_goes_on()
    {
        var screen = Screen();
        Assert.Equal(ScreenRefusal.NothingSelected, screen.Can(ScreenAction.Save).Refusal);
        screen.Press(ScreenAction.SaveAs, "first");
        screen.Press(ScreenAction.SaveAs, "second");
        Assert.Equal("Saved \"second\".", Done(screen.Press(ScreenAction.Save)));
        screen.Select((SaveRow?)null);
        Assert.Equal("Saved \"second\".", Done(screen.Press(ScreenAction.Save)));
        screen.Select("first");
        Assert.Equal("Replace \"first\"?", screen.Press(ScreenAction.Save).Message);
        Done(screen.Answer(true));
        Assert.Equal("first", _store.CurrentSlot?.ToString());
        _played = null;
        Assert.Equal(ScreenRefusal.NothingPlayed, screen.Press(ScreenAction.Save).Refusal);
        Assert.Equal("No game is being played.", screen.Can(ScreenAction.SaveAs).Reason);
    }

    [Fact]
    public void A_save_that_came_since_the_list_was_read_is_asked_about_too()
    {
        var screen = Screen();
        using (var other = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _memory }))
            other.Save("evening", At(7));
        Assert.Empty(screen.Rows);
        Assert.Equal("Replace \"evening\"?", screen.Press(ScreenAction.SaveAs, "Evening").Message);
        Assert.Equal(7, _store.Load("evening").State.Log.Day);
        screen.Answer(true);
        Assert.Equal(1, _store.Load("evening").State.Log.Day);
    }

    [Fact]
    public void Leaving_asks_only_if_something_would_be_lost()
    {
        var screen = Screen();
        Assert.Equal(ScreenRefusal.NoSaves, screen.Press(ScreenAction.Continue).Refusal);
        screen.Press(ScreenAction.SaveAs, "first");
        _played!.Log.Day = 2;
        screen.Press(ScreenAction.SaveAs, "second");
        screen.Select("first");
        Assert.Equal("Loaded \"first\".", Done(screen.Press(ScreenAction.Load)));
        Assert.Equal(1, _played.Log.Day);
        // Nothing was played since, though another save of this playthrough is newer.
        screen.Select("second");
        Done(screen.Press(ScreenAction.Load));
        _played.Log.Day = 3;
        Assert.Equal(ScreenQuestionKind.Discard, screen.Press(ScreenAction.Continue).Question?.Kind);
        screen.Answer(false);
        Assert.Equal(3, _played.Log.Day);
        screen.Press(ScreenAction.Load);
        Done(screen.Answer(true));
        Assert.Equal(2, _played.Log.Day);
        _played.Clock.Minutes++;
        Assert.Equal(ScreenOutcomeKind.Asks, screen.Press(ScreenAction.Load).Kind);
        Assert.True(_store.Screen(Game() with { NoProgress = [LogSave.Sections.Clock] }).Press(ScreenAction.Continue).IsDone);
        _played.Log.Day = 4;
        Assert.Equal(ScreenQuestionKind.Discard, screen.Press(ScreenAction.New).Question?.Kind);
        var before = _store.Playthrough;
        Assert.Equal("A new game begins.", Done(screen.Answer(true)));
        Assert.NotEqual(before, _store.Playthrough);
        Assert.Null(_store.CurrentSlot);
    }

    [Fact]
    public void Deleting_asks_and_can_be_undone_until_the_store_is_closed()
    {
        var screen = Screen();
        foreach (var name in (string[])["first", "second", "third"])
            screen.Press(ScreenAction.SaveAs, name);
        screen.Select("second");
        Assert.Equal("Delete \"second\"?", screen.Press(ScreenAction.Delete).Message);
        Assert.Equal("Deleted \"second\". Undo brings it back.", Done(screen.Answer(true)));
        // The row that took its place is selected.
        Assert.Equal("first", screen.Selected!.Slot.ToString());
        Assert.Equal(["third", "first"], screen.Rows.Select(row => row.Slot.ToString()));
        screen.Select("third");
        screen.Press(ScreenAction.Delete);
        screen.Answer(true);
        Assert.Null(_store.CurrentSlot);
        Assert.Equal("\"third\" is back.", Done(screen.Press(ScreenAction.Undo)));
        Assert.Equal("third", _store.CurrentSlot?.ToString());
        // Another screen of the store brings back what this one deleted.
        Assert.Equal("\"second\" is back.", Done(Screen().Press(ScreenAction.Undo)));
        Assert.Equal(ScreenRefusal.NothingDeleted, screen.Press(ScreenAction.Undo).Refusal);

        screen.Refresh();
        Assert.Equal((ScreenQuestionKind.ClearAll, 3, "Delete 3 saves?"), screen.Press(ScreenAction.ClearAll).Question is var all ? (all!.Kind, all.Count, all.Text) : default);
        Done(screen.Answer(true));
        Assert.Empty(screen.Rows);
        Assert.False(_store.HasSaves());
        Assert.Equal("3 saves are back.", Done(screen.Press(ScreenAction.Undo)));
        Assert.Equal(3, screen.Rows.Count);
        screen.Press(ScreenAction.ClearAll);
        screen.Answer(true);
        _store.Dispose();
        Assert.Empty(_memory.List("slots"));
    }

    [Fact]
    public void What_was_saved_in_the_place_of_what_was_deleted_is_not_lost_by_undoing()
    {
        var screen = Screen();
        screen.Press(ScreenAction.SaveAs, "evening");
        Delete(screen, "evening");
        _played!.Log.Day = 5;
        screen.Press(ScreenAction.SaveAs, "evening");
        var failed = screen.Press(ScreenAction.Undo);
        Assert.Equal((ScreenOutcomeKind.Failed, SaveErrorCode.SlotTaken), (failed.Kind, failed.Problem?.Code));
        Assert.Equal(5, _store.Load("evening").State.Log.Day);
        Done(screen.Press(ScreenAction.Rename, "late"));
        Done(screen.Press(ScreenAction.Undo));
        Assert.Equal((1, 5), (_store.Load("evening").State.Log.Day, _store.Load("late").State.Log.Day));
    }

    [Fact]
    public void A_playthroughs_quick_saves_are_a_row_of_their_own()
    {
        _store.QuickSave(At(1));
        _store.QuickSave(At(2));
        _store.StartPlaythrough();
        _store.QuickSave(At(11));
        _store.AutoSave(At(12));
        var screen = Screen();
        Assert.Equal(["auto", "quick", "quick"], screen.Rows.Select(row => row.Slot.ToString()));
        screen.Select(screen.Rows[2]);
        Assert.Equal(ScreenRefusal.KeptByGame, screen.Can(ScreenAction.Save).Refusal);
        Assert.Equal(ScreenRefusal.KeptByGame, screen.Press(ScreenAction.Rename, "kept").Refusal);
        Assert.Equal(2, screen.Details()!.History.Count);
        screen.Press(ScreenAction.Load);
        Done(screen.Answer(true));
        Assert.Equal(2, _played!.Log.Day);
        Assert.Equal("Copied \"quick\" to \"kept\".", Done(screen.Press(ScreenAction.Copy, "kept")));
        Assert.Equal(2, _store.History("kept").Count);
        screen.Select(screen.Rows.Last(row => row.Slot == "quick"));
        screen.Press(ScreenAction.Delete);
        Done(screen.Answer(true));
        Assert.Equal(11, Assert.Single(_store.History(SlotName.Quick)).Number == 3 ? _store.Load(SlotName.Quick).State.Log.Day : 0);
        _store.QuickSave(At(13));
        Done(screen.Press(ScreenAction.Undo));
        Assert.Equal([4, 3, 2, 1], _store.History(SlotName.Quick).Select(one => one.Number));
    }

    [Fact]
    public void Places_come_first_and_are_shown_though_they_are_empty()
    {
        _store.Save("two", At(2));
        _store.Save("other", At(3));
        _store.AutoSave(At(4));
        // The store has none: all other slots are listed after the places of the screen.
        var both = _store.Screen(Game(), new SaveScreenOptions { Places = ["one", "two"], Kinds = [SaveKind.Manual] });
        Assert.Equal([("one", true), ("two", false), ("other", false)], both.Rows.Select(row => (row.Slot.ToString(), row.IsEmpty)));
        Assert.Equal([true, true, false], both.Rows.Select(row => row.IsPlace));
        both.Select("one");
        Assert.Equal("There is no save in this place.", both.Can(ScreenAction.Load).Reason);
        Assert.Null(both.Details());
        Done(both.Press(ScreenAction.Save));
        Assert.Equal("one", both.Selected!.Slot.ToString());

        using var fixedStore = Open(new SaveStoreOptions { Storage = new MemoryStorage(), Places = ["one", "two"] });
        var screen = fixedStore.Screen(Game());
        Assert.Equal(ScreenRefusal.FixedPlaces, screen.Can(ScreenAction.SaveAs).Refusal);
        screen.Select("two");
        Done(screen.Press(ScreenAction.Save));
        Assert.Equal(ScreenRefusal.FixedPlaces, screen.Press(ScreenAction.Copy).Refusal);
        // A place keeps its slot, and is called what the player likes.
        Done(screen.Press(ScreenAction.Rename, "The flood"));
        Assert.Equal(("two", "The flood"), (screen.Selected!.Slot.ToString(), screen.Selected.Caption));
        var file = Path.Combine(_folder, "two.zip");
        Done(screen.Press(ScreenAction.Export, file));
        Assert.Equal(ScreenRefusal.FixedPlaces, screen.Press(ScreenAction.Import, file).Refusal);
        screen.Select("one");
        Assert.Equal("Imported \"The flood (2)\".", Done(screen.Press(ScreenAction.Import, file)));
        Assert.All(screen.Rows, row => Assert.False(row.IsEmpty));
    }

    [Theory]
    [InlineData(ScreenOrder.Newest, "c a b"), InlineData(ScreenOrder.Oldest, "b a c"), InlineData(ScreenOrder.Caption, "a b c"), InlineData(ScreenOrder.Played, "b c a")]
    public void Rows_are_in_the_order_that_the_game_wants_and_damaged_ones_last(ScreenOrder order, string expected)
    {
        foreach (var (slot, hours) in new[] { ("b", 9), ("a", 1), ("c", 5) })
            _store.Save(slot, At(1), new SaveLabel { Played = TimeSpan.FromHours(hours) });
        _memory.Write("slots/0/00000001.json", new byte[] { 1, 2 }, replace: false);
        var screen = _store.Screen(options: new SaveScreenOptions { Order = order });
        Assert.Equal($"{expected} 0", string.Join(' ', screen.Rows.Select(row => row.Slot)));
    }

    [Fact]
    public void Every_kind_of_trouble_is_a_sentence_and_stops_the_right_buttons()
    {
        Foreign("newer", SaveStore<NewerLogSave>.Open, new NewerLogSave());
        Foreign("foreign", SaveStore<OtherLogSave>.Open, new OtherLogSave());
        _memory.Write("slots/damaged/00000001.json", "{"u8.ToArray(), replace: false);
        _store.Save("fell", At(3));
        _memory.Write("slots/fell/00000002.json", "{"u8.ToArray(), replace: false);
        var screen = Screen();
        foreach (var (slot, refusal, save) in new[]
        {
            ("newer", ScreenRefusal.NewerVersion, ScreenRefusal.NewerVersion), ("foreign", ScreenRefusal.OtherGame, ScreenRefusal.None),
            ("damaged", ScreenRefusal.Damaged, ScreenRefusal.None), ("fell", ScreenRefusal.None, ScreenRefusal.None),
        })
        {
            screen.Select(slot);
            Assert.Equal((refusal, save), (screen.Can(ScreenAction.Load).Refusal, screen.Can(ScreenAction.Save).Refusal));
            Assert.NotEmpty(screen.Selected!.Trouble);
            Assert.True(screen.Can(ScreenAction.Delete).IsPossible);
            Assert.NotNull(screen.Selected.Problem);
        }
        Assert.Equal("The newest save is damaged. The one before it is loaded instead.", screen.Selected!.Trouble);
        screen.Press(ScreenAction.Load);
        Done(screen.Answer(true));
        Assert.Equal(3, _played!.Log.Day);
        Assert.All(Enum.GetValues<ScreenRefusal>(), refusal => Assert.Equal(refusal == ScreenRefusal.None, new ScreenChoice(refusal).Reason.Length == 0));
        Assert.Throws<ArgumentOutOfRangeException>(() => screen.Can((ScreenAction)99));

        void Foreign<T>(string slot, Func<SaveStoreOptions, SaveStore<T>> open, T state) where T : class, Lodrik.State.IStateRoot<T>
        {
            using var store = open(new SaveStoreOptions { Storage = _memory });
            store.Save(slot, state);
        }
    }

    [Fact]
    public void The_details_have_the_picture_the_values_and_the_history()
    {
        var screen = Screen();
        screen.Press(ScreenAction.SaveAs, "evening");
        _played!.Log.Day = 2;
        screen.Press(ScreenAction.Save);
        var details = screen.Details()!;
        Assert.Equal(["day 2", "day 1"], details.History.Select(one => one.Header!.Title));
        Assert.Equal((byte)2, details.Picture!.Value.Span[^1]);
        Assert.Equal((byte)2, screen.Picture(screen.Selected!)![^1]);
        Assert.Equal(("slots/evening/00000002.json", "slots-tests"), (details.File, details.Header!.Game));
        Assert.Equal(("day", "2"), (screen.Selected!.Summary[0].Key, screen.Selected.Summary[0].Value.ToString()));
        Assert.True(screen.Selected.HasPicture);
        Assert.Equal((SaveKind.Manual, SlotHealth.Readable), (screen.Selected.Kind, screen.Selected.Health));
        Assert.NotNull(screen.Selected.Saved);
    }

    [Fact]
    public void A_name_that_is_taken_is_asked_about_and_a_copy_gets_a_free_one()
    {
        var screen = Screen();
        screen.Press(ScreenAction.SaveAs, "Evening");
        screen.Press(ScreenAction.SaveAs, "Morning");
        var asked = screen.Press(ScreenAction.Rename, "evening");
        Assert.Equal((ScreenQuestionKind.Replace, "Evening", ScreenAction.Rename), (asked.Question!.Kind, asked.Question.Row!.Caption, asked.Question.Action));
        Done(screen.Answer(true));
        Assert.Equal(("evening", "evening"), (Assert.Single(screen.Rows).Slot.ToString(), screen.Rows[0].Name));
        Assert.Equal("\"evening\" is now \"Evening!\".", Done(screen.Press(ScreenAction.Rename, "Evening!")));
        Done(screen.Press(ScreenAction.Copy));
        Done(screen.Press(ScreenAction.Copy));
        Assert.Equal(["Evening!", "Evening! (2)", "Evening! (3)"], screen.Rows.Select(row => row.Name).Order());
        Assert.Equal(ScreenQuestionKind.Replace, screen.Press(ScreenAction.Copy, "EVENING!").Question?.Kind);
        Done(screen.Answer(true));
        Assert.Equal(3, screen.Rows.Count);
        var file = Path.Combine(_folder, "evening.zip");
        Done(screen.Press(ScreenAction.Export, file));
        Assert.Equal((ScreenQuestionKind.ReplaceFile, "There is a file \"evening.zip\". Replace it?"), screen.Press(ScreenAction.Export, file).Question is var q ? (q!.Kind, q.Text) : default);
        Done(screen.Answer(true));
        Assert.Equal(ScreenOutcomeKind.Failed, screen.Press(ScreenAction.Import, Path.Combine(_folder, "none.zip")).Kind);
        Assert.Equal(ScreenRefusal.NothingTyped, screen.Press(ScreenAction.Import).Refusal);
    }

    [Fact]
    public void A_screen_that_was_given_nothing_to_do_manages_saves_and_no_more()
    {
        _store.Save("evening", At(1));
        var screen = _store.Screen();
        screen.Select("evening");
        Assert.All((ScreenAction[])[ScreenAction.Save, ScreenAction.SaveAs, ScreenAction.Load, ScreenAction.Continue, ScreenAction.New], action =>
            Assert.Equal(ScreenRefusal.NotOffered, screen.Press(action, "x").Refusal));
        Assert.Equal(ScreenRefusal.NoQuestion, screen.Answer(true).Refusal);
        screen.Press(ScreenAction.Delete);
        // Another button closes the question.
        screen.Press(ScreenAction.Copy);
        Assert.Null(screen.Question);
        Assert.Equal(ScreenRefusal.NoQuestion, screen.Answer(true).Refusal);
        Assert.Equal(2, screen.Rows.Count);
    }

    [Fact]
    public async Task Everything_is_done_in_the_background_too_and_one_thing_at_a_time()
    {
        var gated = new GatedStorage();
        await using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = gated });
        var screen = await store.ScreenAsync(Game(), cancellationToken: Cancellation);
        gated.Shut();
        var saving = screen.PressAsync(ScreenAction.SaveAs, "evening", Cancellation);
        // The snapshot is taken, the button is not pressed twice, and what was there can be looked at.
        _played!.Log.Day = 2;
        Assert.True(screen.IsBusy);
        Assert.Equal(ScreenRefusal.Busy, screen.Can(ScreenAction.Save).Refusal);
        Assert.Equal(ScreenRefusal.Busy, (await screen.PressAsync(ScreenAction.SaveAs, "evening", Cancellation)).Refusal);
        Assert.Empty(screen.Rows);
        gated.Open();
        Assert.Equal("Saved \"evening\".", Done(await saving));
        Assert.Equal(1, (await store.LoadAsync("evening", cancellationToken: Cancellation)).State.Log.Day);
        Assert.Equal("evening", (await screen.DetailsAsync(Cancellation))!.Row.Caption);
        Assert.Equal((byte)1, (await screen.PictureAsync(screen.Selected!, Cancellation))![^1]);
        _played.Log.Day = 3;
        Assert.Equal(ScreenQuestionKind.Discard, (await screen.PressAsync(ScreenAction.Load, cancellationToken: Cancellation)).Question?.Kind);
        Done(await screen.AnswerAsync(true, Cancellation));
        Assert.Equal(1, _played.Log.Day);
        Done(await screen.PressAsync(ScreenAction.Rename, "late", Cancellation));
        Done(await screen.PressAsync(ScreenAction.Copy, cancellationToken: Cancellation));
        await screen.PressAsync(ScreenAction.Delete, cancellationToken: Cancellation);
        Done(await screen.AnswerAsync(true, Cancellation));
        Done(await screen.PressAsync(ScreenAction.Undo, cancellationToken: Cancellation));
        Done(await screen.RefreshAsync(Cancellation));
        Assert.Equal(2, screen.Rows.Count);
        Done(await screen.PressAsync(ScreenAction.New, cancellationToken: Cancellation));
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => screen.RefreshAsync(new CancellationToken(canceled: true)));
        Assert.False(screen.IsBusy);
    }

    [Fact]
    public void What_fails_is_an_outcome_and_what_the_game_throws_comes_through()
    {
        var gated = new GatedStorage();
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = gated });
        var throws = false;
        var screen = store.Screen(Game() with { Label = () => throws ? throw new InvalidOperationException("no picture") : new SaveLabel() });
        gated.Failure = _ => new StorageException("The disk is full.", remedy: "Make room.");
        var failed = screen.Press(ScreenAction.SaveAs, "evening");
        Assert.Equal((ScreenOutcomeKind.Failed, "The disk is full. Make room."), (failed.Kind, failed.Message));
        Assert.IsType<StorageException>(failed.Problem);
        gated.Failure = _ => null;
        throws = true;
        Assert.Throws<InvalidOperationException>(() => screen.Press(ScreenAction.SaveAs, "evening"));
        throws = false;
        Done(screen.Press(ScreenAction.SaveAs, "evening"));
    }

    private static void Delete(SaveScreen screen, SlotName slot)
    {
        screen.Select(slot);
        screen.Press(ScreenAction.Delete);
        Done(screen.Answer(true));
    }

    private static string Done(ScreenOutcome outcome)
    {
        Assert.True(outcome.IsDone, $"{outcome.Kind}: {outcome.Message}");
        return outcome.Message;
    }

    private SaveScreen Screen() => _store.Screen(Game());

    private ScreenGame<LogSave> Game() => new()
    {
        Playing = () => _played,
        Load = loaded => _played = loaded.State,
        New = () => _played = new LogSave(),
        Label = () => new SaveLabel
        {
            Title = $"day {_played!.Log.Day}",
            Summary = [new("day", _played.Log.Day)],
            Thumbnail = new byte[] { 0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, (byte)_played.Log.Day },
        },
    };

    private SaveStore<LogSave> Open(SaveStoreOptions? options = null) => SaveStore<LogSave>.Open(options ?? new SaveStoreOptions { Storage = _memory });

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };
}

[SaveFile("slots-tests", Version = 9)]
public sealed partial class NewerLogSave
{
    public Log Log { get; set; } = new();
}

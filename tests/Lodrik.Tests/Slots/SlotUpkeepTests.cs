using CsCheck;
using Lodrik.Slots;
using Lodrik.Storage;
using Microsoft.Extensions.Time.Testing;

namespace Lodrik.Tests.Slots;

/// <summary>What a save screen does beside saving and loading.</summary>
public sealed class SlotUpkeepTests
{
    private static readonly byte[] Picture = [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3];

    private readonly MemoryStorage _storage = new();
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2031, 4, 1, 20, 0, 0, TimeSpan.Zero));

    [Fact]
    public void Quick_and_auto_keep_a_ring_for_each_playthrough()
    {
        using var store = Open(new() { KeepQuick = 2, KeepAuto = 3 });
        Save(store, "quick", 1, 2, 3);
        var first = store.Playthrough;
        store.StartPlaythrough();
        Assert.False(store.QuickLoad().Found);
        Save(store, "quick", 11, 12, 13, 14);
        Assert.Equal([14, 13, 3, 2], store.History("quick").Select(one => Day(store, "quick", one.Number)));
        Assert.Equal(14, store.QuickLoad().State.Log.Day);

        // Both playthroughs are in the list.
        Assert.Equal([store.Playthrough, first], store.List().Select(one => one.Header!.Playthrough));
        store.LoadGeneration("quick", 3);
        Assert.Equal(first, store.Playthrough);
        Assert.Equal(3, store.QuickLoad().State.Log.Day);
        Save(store, "auto", 21, 22, 23, 24);
        Assert.Equal(3, store.History("auto").Count);
    }

    [Fact]
    public void A_store_that_was_just_opened_quick_loads_the_newest_of_all_and_a_new_game_only_its_own()
    {
        using (var first = Open())
        {
            Assert.False(first.QuickLoad().Found);
            Save(first, "quick", 1, 2);
            first.StartPlaythrough();
            Save(first, "quick", 3);
        }
        using var second = Open();
        Assert.Equal(3, second.QuickLoad().State.Log.Day);
        using var third = Open();
        third.StartPlaythrough();
        Assert.False(third.QuickLoad().Found);
        using var fourth = Open();
        Save(fourth, "evening", 4);
        Assert.False(fourth.QuickLoad().Found);
    }

    [Fact]
    public void Loading_another_playthroughs_automatic_save_forgets_the_slot_to_go_on_saving_to()
    {
        using var store = Open();
        Save(store, "auto", 1);
        store.StartPlaythrough();
        Save(store, "evening", 2);
        Assert.Equal("evening", store.CurrentSlot?.ToString());
        store.Load("auto");
        Assert.Null(store.CurrentSlot);
        Assert.Throws<SlotTakenException>(() => Save(store, "evening", 3));
    }

    [Fact]
    public void Continue_loads_the_newest_whole_save_of_all_slots()
    {
        using var store = Open();
        Assert.False(store.HasSaves());
        Assert.Null(store.Newest());
        var nothing = store.Continue();
        Assert.False(nothing.Found);
        Assert.Throws<SlotException>(() => nothing.State);

        Save(store, "evening", 1, 2);
        Save(store, "auto", 3);
        Save(store, "evening", 4);
        Save(store, "quick", 5);
        Assert.True(store.HasSaves());
        Assert.Equal(5, store.Continue().State.Log.Day);
        Assert.Equal(4, store.Continue(["evening", "auto"]).State.Log.Day);
        Assert.Equal(("quick", 1), (store.Newest()!.Slot.ToString(), store.Newest()!.Number));

        // Newest first over all slots, not slot by slot.
        Spoil("slots/quick/00000001.json");
        Spoil("slots/evening/00000003.json");
        var loaded = store.Continue();
        Assert.Equal(("auto", 3), (loaded.Slot.ToString(), loaded.State.Log.Day));
        Assert.Equal(2, loaded.PassedOver.Count);
    }

    [Fact]
    public void The_history_of_a_slot_is_listed_loaded_and_reinstated()
    {
        using var store = Open(new() { KeepGenerations = 4 });
        Save(store, "evening", 1, 2, 3);
        Assert.Equal([3, 2, 1], store.History("evening").Select(one => one.Number));
        Assert.Equal(1, store.LoadGeneration("evening", 1).State.Log.Day);
        Assert.Equal(4, store.Reinstate("evening", 1));
        Assert.Equal(1, store.Load("evening").State.Log.Day);
        Assert.Equal([4, 3, 2, 1], store.History("evening").Select(one => one.Number));
        Assert.Equal((1, 4), (store.Continue().State.Log.Day, store.Newest()!.Number));
        Save(store, "evening", 5);
        Assert.Equal([5, 4, 3, 2], store.History("evening").Select(one => one.Number));

        Assert.Contains("It has 5, 4, 3, 2.", Assert.Throws<SlotException>(() => store.LoadGeneration("evening", 9)).Message, StringComparison.Ordinal);
        Spoil("slots/evening/00000003.json");
        Assert.Throws<DamagedSaveException>(() => store.Reinstate("evening", 3));
        Assert.Equal(5, store.Load("evening").State.Log.Day);
        Assert.True(store.DeleteGeneration("evening", 5));
        Assert.False(store.DeleteGeneration("evening", 5));
        Assert.Equal(1, store.Load("evening").State.Log.Day);
    }

    [Fact]
    public void A_slot_that_is_not_there_is_named_with_the_one_that_was_meant()
    {
        using var store = Open();
        Save(store, "evening", 1);
        Assert.Contains("Did you mean \"evening\"?", Assert.Throws<SlotException>(() => store.History("evning")).Message, StringComparison.Ordinal);
        Assert.Contains("Did you mean \"evening\"?", Assert.Throws<SlotException>(() => store.Load("eveninng").State).Message, StringComparison.Ordinal);
        Assert.Contains("There are: evening.", Assert.Throws<SlotException>(() => store.Rename("mill", "x")).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_slot_is_renamed_and_copied_with_its_history_and_pictures()
    {
        using var store = Open();
        Save(store, "evening", 1, 2);
        store.Save("evening", At(3), new SaveLabel { Title = "three", Thumbnail = Picture });
        store.Rename("evening", "night");
        Assert.False(store.Exists("evening"));
        Assert.Equal("night", store.CurrentSlot?.ToString());
        Assert.Equal([3, 2, 1], store.History("night").Select(one => Day(store, "night", one.Number)));
        Assert.Equal(Picture, store.ReadThumbnail("night"));
        Assert.Null(store.ReadThumbnail("night", 1));

        store.Copy("night", "spare");
        Assert.Equal(3, store.Load("spare").State.Log.Day);
        Save(store, "other", 8);
        Assert.Throws<SlotTakenException>(() => store.Copy("night", "other"));
        store.Copy("night", "other", Overwrite.Allowed);
        Assert.Equal([3, 2, 1, 8], store.History("other").Select(one => Day(store, "other", one.Number)));
        Assert.Equal(3, store.DeleteAll());
        Assert.Empty(_storage.List(""));
    }

    [Fact]
    public void A_picture_goes_with_its_generation_and_has_to_be_one()
    {
        using var store = Open(new() { KeepGenerations = 2, MaxThumbnailByteCount = 20 });
        Assert.Throws<ArgumentException>(() => store.Save("evening", At(1), new SaveLabel { Thumbnail = new byte[] { 1, 2, 3 } }));
        Assert.Throws<ArgumentException>(() => store.Save("evening", At(1), new SaveLabel { Thumbnail = (byte[])[.. Picture, .. new byte[20]] }));
        Assert.False(store.Exists("evening"));
        for (var day = 1; day <= 4; day++)
            store.Save("evening", At(day), new SaveLabel { Thumbnail = (byte[])[.. Picture, (byte)day] });
        Assert.Equal(4, store.ReadThumbnail("evening")![^1]);
        Assert.Equal(["00000003.json", "00000003.png", "00000004.json", "00000004.png"], _storage.List("slots").Select(file => file.Name.Split('/')[^1]).Order());
        store.Delete("evening");
        Assert.Empty(_storage.List(""));
    }

    [Theory]
    [InlineData("My first night!", "my-first-night")]
    [InlineData("  \u00dcber den Fluss -- 2 ", "uber-den-fluss-2")]
    [InlineData("the keeper's lamp", "the-keepers-lamp")]
    [InlineData("???", "save")]
    [InlineData("", "save")]
    [InlineData(" \u200b\t", "save")]
    [InlineData("\u96ea\u5c71", "xn--rhtr47k")]
    [InlineData("\u96ea\u5c71 2", "xn---2-qw1dl25s")]
    [InlineData("\u041d\u043e\u0447\u044c", "xn--m1ac1au")]
    [InlineData("\u043d\u043e\u0447\u044c", "xn--m1ac1au")]
    [InlineData("caf\u00e9", "cafe")]
    [InlineData("\ud83e\udda9", "xn--5t9h")]
    [InlineData("\ud83e\udda9 heron", "heron")]
    [InlineData("\ud83e", "save")]
    [InlineData("xn--rhtr47k", "xn-rhtr47k")]
    [InlineData("con", "save-con")]
    [InlineData("quick", "save-quick")]
    public void What_a_player_types_becomes_a_slot_name(string title, string name) => Assert.Equal(name, SlotName.FromTitle(title).ToString());

    /// <summary>The samples of RFC 3492, section 7.1, in lower case, beside dashes that stand for what is no letter.</summary>
    [Theory]
    [InlineData("\u4ed6\u4eec\u4e3a\u4ec0\u4e48\u4e0d\u8bf4\u4e2d\u6587", "ihqwcrb4cv8a8dqg056pqjye")]
    [InlineData("\u4ed6\u5011\u7232\u4ec0\u9ebd\u4e0d\u8aaa\u4e2d\u6587", "ihqwctvzc91f659drss3x8bo0yb")]
    [InlineData("\u306a\u305c\u307f\u3093\u306a\u65e5\u672c\u8a9e\u3092\u8a71\u3057\u3066\u304f\u308c\u306a\u3044\u306e\u304b", "n8jok5ay5dzabd5bym9f0cm5685rrjetr6pdxa")]
    [InlineData("\u043f\u043e\u0447\u0435\u043c\u0443\u0436\u0435\u043e\u043d\u0438\u043d\u0435\u0433\u043e\u0432\u043e\u0440\u044f\u0442\u043f\u043e\u0440\u0443\u0441\u0441\u043a\u0438", "b1abfaaepdrnnbgefbadotcwatmq2g4l")]
    [InlineData("3\u5e74B\u7d44\u91d1\u516b\u5148\u751f", "3b-ww4c5e180e575a65lsy2b")]
    [InlineData("Maji\u3067Koi\u3059\u308b5\u79d2\u524d", "majikoi5-783gue6qz075azm5e")]
    [InlineData("\u305d\u306e\u30b9\u30d4\u30fc\u30c9\u3067", "d9juau41awczczp")]
    [InlineData("Hello-Another-Way-\u305d\u308c\u305e\u308c\u306e\u5834\u6240", "hello-another-way--fc4qua05auwb3674vfr0b")]
    public void Letters_that_a_name_cannot_have_are_encoded(string title, string encoded) =>
        Assert.Equal($"xn--{encoded}", SlotName.FromTitle(title).ToString());

    [Fact]
    public void Titles_that_differ_have_different_names_in_any_script()
    {
        // Short enough to be encoded whole; letters of which each is a word of its own, in lower case.
        string[] letters = ["a", "z", "0", "-b", "\u03b4", "\u0444", "\u0e01\u0e34", "\u3042", "\u96ea", "\ud840\udc0b"];
        var letter = Gen.Int[0, letters.Length - 1].Select(at => letters[at]);
        Gen.Select(letter.Array[1, 7], letter.Array[1, 7]).Sample((one, other) =>
        {
            var (first, second) = (string.Concat(one).TrimStart('-'), string.Concat(other).TrimStart('-'));
            Assert.Equal(first == second, SlotName.FromTitle(first) == SlotName.FromTitle(second));
        });
        // However long, and whatever is in it.
        Gen.String[Gen.Char, 0, 2000].Sample(title => SlotName.TryParse(SlotName.FromTitle(title).ToString(), out _), iter: 200);
        Assert.Equal(SlotName.FromTitle(new string('\u96ea', 2_000_000)), SlotName.FromTitle(new string('\u96ea', 60)));
    }

    [Theory]
    [InlineData("My first night!", "my-first-night")]
    [InlineData("  my FIRST night! ", "my-first-night")]
    [InlineData("my-first-night", "my-first-night")]
    [InlineData("My first night", "my-first-night")]
    [InlineData("\u96ea\u5c71", "xn--rhtr47k")]
    [InlineData("\u96ea\u5c71\uff01", "xn--rhtr47k")]
    [InlineData("\u041d\u041e\u0427\u042c", "spare")]
    [InlineData("spare", "spare")]
    [InlineData("My second night", "my-second-night")]
    [InlineData("Third", "third")]
    [InlineData("Another title", "third")]
    [InlineData("???", "save")]
    [InlineData("!!!", "save-2")]
    [InlineData("save", "save")]
    [InlineData("auto", "save-auto")]
    public void What_a_player_types_means_the_slot_that_is_there_or_a_free_one(string typed, string slot)
    {
        using var store = Open();
        foreach (var (name, title) in new[]
        {
            ("my-first-night", "My first night!"), ("xn--rhtr47k", "\u96ea\u5c71"), ("spare", "\u043d\u043e\u0447\u044c"), ("third", "Another title"), ("save", "???"),
        })
            store.Save(name, At(1), new SaveLabel { Title = title });
        store.AutoSave(At(2));
        Assert.Equal(slot, store.NameFor(typed).ToString());
    }

    [Fact]
    public void A_free_name_is_one_that_no_slot_has()
    {
        using var store = Open();
        Save(store, "My-First-Night", 1);
        store.StartPlaythrough();
        Assert.Equal("my-first-night-2", store.FreeName("My first night!").ToString());
        Save(store, "my-first-night-2", 1);
        Assert.Equal("my-first-night-3", store.FreeName("My first night!").ToString());
        Assert.Equal(64, SlotName.MaxLength);
        Assert.True(store.FreeName(new string('x', 200)).ToString().Length < 64);
    }

    [Fact]
    public void Two_slots_never_differ_by_case_only()
    {
        using var store = Open();
        Save(store, "Evening", 1);
        Assert.Contains("\"Evening\"", Assert.Throws<SlotException>(() => Save(store, "evening", 2)).Message, StringComparison.Ordinal);
        Assert.Throws<SlotException>(() => store.Copy("Evening", "EVENING"));
        Assert.Single(store.List());
    }

    [Fact]
    public void Profiles_have_slots_and_settings_of_their_own()
    {
        using var plain = Open();
        using var one = Open(new() { Profile = "one" });
        using var two = Open(new() { Profile = "two" });
        Save(plain, "evening", 1);
        Save(one, "evening", 2);
        Save(two, "night", 3);
        one.Settings<Log>().Save(new Log { Day = 9 });
        Assert.Equal((1, 2), (plain.Load("evening").State.Log.Day, one.Load("evening").State.Log.Day));
        Assert.False(two.Exists("evening"));
        Assert.Equal((9, 1), (one.Settings<Log>().Load().Day, two.Settings<Log>().Load().Day));
        Assert.Equal(["one", "two"], plain.Profiles().Select(profile => profile.ToString()));
        Assert.Equal(["one", "two"], two.Profiles().Select(profile => profile.ToString()));
        Assert.Contains("profiles/one/slots/evening", one.Save("evening", At(4)).File, StringComparison.Ordinal);
        Assert.Equal(1, one.DeleteAll());
        Assert.True(plain.Exists("evening"));
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void Settings_are_kept_reset_and_follow_a_change_of_form(SaveForm form)
    {
        using var store = Open(new() { Form = form });
        var settings = store.Settings<Log>();
        Assert.Equal(1, settings.Load().Day);
        settings.Save(new Log { Day = 5 });
        Assert.Equal(5, store.Settings<Log>().Load().Day);
        using var other = Open(new() { Form = SaveForm.Xml });
        Assert.Equal(5, other.Settings<Log>().Load().Day);
        other.Settings<Log>().Save(new Log { Day = 6 });
        Assert.Equal((6, 1), (store.Settings<Log>().Load().Day, _storage.List("").Count));

        _storage.Write("settings.xml", "<broken"u8.ToArray(), replace: true);
        if (form == SaveForm.Json)
            Assert.ThrowsAny<SaveException>(() => settings.Load());
        var (unread, problem) = settings.LoadOrNew();
        Assert.Equal(1, unread.Day);
        Assert.NotNull(problem);
        settings.Reset();
        Assert.Empty(_storage.List(""));
        var (fresh, nothing) = settings.LoadOrNew();
        Assert.Equal(1, fresh.Day);
        Assert.Null(nothing);
    }

    [Fact]
    public void Leaving_is_asked_about_only_when_something_would_be_lost()
    {
        using var store = Open();
        var state = new LogSave();
        Assert.False(store.WouldLoseProgress(state));
        state.Log.Day = 2;
        Assert.True(store.WouldLoseProgress(state));
        store.Save("evening", state);
        Assert.False(store.WouldLoseProgress(state));
        state.Clock.Minutes = 7;
        Assert.Equal(["/clock/minutes: 0 became 7"], store.UnsavedChanges(state).Select(change => change.ToString()));
        Assert.False(store.WouldLoseProgress(state, [LogSave.Sections.Clock]));
        _clock.Advance(TimeSpan.FromMinutes(1));
        store.AutoSave(state);
        Assert.False(store.WouldLoseProgress(state));

        // Another playthrough's saves do not count.
        store.StartPlaythrough();
        Assert.True(store.WouldLoseProgress(state));
        Assert.Throws<SaveContentException>(() => store.WouldLoseProgress(state, ["nothing"]));
    }

    [Fact]
    public void A_save_that_was_edited_by_hand_loads_or_not_as_the_store_is_told()
    {
        using (var store = Open())
            Save(store, "evening", 1, 2);
        var text = System.Text.Encoding.UTF8.GetString(_storage.Read("slots/evening/00000002.json")!);
        _storage.Write("slots/evening/00000002.json", System.Text.Encoding.UTF8.GetBytes(text.Replace("\"day\": 2", "\"day\": 77", StringComparison.Ordinal)), replace: true);
        using (var store = Open())
            Assert.Equal(77, store.Load("evening").State.Log.Day);
        using (var store = Open(new() { EditedSaves = SaveTreatment.Refuse }))
            Assert.Equal(SaveErrorCode.EditedByHand, Assert.Throws<SaveContentException>(() => store.Load("evening")).Code);
        using (var store = Open(new() { EditedSaves = SaveTreatment.PassOver }))
        {
            var loaded = store.Load("evening");
            Assert.Equal((1, 1), (loaded.State.Log.Day, loaded.PassedOver.Count));
        }
    }

    [Fact]
    public void A_game_may_have_a_fixed_number_of_places()
    {
        using var store = Open(new() { Places = ["one", "two", "three"] });
        Save(store, "two", 5);
        Save(store, "quick", 6);
        Assert.Equal([("one", false), ("two", true), ("three", false)], store.Places().Select(place => (place.Slot.ToString(), place.Occupant is not null)));
        Assert.Contains("It has: one, two, three.", Assert.Throws<SlotException>(() => Save(store, "four", 1)).Message, StringComparison.Ordinal);
        Assert.Throws<SlotException>(() => store.Copy("two", "four"));
        store.Copy("two", "three");
        Assert.Equal(3, store.List().Count);
        Assert.Equal(["quick"], store.List([SaveKind.Quick]).Select(slot => slot.Slot.ToString()));
        Assert.Equal(2, store.List([SaveKind.Manual, SaveKind.Auto]).Count);
    }

    [Fact]
    public void A_folder_that_vanished_while_the_game_ran_is_made_again()
    {
        var folder = Path.Combine(Directory.CreateTempSubdirectory("lodrik-").FullName, "saves");
        using (var store = SaveStore<LogSave>.Open(folder))
        {
            store.Save("evening", At(1));
            Directory.Delete(folder, recursive: true);
            Assert.False(store.Exists("evening"));
            store.Save("evening", At(2), overwrite: Overwrite.Allowed);
            Assert.Equal(2, store.Load("evening").State.Log.Day);
        }
        Directory.Delete(Path.GetDirectoryName(folder)!, recursive: true);
    }

    [Fact]
    public void A_title_is_made_of_the_parts_that_there_are() =>
        Assert.Equal("The mill · night 3", SaveLabel.TitleOf("The mill", null, " ", "night 3"));

    [Fact]
    public void The_history_of_a_storage_is_looked_into_without_the_games_types()
    {
        using (var store = Open())
            Save(store, "evening", 1, 2, 3);
        using var slots = SaveSlots.Open(_storage);
        Assert.Equal([3, 2, 1], slots.History("evening").Select(one => one.Number));
        Assert.Equal(4, slots.Reinstate("evening", 2));
        Assert.True(slots.DeleteGeneration("evening", 3));
        Assert.False(slots.DeleteGeneration("evening", 3));
        Assert.Equal("Slot 'evening' has no generation 3.", Assert.Throws<SlotException>(() => slots.OpenSave("evening", 3)).Problem);
        var save = slots.OpenSave("evening", 4);
        Assert.Equal(5, slots.Append("evening", save.Protect(null)));
        slots.Copy("evening", "copy");
        Assert.Equal(4, slots.History("copy").Count);
        Assert.Throws<SlotTakenException>(() => slots.Copy("evening", "copy"));
        slots.Rename("copy", "morning");
        Assert.Equal((false, true), (slots.Exists("copy"), slots.Exists("morning")));
        Assert.Throws<SlotTakenException>(() => slots.Add("morning", save.Protect(null)));
        slots.Add("noon", save.Protect(null));
        Assert.Equal(1, slots.Newest().Single(one => one.Slot == "noon").Generation);
        Assert.Throws<DamagedSaveException>(() => slots.Append("evening", new byte[3]));
        Assert.Equal(4, slots.Delete("evening"));
        Assert.Equal(0, slots.Delete("evening"));
        Assert.Throws<SlotException>(() => slots.Append("evening", save.Protect(null)));
    }

    private SaveStore<LogSave> Open(SaveStoreOptions? options = null) =>
        SaveStore<LogSave>.Open((options ?? new SaveStoreOptions()) with { Storage = _storage, Clock = _clock });

    private void Save(SaveStore<LogSave> store, SlotName slot, params int[] days)
    {
        foreach (var day in days)
        {
            _clock.Advance(TimeSpan.FromMinutes(1));
            store.Save(slot, At(day));
        }
    }

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    private int Day(SaveStore<LogSave> store, SlotName slot, int generation) => StateFile.FromBytes<LogSave>(
        _storage.Read(store.History(slot).Single(one => one.Number == generation).File)!).Log.Day;

    private void Spoil(string file)
    {
        var bytes = _storage.Read(file)!;
        _storage.Write(file, bytes.AsMemory(0, bytes.Length - 20), replace: true);
    }
}

[SaveFile("slots-tests")]
public sealed partial class LogSave
{
    public Log Log { get; set; } = new();
    public Clock Clock { get; set; } = new();
}

[StateType]
public sealed partial class Log
{
    public int Day { get; set; } = 1;
    public List<string> Lines { get; set; } = [];
}

[StateType]
public sealed partial class Clock
{
    public int Minutes { get; set; }
}

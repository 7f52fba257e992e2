using System.Buffers;
using System.Text;
using Lodrik.Scenes;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Formats;
using Microsoft.Extensions.Time.Testing;

namespace Lodrik.Tests.Slots;

public sealed class SaveStoreTests : IDisposable
{
    private readonly MemoryStorage _memory = new();
    private readonly FakeTimeProvider _clock = new(new DateTimeOffset(2031, 5, 6, 7, 8, 9, TimeSpan.Zero));
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory, MemberData(nameof(Forms))]
    public void A_save_comes_back_from_its_slot(SaveForm form)
    {
        using var store = Open(form);
        var receipt = store.Save("evening", Named("loft"));
        var loaded = store.Load("evening");
        Assert.True(loaded.Found);
        Assert.Equal("loft", loaded.State.Room.Name);
        Assert.Equal(1, loaded.Generation);
        Assert.Equal(receipt.SaveId, loaded.Header!.SaveId);
        Assert.False(loaded.WasEditedByHand);
        Assert.Empty(loaded.PassedOver);
    }

    [Fact]
    public void A_receipt_says_where_the_save_is_and_what_it_cost()
    {
        using var store = SaveStore<VersionedSave>.Open(_folder);
        var receipt = store.Save("evening", Named("loft"));
        Assert.Equal(("evening", 1, SaveForm.Json), (receipt.Slot.ToString(), receipt.Generation, receipt.Form));
        Assert.Equal(new FileInfo(receipt.File).Length, receipt.ByteCount);
        Assert.Equal(Path.Combine(_folder, "slots", "evening", "00000001.json"), receipt.File);
        Assert.True(receipt.Milliseconds > 0);
        Assert.Contains("evening, generation 1", receipt.ToString(), StringComparison.Ordinal);
    }

    [Fact]
    public void A_slot_that_is_not_there_is_an_answer_and_not_a_failure()
    {
        using var store = Open();
        var result = store.Load("evening");
        Assert.Equal(LoadOutcome.NoSuchSlot, result.Outcome);
        Assert.False(result.Found);
        Assert.Equal("", store.LoadOrNew("evening").Room.Name);
        Assert.Equal(SaveErrorCode.NoSuchSlot, Assert.Throws<SlotException>(() => result.State).Code);
        Assert.False(store.Exists("evening"));
        Assert.False(store.Delete("evening"));
    }

    [Fact]
    public void Saving_again_adds_a_generation_and_keeps_only_so_many()
    {
        using var store = Open(keep: 3);
        for (var i = 1; i <= 7; i++)
            Assert.Equal(i, store.Save("evening", Named($"night {i}")).Generation);
        Assert.Equal(["00000005.json", "00000006.json", "00000007.json"], Files("evening"));
        Assert.Equal("night 7", store.Load("evening").State.Room.Name);
    }

    [Fact]
    public void Each_save_names_the_one_before_it_in_its_slot()
    {
        using var store = Open();
        var first = store.Save("evening", Named("a"));
        store.Save("evening", Named("b"));
        Assert.Equal(first.SaveId, store.Load("evening").Header!.ParentId);
    }

    [Fact]
    public void Saving_to_the_slot_last_loaded_or_saved_just_saves_and_so_do_quick_and_auto()
    {
        using (var first = Open())
        {
            first.Save("evening", Named("a"));
            first.Save("evening", Named("b"));
            first.Save(SlotName.Quick, Named("q"));
            first.Save(SlotName.Auto, Named("x"));
            Assert.Equal(new SlotName("evening"), first.CurrentSlot);
            first.SaveToCurrent(Named("c"));
            Assert.Equal("c", first.Load("evening").State.Room.Name);
        }
        using var second = Open();
        second.Save(SlotName.Quick, Named("q2"));
        second.Save(SlotName.Auto, Named("x2"));
        second.Load("evening");
        Assert.Equal(4, second.Save("evening", Named("d")).Generation);
    }

    [Fact]
    public void Saving_without_a_slot_needs_one_from_before()
    {
        using var store = Open();
        Assert.Equal(SaveErrorCode.NoSuchSlot, Assert.Throws<SlotException>(() => store.SaveToCurrent(Named("a"))).Code);
        store.Save(SlotName.Quick, Named("a"));
        Assert.Throws<SlotException>(() => store.SaveToCurrent(Named("a")));
    }

    [Fact]
    public void Saving_over_another_playthrough_is_refused_until_it_is_asked_for()
    {
        using (var first = Open())
            first.Save("evening", Named("theirs"), new SaveLabel { Title = "Their evening" });
        using var second = Open();
        var occupant = second.WouldOverwrite("evening");
        Assert.Equal("Their evening", occupant?.Title);
        var refusal = Assert.Throws<SlotTakenException>(() => second.Save("evening", Named("mine")));
        Assert.Equal("Their evening", refusal.Occupant.Title);
        Assert.Contains("Their evening", refusal.Message, StringComparison.Ordinal);
        Assert.Equal(["00000001.json"], Files("evening"));

        second.Save("evening", Named("mine"), overwrite: Overwrite.Allowed);
        Assert.Null(second.WouldOverwrite("evening"));
        Assert.Equal("mine", second.Load("evening").State.Room.Name);
        second.Save("evening", Named("mine again"));
    }

    [Fact]
    public void A_new_playthrough_does_not_write_over_the_one_before()
    {
        using var store = Open();
        store.Save("evening", Named("first run"));
        var before = store.Playthrough;
        store.StartPlaythrough();
        Assert.NotEqual(before, store.Playthrough);
        Assert.Null(store.CurrentSlot);
        Assert.Throws<SlotTakenException>(() => store.Save("evening", Named("second run")));
        Assert.Equal(before, store.Load("evening").Header!.Playthrough);
        Assert.Equal(before, store.Playthrough);
    }

    [Fact]
    public void A_slot_of_the_same_playthrough_is_written_over_without_a_question()
    {
        using var store = Open();
        store.Save("one", Named("a"));
        store.Save("two", Named("b"));
        Assert.Null(store.WouldOverwrite("one"));
        store.Save("one", Named("c"));
    }

    [Fact]
    public void A_slot_whose_saves_cannot_be_read_is_not_written_over_without_a_question()
    {
        _memory.Write("slots/evening/00000001.json", "broken"u8.ToArray(), replace: false);
        using var store = Open();
        Assert.Equal(SlotHealth.Damaged, Assert.Throws<SlotTakenException>(() => store.Save("evening", Named("a"))).Occupant.Health);
        Assert.Equal(2, store.Save("evening", Named("a"), overwrite: Overwrite.Allowed).Generation);
    }

    [Theory, MemberData(nameof(Forms))]
    public void The_list_says_what_the_headers_say_newest_first(SaveForm form)
    {
        using var store = Open(form);
        store.Save("first", Named("a"), new SaveLabel { Title = "One", Played = TimeSpan.FromMinutes(90), Summary = [new("day", 3), new("place", "marsh")] });
        _clock.Advance(TimeSpan.FromMinutes(5));
        store.Save(SlotName.Quick, Named("b"));
        _clock.Advance(TimeSpan.FromMinutes(5));
        store.Save(SlotName.Auto, Named("c"), new SaveLabel { Kind = SaveKind.Checkpoint });
        var list = store.List();
        Assert.Equal(["auto", "quick", "first"], list.Select(slot => slot.Slot.ToString()));
        Assert.Equal([SaveKind.Checkpoint, SaveKind.Quick, SaveKind.Manual], list.Select(slot => slot.Header!.Kind));
        var first = list[2];
        Assert.Equal(("One", TimeSpan.FromMinutes(90), _clock.GetUtcNow() - TimeSpan.FromMinutes(10)), (first.Title, first.Played, first.Saved));
        Assert.Equal([new("day", 3), new KeyValuePair<string, SaveValue>("place", "marsh")], first.Header!.Summary);
        Assert.All(list, slot => Assert.Equal(SlotHealth.Readable, slot.Health));
    }

    [Theory, MemberData(nameof(Forms))]
    public void The_list_reads_a_few_kilobytes_of_each_save_however_large_it_is(SaveForm form)
    {
        var counted = new CountedStorage(_memory);
        using var store = SaveStore<VersionedSave>.Open(new SaveStoreOptions { Storage = counted, Form = form });
        store.Save("large", Named(new string('x', 3_000_000)));
        counted.BytesRead = 0;
        Assert.Equal(SlotHealth.Readable, Assert.Single(store.List()).Health);
        Assert.InRange(counted.BytesRead, 1, 8192);
    }

    [Fact]
    public void One_damaged_slot_does_not_break_the_list()
    {
        using var store = Open(SaveForm.Binary);
        store.Save("good", Named("a"));
        _memory.Write("slots/bad/00000001.json", "not a save"u8.ToArray(), replace: false);
        _memory.Write("slots/good/notes.txt", "left alone"u8.ToArray(), replace: false);
        _memory.Write("slots/../slots/x"[10..] + "/00000001.png", "a picture"u8.ToArray(), replace: false);
        var list = store.List();
        Assert.Equal([("good", SlotHealth.Readable), ("bad", SlotHealth.Damaged)], list.Select(slot => (slot.Slot.ToString(), slot.Health)));
        Assert.NotNull(list[1].Problem);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_damaged_newest_generation_is_passed_over_and_named(SaveForm form)
    {
        using var store = Open(form);
        store.Save("evening", Named("older"));
        var newest = store.Save("evening", Named("newer"));
        var file = newest.File["memory:".Length..];
        var bytes = _memory.Read(file)!;
        _memory.Write(file, bytes.AsMemory(0, bytes.Length / 2), replace: true);

        var loaded = store.Load("evening");
        Assert.Equal("older", loaded.State.Room.Name);
        Assert.Equal(1, loaded.Generation);
        var passed = Assert.Single(loaded.PassedOver);
        Assert.Equal(("evening", 2), (passed.Location.Slot, passed.Location.Generation));
        var listed = Assert.Single(store.List());
        Assert.True(listed.Health is SlotHealth.Readable or SlotHealth.FellBack);
    }

    [Fact]
    public void When_every_generation_is_damaged_the_newest_ones_error_comes_out()
    {
        using var store = Open();
        _memory.Write("slots/evening/00000001.json", "{"u8.ToArray(), replace: false);
        _memory.Write("slots/evening/00000002.json", Array.Empty<byte>(), replace: false);
        var problem = Assert.Throws<DamagedSaveException>(() => store.Load("evening"));
        Assert.Equal(2, problem.Location.Generation);
        Assert.Equal("memory:slots/evening/00000002.json", problem.Location.File);
        Assert.Throws<DamagedSaveException>(() => store.LoadOrNew("evening"));
        Assert.Contains("None of the 2 generations", problem.Message, StringComparison.Ordinal);
        Assert.Contains("No part of the files is intact", problem.Remedy, StringComparison.Ordinal);
    }

    [Fact]
    public void When_every_generation_is_damaged_the_error_says_what_is_whole_and_that_can_be_loaded()
    {
        using var store = Open(SaveForm.Binary);
        var save = Named("loft");
        save.Notes["a"] = "a note that stands in the second section";
        store.Save("evening", save);
        store.Save("evening", save);
        foreach (var file in new[] { "slots/evening/00000001.lodrik", "slots/evening/00000002.lodrik" })
        {
            var bytes = _memory.Read(file)!;
            bytes[bytes.AsSpan().IndexOf("a note"u8)] ^= 1;
            _memory.Write(file, bytes, replace: true);
        }
        var problem = Assert.Throws<DamagedSaveException>(() => store.Load("evening"));
        Assert.Contains("generation 2 of evening: room; generation 1 of evening: room", problem.Remedy, StringComparison.Ordinal);
        Assert.Equal("notes", problem.Location.Section);
        Assert.Equal("loft", store.Load("evening", ["room"]).State.Room.Name);
    }

    [Fact]
    public void An_edit_by_hand_that_does_not_fit_is_an_error_and_not_passed_over()
    {
        using var store = Open();
        store.Save("evening", Named("older"));
        var receipt = store.Save("evening", Named("newer"));
        Edit(receipt, "\"newer\"", "17");
        var problem = Assert.Throws<SaveContentException>(() => store.Load("evening"));
        Assert.Equal(("evening", 2, "room", "/name"), (problem.Location.Slot, problem.Location.Generation, problem.Location.Section, problem.Location.Path));
    }

    [Fact]
    public void An_edit_by_hand_that_fits_loads_and_is_reported()
    {
        using var store = Open();
        Edit(store.Save("evening", Named("newer")), "\"newer\"", "\"edited\"");
        var loaded = store.Load("evening");
        Assert.Equal("edited", loaded.State.Room.Name);
        Assert.True(loaded.WasEditedByHand);
        Assert.Equal(["room"], loaded.EditedSections);
    }

    [Fact]
    public void A_file_written_wholly_by_hand_loads_from_a_slot()
    {
        _memory.Write("slots/evening/00000001.json", "{ \"room\": { \"name\": \"typed\" } }"u8.ToArray(), replace: false);
        using var store = Open();
        var loaded = store.Load("evening");
        Assert.Equal("typed", loaded.State.Room.Name);
        Assert.Null(loaded.Header);
        Assert.True(loaded.WasEditedByHand);
        Assert.Equal(2, store.SaveToCurrent(loaded.State).Generation);
        Assert.Equal(SlotHealth.Readable, store.List()[0].Health);
    }

    [Fact]
    public void Only_the_sections_asked_for_are_read()
    {
        using var store = Open();
        Edit(store.Save("evening", new VersionedSave { Room = { Name = "loft" }, Notes = { ["a"] = "b" } }), "\"loft\"", "17");
        var loaded = store.Load("evening", [VersionedSave.Sections.Notes]);
        Assert.Equal("b", loaded.State.Notes["a"]);
        Assert.Equal("", loaded.State.Room.Name);
        var problem = Assert.Throws<SaveContentException>(() => store.Load("evening", ["rooms"]));
        Assert.Equal(SaveErrorCode.NoSuchSection, problem.Code);
        Assert.Contains("room, notes, scenes/", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Only_the_scenes_asked_for_are_taken()
    {
        var record = new SceneRecord();
        var save = new VersionedSave();
        save.Scenes.Put("marsh", record);
        save.Scenes.Put("harbour", record);
        using var store = Open(SaveForm.Xml);
        store.Save("evening", save);
        Assert.Equal(["harbour", "marsh"], store.Load("evening").State.Scenes.Names);
        Assert.Equal(["marsh"], store.Load("evening", ["scenes/marsh"]).State.Scenes.Names);
        Assert.Equal(["harbour", "marsh"], store.Load("evening", [VersionedSave.Sections.Scenes]).State.Scenes.Names);
        Assert.Empty(store.Load("evening", [VersionedSave.Sections.Notes]).State.Scenes.Names);
    }

    [Fact]
    public void Loading_into_a_state_leaves_it_alone_where_anything_does_not_fit()
    {
        using var store = Open();
        var live = Named("live");
        live.Notes["x"] = "y";
        var receipt = store.Save("evening", Named("saved"));
        Assert.Same(live, store.LoadInto("evening", live).State);
        Assert.Equal("saved", live.Room.Name);
        Assert.Empty(live.Notes);

        live.Room.Name = "live again";
        Edit(receipt, "\"notes\": {}", "\"notes\": []");
        Assert.Throws<SaveContentException>(() => store.LoadInto("evening", live));
        Assert.Equal("live again", live.Room.Name);
        Assert.False(store.LoadInto("none", live).Found);
        Assert.Equal("live again", live.Room.Name);
    }

    [Fact]
    public void Deleting_a_slot_takes_all_of_its_generations()
    {
        using var store = SaveStore<VersionedSave>.Open(_folder);
        store.Save("evening", Named("a"));
        store.Save("evening", Named("b"));
        Assert.True(store.Delete("evening"));
        Assert.False(store.Exists("evening"));
        Assert.False(Directory.Exists(Path.Combine(_folder, "slots", "evening")));
        Assert.Null(store.CurrentSlot);
        Assert.Empty(store.List());
    }

    [Fact]
    public void A_state_that_cannot_be_saved_leaves_the_slot_as_it_was()
    {
        using var store = Open();
        store.Save("evening", Named("a"));
        var endless = Named("b");
        endless.Room.Doors.Add(endless.Room);
        Assert.Throws<UnsavableStateException>(() => store.Save("evening", endless));
        Assert.Equal("a", store.Load("evening").State.Room.Name);
        store.Save("evening", Named("c"));
        Assert.Equal("c", store.Load("evening").State.Room.Name);
    }

    [Fact]
    public void A_game_may_choose_its_own_extension_and_saves_of_every_form_are_read()
    {
        using (var json = SaveStore<VersionedSave>.Open(new SaveStoreOptions { Folder = _folder, Extension = ".tide" }))
            json.Save("evening", Named("json"));
        using var binary = SaveStore<VersionedSave>.Open(new SaveStoreOptions { Folder = _folder, Extension = ".tide", Form = SaveForm.Binary });
        Assert.Equal("json", binary.Load("evening").State.Room.Name);
        binary.Save("evening", Named("binary"));
        Assert.Equal("binary", binary.Load("evening").State.Room.Name);
        Assert.Equal(2, Directory.GetFiles(Path.Combine(_folder, "slots", "evening"), "*.tide").Length);
    }

    [Fact]
    public void Options_that_cannot_be_are_refused_when_the_store_opens()
    {
        foreach (var extension in new[] { "tide", ".", ".png", ".tmp", "./x", ". ", "" })
            Assert.Throws<ArgumentException>(() => SaveStore<VersionedSave>.Open(new SaveStoreOptions { Storage = _memory, Extension = extension }));
        Assert.Throws<ArgumentOutOfRangeException>(() => SaveStore<VersionedSave>.Open(new SaveStoreOptions { Storage = _memory, KeepGenerations = 0 }));
        Assert.Throws<ArgumentException>(() => SaveStore<VersionedSave>.Open(new SaveStoreOptions { Storage = _memory, Folder = _folder }));
        Assert.Throws<ArgumentException>(() => SaveStore<Room>.Open(new SaveStoreOptions { Storage = _memory }));
    }

    [Fact]
    public void Without_a_folder_the_platforms_place_for_the_game_is_taken()
    {
        using var store = SaveStore<VersionedSave>.Open();
        Assert.EndsWith("lodrik-store-tests", store.Location, StringComparison.Ordinal);
        Assert.True(Path.IsPathRooted(store.Location));
        Assert.False(Directory.Exists(store.Location));
    }

    [Fact]
    public void The_log_says_what_was_saved_loaded_passed_over_and_deleted()
    {
        var log = new LinesLogger();
        using var store = SaveStore<VersionedSave>.Open(new SaveStoreOptions { Storage = _memory, Logger = log });
        store.Save("evening", Named("a"));
        store.Load("evening");
        _memory.Write("slots/evening/00000002.json", "{"u8.ToArray(), replace: false);
        store.Load("evening");
        store.Delete("evening");
        Assert.Collection(
            log.Lines,
            line => Assert.StartsWith("Saved slot evening, generation 1:", line, StringComparison.Ordinal),
            line => Assert.StartsWith("Loaded slot evening, generation 1", line, StringComparison.Ordinal),
            line => Assert.StartsWith("Passed over slot evening, generation 2:", line, StringComparison.Ordinal),
            line => Assert.StartsWith("Loaded slot evening, generation 1", line, StringComparison.Ordinal),
            line => Assert.StartsWith("Deleted slot evening with 2 generations", line, StringComparison.Ordinal));
    }

    [Fact]
    public void Saves_from_many_threads_are_all_there()
    {
        using var store = Open(keep: 100);
        Parallel.For(0, 60, i => store.Save("evening", Named($"{i}")));
        Assert.Equal(60, Files("evening").Length);
        Assert.Equal(60, store.Load("evening").Generation);
    }

    [Fact]
    public void The_slots_of_a_storage_are_listed_without_the_games_types()
    {
        using var store = Open();
        store.Save("evening", Named("a"), new SaveLabel { Title = "T" });
        Assert.Equal("T", Assert.Single(SaveSlots.Open(_memory).List()).Title);
    }

    private static VersionedSave Named(string name) => new() { Room = { Name = name } };

    private SaveStore<VersionedSave> Open(SaveForm form = SaveForm.Json, int keep = 5) =>
        SaveStore<VersionedSave>.Open(new SaveStoreOptions { Storage = _memory, Form = form, KeepGenerations = keep, Clock = _clock });

    private string[] Files(string slot) => [.. _memory.List($"slots/{slot}").Select(file => file.Name.Split('/')[^1]).Order(StringComparer.Ordinal)];

    private void Edit(SaveReceipt receipt, string from, string to)
    {
        var file = receipt.File["memory:".Length..];
        var text = Encoding.UTF8.GetString(_memory.Read(file)!);
        Assert.Contains(from, text, StringComparison.Ordinal);
        _memory.Write(file, Encoding.UTF8.GetBytes(text.Replace(from, to, StringComparison.Ordinal)), replace: true);
    }

    private sealed class CountedStorage(ISaveStorage inner) : ISaveStorage
    {
        public long BytesRead { get; set; }

        public string Description => inner.Description;

        public IReadOnlyList<StoredFile> List(string folder) => inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => Count(inner.ReadRange(name, offset, count));

        public byte[]? Read(string name) => Count(inner.Read(name));

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => inner.Write(name, bytes, replace);

        public bool Delete(string name) => inner.Delete(name);

        public string Locate(string name) => inner.Locate(name);

        private byte[]? Count(byte[]? bytes)
        {
            BytesRead += bytes?.Length ?? 0;
            return bytes;
        }
    }
}

[SaveFile("lodrik-store-tests", Version = 1)]
public sealed partial class VersionedSave
{
    public Room Room { get; set; } = new();

    public Dictionary<string, string> Notes { get; set; } = [];

    public SceneArchive Scenes { get; } = new();
}

public sealed class SlotNameTests
{
    [Theory]
    [InlineData("a"), InlineData("My_slot-7"), InlineData("0"), InlineData("console")]
    public void Letters_digits_dashes_and_underscores_make_a_name(string text)
    {
        Assert.Equal(text, new SlotName(text).ToString());
        Assert.True(SlotName.TryParse(text, out var name));
        Assert.Equal(new SlotName(text), name);
        Assert.Equal(new string('x', 64), new SlotName(new string('x', 64)).ToString());
    }

    [Theory]
    [InlineData("", "needs a name")]
    [InlineData("a/b", "'/'")]
    [InlineData("..", "'.'")]
    [InlineData("a\\b", "'\\'")]
    [InlineData("my slot", "space")]
    [InlineData("a\0", "control character 0")]
    [InlineData("grün", "'ü'")]
    [InlineData("CON", "device")]
    [InlineData("lpt1", "device")]
    public void Anything_else_is_refused_and_the_message_says_why(string text, string reason)
    {
        var problem = Assert.Throws<SlotException>(() => new SlotName(text));
        Assert.Equal(SaveErrorCode.BadSlotName, problem.Code);
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
        Assert.False(SlotName.TryParse(text, out _));
    }

    [Fact]
    public void A_name_has_at_most_64_characters() => Assert.Contains("65", Assert.Throws<SlotException>(() => new SlotName(new string('x', 65))).Message, StringComparison.Ordinal);
}

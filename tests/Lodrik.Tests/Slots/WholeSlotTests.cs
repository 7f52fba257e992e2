using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>What consists of several files is there at once or not at all: a deletion, its undoing, a copy, a new name, an import.</summary>
public sealed class WholeSlotTests
{
    private const int Most = 60;

    public static TheoryData<string> Changes => ["delete", "delete for now", "undo", "clear all", "copy", "copy over", "rename", "import", "close"];

    /// <summary>The process dies at each change of the storage in turn: nothing is changed from there on, by nobody.</summary>
    [Theory]
    [MemberData(nameof(Changes))]
    public void A_process_that_dies_leaves_each_slot_as_it_was_or_as_it_was_to_be(string change)
    {
        var file = Path.Combine(Directory.CreateTempSubdirectory("lodrik-").FullName, "evening.zip");
        var (before, after) = (Play(change, file, int.MaxValue, isTried: false), Play(change, file, int.MaxValue, isTried: true));
        var seen = new HashSet<string>();
        var count = 0;
        bool isWhole;
        do
        {
            var found = Play(change, file, count, isTried: true, out isWhole);
            Assert.All(found, slot => Assert.True(
                before.GetValueOrDefault(slot.Key, "nothing") == slot.Value || after.GetValueOrDefault(slot.Key, "nothing") == slot.Value,
                $"{change}, after {count} changes: {slot.Key} holds {slot.Value}"));
            // A slot that is renamed is there under one name or both.
            if (change == "rename")
                Assert.True(found["evening"] != "nothing" || found["late"] == before["evening"], $"after {count} changes neither is there");
            seen.Add(string.Join("; ", found.OrderBy(slot => slot.Key, StringComparer.Ordinal)));
            count++;
        }
        while (!isWhole && count < Most);
        Assert.True(isWhole, $"{change} takes more than {Most} changes");
        Assert.True(change == "close" ? seen.Count == 1 : seen.Count >= 2, $"{change} was seen in {seen.Count} states");
        Directory.Delete(Path.GetDirectoryName(file)!, recursive: true);
    }

    private static Dictionary<string, string> Play(string change, string file, int most, bool isTried) => Play(change, file, most, isTried, out _);

    /// <summary>Makes a change of which so many steps are done; then another process looks, and writes.</summary>
    private static Dictionary<string, string> Play(string change, string file, int most, bool isTried, out bool isWhole)
    {
        var gated = new GatedStorage();
        var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = gated, KeepGenerations = 10 });
        for (var day = 1; day <= 3; day++)
        {
            store.Save("evening", At(day), Label(day));
            if (change is "clear all" or "copy over")
                store.Save("late", At(day + 10), Label(day), Overwrite.Allowed);
        }
        File.Delete(file);
        if (change == "import")
            store.ExportSlot("evening", file);
        var screen = store.Screen();
        screen.Select("evening");
        if (change is "undo" or "close")
        {
            screen.Press(Lodrik.Screens.ScreenAction.Delete);
            Assert.True(screen.Answer(true).IsDone);
        }
        var start = gated.Changes;
        gated.Failure = at => at - start > most ? new StorageException("The process has died.") : null;
        isWhole = true;
        if (isTried)
        {
            try
            {
                Change(change, store, screen, file);
            }
            catch (StorageException)
            {
                isWhole = false;
            }
        }
        isWhole &= gated.Changes - start <= most;
        gated.Failure = _ => null;
        var found = Found(gated);
        // To another process this is another storage, and what is hidden is gone once that has written.
        var another = new FullStorage(gated);
        using (var later = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = another }))
            later.Save("other", At(99));
        Assert.Equal(found, Found(another));
        Assert.DoesNotContain(another.List("slots"), file => file.Name.EndsWith("hidden.json", StringComparison.Ordinal));
        GC.KeepAlive(store);
        return found;
    }

    private static void Change(string change, SaveStore<LogSave> store, Lodrik.Screens.SaveScreen screen, string file)
    {
        switch (change)
        {
            case "delete":
                store.Delete("evening");
                break;
            case "delete for now":
                screen.Press(Lodrik.Screens.ScreenAction.Delete);
                screen.Answer(true);
                break;
            case "clear all":
                screen.Press(Lodrik.Screens.ScreenAction.ClearAll);
                screen.Answer(true);
                break;
            case "undo":
                screen.Press(Lodrik.Screens.ScreenAction.Undo);
                break;
            case "copy":
                store.Copy("evening", "late");
                break;
            case "copy over":
                store.Copy("evening", "late", Overwrite.Allowed);
                break;
            case "rename":
                store.Rename("evening", "late");
                break;
            case "import":
                store.ImportSlot(file, "late");
                break;
            default:
                store.Dispose();
                break;
        }
    }

    /// <summary>What each slot holds, with its history and whether each picture is the save's own.</summary>
    private static Dictionary<string, string> Found(ISaveStorage storage)
    {
        using var slots = SaveSlots.Open(storage);
        return new[] { "evening", "late" }.ToDictionary(name => name, name => !slots.Exists(name) ? "nothing"
            : string.Join(", ", slots.History(name).Select(one =>
                $"{one.Header!.Title}{(slots.ReadThumbnail(name, one.Number) is null ? " without its picture" : "")}")));
    }

    [Fact]
    public void What_was_deleted_for_now_is_gone_from_the_disk_once_the_store_is_closed_or_somebody_else_writes()
    {
        var memory = new MemoryStorage();
        using (var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = memory }))
        {
            store.Save("evening", At(1), Label(1));
            store.Save("evening", At(2), Label(2));
            Delete(store, "evening");
            Assert.False(store.Exists("evening"));
            Assert.Contains(memory.List("slots"), file => file.Name == "slots/evening/00000002.json");
        }
        Assert.Empty(memory.List("slots"));

        // A process that dies leaves it hidden: the next one that writes deletes it, and one that only reads does not.
        memory.Write("slots/evening/00000001.json", Bytes(1), replace: false);
        memory.Write("slots/evening/hidden.json", "[1]"u8.ToArray(), replace: false);
        using var next = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = memory });
        Assert.False(next.Continue().Found);
        Assert.False(next.HasSaves());
        Assert.Equal(2, memory.List("slots").Count);
        next.Save("night", At(3));
        Assert.Equal("slots/night/00000001.json", Assert.Single(memory.List("slots")).Name);
    }

    [Fact]
    public void A_copy_that_failed_and_could_not_be_taken_back_hides_no_later_save()
    {
        var gated = new GatedStorage();
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = gated });
        store.Save("evening", At(1));
        store.Save("evening", At(2));
        var start = gated.Changes;
        gated.Failure = at => at > start + 1 ? new StorageException("The disk does not answer.") : null;
        Assert.Throws<StorageException>(() => store.Copy("evening", "late"));
        gated.Failure = _ => null;
        store.Save("late", At(7));
        Assert.Equal(7, store.Load("late").State.Log.Day);
    }

    [Theory]
    [InlineData("[2147483647]"), InlineData("[1, 2, 3, 4, 5]"), InlineData("[[[["), InlineData("{}"), InlineData("[1e400, -1, \"1\", null]"), InlineData("")]
    public void A_strangers_list_of_hidden_saves_stops_nobody_from_saving(string list)
    {
        var memory = new MemoryStorage();
        memory.Write("slots/evening/hidden.json", System.Text.Encoding.UTF8.GetBytes(list), replace: false);
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = memory });
        Assert.Empty(store.List());
        store.Save("evening", At(1));
        store.Save("evening", At(2));
        Assert.Equal(2, store.Load("evening").State.Log.Day);
        Assert.Equal(2, store.History("evening").Count);
    }

    [Fact]
    public void What_comes_back_is_no_old_save_to_a_store_that_counts()
    {
        var key = SaveKey.FromBytes("secret", System.Security.Cryptography.RandomNumberGenerator.GetBytes(32));
        var options = new SaveStoreOptions
        {
            Storage = new MemoryStorage(),
            Protection = SaveProtection.With(key) with { HasCounter = true },
            ReplayedSaves = SaveTreatment.Refuse,
        };
        using (var store = SaveStore<LogSave>.Open(options))
        {
            store.Save("evening", At(1));
            store.Save("evening", At(2));
            store.QuickSave(At(3));
            Delete(store, "evening");
            Delete(store, "quick");
            var screen = store.Screen();
            Assert.True(screen.Press(Lodrik.Screens.ScreenAction.Undo).IsDone);
            Assert.True(screen.Press(Lodrik.Screens.ScreenAction.Undo).IsDone);
            Assert.Equal((2, 3), (store.Load("evening").State.Log.Day, store.QuickLoad().State.Log.Day));
            Delete(store, "evening");
        }
        using var later = SaveStore<LogSave>.Open(options);
        later.Save("evening", At(4));
        Assert.Equal(4, later.Load("evening").State.Log.Day);
    }

    [Fact]
    public void A_slot_is_deleted_though_the_disk_has_no_room_for_anything()
    {
        var full = new FullStorage(new MemoryStorage());
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = full });
        store.Save("evening", At(1), Label(1));
        store.Save("evening", At(2), Label(2));
        store.Save("night", At(3));
        store.Save("night", At(4));
        full.IsFull = true;
        var screen = store.Screen();
        screen.Select("night");
        screen.Press(Lodrik.Screens.ScreenAction.Delete);
        var asked = screen.Answer(true);
        Assert.Equal(Lodrik.Screens.ScreenQuestionKind.DeleteForGood, asked.Question?.Kind);
        Assert.True(store.Exists("night"));
        Assert.True(screen.Answer(true).IsDone);
        Assert.False(screen.Can(Lodrik.Screens.ScreenAction.Undo).IsPossible);
        Assert.True(store.Delete("evening"));
        Assert.Empty(full.List("slots"));
    }

    [Theory]
    [InlineData("name.txt"), InlineData("hidden.json")]
    public void A_file_beside_the_saves_that_cannot_be_read_keeps_nobody_from_them(string file)
    {
        var memory = new MemoryStorage();
        memory.Write("slots/evening/00000001.json", Bytes(1), replace: false);
        memory.Write($"slots/evening/{file}", "[7]"u8.ToArray(), replace: false);
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new FullStorage(memory) { Unreadable = file } });
        Assert.Equal("", Assert.Single(store.List()).Name);
        Assert.Equal(1, store.Continue().State.Log.Day);
        store.Save("evening", At(2), overwrite: Overwrite.Allowed);
        Assert.Equal(2, store.Load("evening").State.Log.Day);
    }

    [Fact]
    public void What_the_player_calls_a_slot_stays_with_it()
    {
        var memory = new MemoryStorage();
        using (var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = memory }))
        {
            store.Save("evening", At(1), new SaveLabel { Name = " 雪山\u202e\n2 ", Title = "Day 1" });
            store.Save("evening", At(2), new SaveLabel { Title = "Day 2" });
            store.Save(SlotName.Auto, At(2), new SaveLabel { Name = "not for these" });
            Assert.Equal(["雪山 2", ""], store.List().OrderBy(slot => slot.Slot.ToString() == "auto").Select(slot => slot.Name));
            Assert.Equal("evening", store.NameFor("雪山 2").ToString());
            Assert.Equal("day-2", store.NameFor("Day 2").ToString());
            Assert.Throws<ArgumentException>(() => store.Save("evening", At(3), new SaveLabel { Name = new string('x', SaveLabel.MaxNameLength + 1) }));
        }
        using var later = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = memory });
        later.Copy("evening", "copy");
        Assert.Equal("", later.List().Single(slot => slot.Slot == "copy").Name);
        memory.Write("slots/evening/name.txt", new byte[] { 0xFF, 0xFE, 0x41, 0x0A, 0x42 }, replace: true);
        Assert.Equal("\uFFFD\uFFFDA B", later.List().Single(slot => slot.Slot == "evening").Name);
        later.Delete("evening");
        Assert.DoesNotContain(memory.List("slots"), file => file.Name.EndsWith("name.txt", StringComparison.Ordinal));
        Assert.Equal("", later.Places().Count == 0 ? later.WouldOverwrite("copy")?.Name ?? "" : "?");
    }

    private static void Delete(SaveStore<LogSave> store, string slot)
    {
        var screen = store.Screen();
        screen.Select(slot);
        screen.Press(Lodrik.Screens.ScreenAction.Delete);
        Assert.True(screen.Answer(true).IsDone);
    }

    private static byte[] Bytes(int day) => StateFile.ToBytes(At(day));

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    private static SaveLabel Label(int day) => new() { Title = $"day {day}", Thumbnail = new byte[] { 0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, (byte)day } };

    /// <summary>Another way to a storage, which deletes, and writes nothing once it is full.</summary>
    private sealed class FullStorage(ISaveStorage inner) : ISaveStorage
    {
        private readonly ISaveStorage _inner = inner;

        public bool IsFull { get; set; }

        /// <summary>The end of a file's name that access is not allowed to; null for none.</summary>
        public string? Unreadable { get; init; }

        public string Description => _inner.Description;

        public IReadOnlyList<StoredFile> List(string folder) => _inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => Unreadable is { } end && name.EndsWith(end, StringComparison.Ordinal)
            ? throw new StorageException("Access is not allowed.") { IsOneFile = true }
            : _inner.ReadRange(name, offset, count);

        public byte[]? Read(string name) => _inner.Read(name);

        public void Write(string name, System.Buffers.ReadOnlySequence<byte> bytes, bool replace)
        {
            if (IsFull)
                throw new StorageException("The disk is full.");
            _inner.Write(name, bytes, replace);
        }

        public bool Delete(string name) => _inner.Delete(name);

        public StorageHold TryHold() => StorageHold.Held(new MemoryStream());

        public string Locate(string name) => _inner.Locate(name);
    }
}

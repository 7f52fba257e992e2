using System.Runtime.InteropServices;
using System.Text;
using Lodrik.Migrations;
using Lodrik.Slots;
using Lodrik.Storage;
using Lodrik.Tests.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>What is found in a folder of saves and nobody wrote there, or cannot be read, stops nothing else.</summary>
public sealed partial class FoundFilesTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    private string Slot => Path.Combine(_folder, "slots", "evening");

    [Fact]
    public void Strangers_files_are_no_generations_and_are_left_alone()
    {
        using var store = Open(2);
        Save(store, 1, 2);
        string[] strangers = ["00000002.json.bak", "00000009.json~", "00000002 (conflict copy).json", "00000002.screenshot.png", "00000007.png", "00000008.tmp", "00000004.old", "00000005.txt", "0000006.json", "000000006.json", "99999999.txt"];
        foreach (var name in strangers)
            File.WriteAllText(Path.Combine(Slot, name), "somebody else's");
        Assert.Equal([2, 1], store.History("evening").Select(one => one.Number));
        Assert.Equal((2, SlotHealth.Readable), (store.Load("evening").State.Log.Day, Assert.Single(store.List()).Health));
        Save(store, 3, 4);
        Assert.Equal([4, 3], store.History("evening").Select(one => one.Number));
        store.Delete("evening");
        Assert.Equal(strangers.Order(StringComparer.Ordinal), Directory.GetFiles(Slot).Select(Path.GetFileName).Order(StringComparer.Ordinal));
    }

    [Fact]
    public void A_save_under_an_extension_that_the_game_had_before_is_found_by_what_it_says()
    {
        using (var before = SaveStore<LogSave>.Open(new SaveStoreOptions { Folder = _folder, Extension = ".tide" }))
            before.Save("evening", At(1));
        using var store = Open();
        Assert.Equal(1, store.Load("evening").State.Log.Day);
        Assert.Equal(2, store.Save("evening", At(2)).Generation);
        using var slots = SaveSlots.OpenFolder(_folder);
        Assert.Equal([2, 1], slots.History("evening").Select(one => one.Number));
    }

    [Fact]
    public void A_number_as_large_as_can_be_hides_no_save()
    {
        using var store = Open();
        Save(store, 1);
        File.WriteAllText(Path.Combine(Slot, "99999999.json"), "junk");
        Assert.Equal(100_000_000, store.Save("evening", At(2)).Generation);
        Assert.Equal(2, store.Load("evening").State.Log.Day);
        File.WriteAllText(Path.Combine(Slot, "2147483647.json"), "junk");
        Assert.Contains("run out of generation numbers", Assert.Throws<StorageException>(() => store.Save("evening", At(3))).Message, StringComparison.Ordinal);
        Assert.Equal(2, store.Load("evening").State.Log.Day);
    }

    [Fact]
    public void Whatever_else_is_in_the_folder_stops_neither_lists_nor_saves()
    {
        using var store = Open();
        Save(store, 1, 2);
        Assert.Equal(0, MakePipe(Encoding.UTF8.GetBytes(Path.Combine(Slot, "00000003.json") + "\0"), 0x180));
        byte[] noText = [.. Encoding.UTF8.GetBytes(Path.Combine(_folder, "slots")), (byte)'/', 0xFF, 0xFE, 0];
        Assert.Equal(0, MakeFolder(noText, 0x1C0));
        File.CreateSymbolicLink(Path.Combine(Slot, "00000004.json"), Path.Combine(_folder, "nowhere"));
        Directory.CreateSymbolicLink(Path.Combine(_folder, "slots", "up"), _folder);
        Directory.CreateSymbolicLink(Path.Combine(Slot, "loop"), Slot);
        File.CreateSymbolicLink(Path.Combine(_folder, "slots", "00000009.json"), Path.Combine(_folder, "slots", "00000009.json"));
        Directory.CreateDirectory(Path.Combine(Slot, "00000005.json"));
        var storage = new DirectoryStorage(_folder);
        Assert.Contains("not a file that can be read", Assert.Throws<StorageException>(() => storage.Read("slots/evening/00000003.json")).Message, StringComparison.Ordinal);
        Assert.Equal((2, 2), (store.Load("evening").State.Log.Day, Assert.Single(store.List()).GenerationCount));
        Assert.True(store.HasSaves());
        Assert.Equal(2, store.Continue().State.Log.Day);
        Assert.Equal(1, store.Save("night", At(6)).Generation);
        // The runtime cannot name it, and so cannot remove it either.
        Assert.Equal(0, RemoveFolder(noText));
    }

    [Fact]
    public void A_file_that_is_larger_than_a_save_can_be_is_passed_over()
    {
        using var store = Open();
        Save(store, 1);
        using (var large = File.Create(Path.Combine(Slot, "00000002.json")))
            large.SetLength(3L << 30);
        var loaded = store.Load("evening");
        Assert.Equal((1, SaveErrorCode.LimitExceeded), (loaded.State.Log.Day, Assert.Single(loaded.PassedOver).Code));
        Assert.Equal(3, store.Save("evening", At(3), overwrite: Overwrite.Allowed).Generation);
    }

    [Fact]
    public void A_generation_that_cannot_be_read_is_passed_over_and_said_so()
    {
        // Not by permissions, which do not bind every user.
        var calls = new Unreadable { Path = Path.Combine(Slot, "00000002.json") };
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new DirectoryStorage(_folder, calls) });
        Save(store, 1, 2);
        calls.IsOn = true;
        var loaded = store.Load("evening");
        Assert.Equal(1, loaded.State.Log.Day);
        Assert.True(Assert.IsType<StorageException>(Assert.Single(loaded.PassedOver)).IsOneFile);
        Assert.Equal(SlotHealth.FellBack, Assert.Single(store.List()).Health);
        Assert.Equal(1, store.Continue().State.Log.Day);
        calls.Path = Slot;
        var problem = Assert.Throws<StorageException>(() => store.Load("evening"));
        Assert.Contains("Access is not allowed", problem.Message, StringComparison.Ordinal);
        calls.Path = "";
        Assert.Throws<StorageException>(() => store.Load("evening"));
    }

    [Fact]
    public void A_place_that_cannot_be_looked_at_is_not_an_empty_one()
    {
        var calls = new Unreadable { Path = Path.Combine(_folder, "slots") };
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new DirectoryStorage(_folder, calls) });
        Save(store, 1);
        store.Settings<Log>().Save(new Log { Day = 4 });
        calls.IsOn = true;
        foreach (var look in (Action[])[() => store.HasSaves(), () => store.List(), () => store.LoadOrNew("evening"), () => store.Exists("evening"), () => store.Delete("evening"), () => store.Rename("evening", "night"),
            () => store.Save("evening", At(2)), () => store.ContinueOrNew()])
            Assert.Throws<StorageException>(look);
        calls.Path = Path.Combine(_folder, "settings");
        Assert.Throws<StorageException>(() => store.Settings<Log>().Load());
        calls.IsOn = false;
        Assert.Equal(1, Assert.Single(store.History("evening")).Number);
    }

    [Theory]
    [InlineData(SystemError.ReadOnly, "read-only"), InlineData(SystemError.NoAccess, "Access is not allowed"), InlineData(SystemError.NoSpace, "disk is full"), InlineData(SystemError.QuotaExceeded, "disk quota")]
    public void A_place_that_cannot_be_written_to_is_not_one_that_another_process_writes_to(int error, string message)
    {
        using (var store = Open())
            Save(store, 1);
        using var refused = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new DirectoryStorage(_folder, new Unwritable(error)) });
        var problem = Assert.Throws<StorageException>(() => refused.Save("evening", At(2), overwrite: Overwrite.Allowed));
        Assert.Contains(message, problem.Message, StringComparison.Ordinal);
        Assert.NotNull(problem.Remedy);
        Assert.Equal(1, refused.Load("evening").State.Log.Day);
    }

    [Fact]
    public void A_settings_or_state_file_that_cannot_be_reached_is_not_a_missing_one()
    {
        File.WriteAllText(Path.Combine(_folder, "file"), "");
        Assert.Throws<StorageException>(() => StateFile.ReadOrNew<Log>(Path.Combine(_folder, "file", "log.json")));
        Directory.CreateDirectory(Path.Combine(_folder, "log.json"));
        Assert.Throws<StorageException>(() => StateFile.ReadOrNew<Log>(Path.Combine(_folder, "log.json")));
        Assert.Equal(1, StateFile.ReadOrNew<Log>(Path.Combine(_folder, "none.json")).Day);
    }

    [Fact]
    public void One_file_may_be_written_and_read_from_many_threads()
    {
        var path = Path.Combine(_folder, "log.json");
        StateFile.Write(path, new Log { Day = 1 });
        Parallel.For(0, 200, i =>
        {
            if (i % 2 == 0)
                StateFile.Write(path, new Log { Day = i });
            else
                Assert.InRange(StateFile.Read<Log>(path).Day, 0, 200);
        });
        Assert.Equal(["log.json"], Directory.GetFileSystemEntries(_folder).Select(Path.GetFileName));
    }

    [Fact]
    public void Temporary_files_of_the_dead_go_when_somebody_begins_to_write()
    {
        using (var store = Open())
            Save(store, 1);
        var left = Path.Combine(Slot, "00000002.json.0123456789abcdef0123456789abcdef.tmp");
        File.WriteAllText(left, "half");
        using (var reader = Open())
            reader.Load("evening");
        Assert.True(File.Exists(left));
        using var next = Open();
        next.Save("other", At(1));
        Assert.False(File.Exists(left));
    }

    [Fact]
    public void The_list_says_what_this_game_does_not_load()
    {
        var memory = new MemoryStorage();
        using (var other = SaveStore<CountedSave>.Open(new SaveStoreOptions { Storage = memory }))
            other.Save("other-game", new CountedSave());
        using (var newer = SaveStore<Later>.Open(new SaveStoreOptions { Storage = memory }))
            newer.Save("newer", new Later());
        using (var older = SaveStore<Earlier>.Open(new SaveStoreOptions { Storage = memory }))
            older.Save("older", new Earlier());
        using var store = SaveStore<Now>.Open(new SaveStoreOptions { Storage = memory, Places = ["newer", "mine"] });
        store.Save("mine", new Now());
        var health = store.List().ToDictionary(one => one.Slot.ToString());
        Assert.Equal((SlotHealth.OtherGame, SlotHealth.NewerVersion), (health["other-game"].Health, health["newer"].Health));
        Assert.Equal((SlotHealth.MissingMigration, SlotHealth.Readable), (health["older"].Health, health["mine"].Health));
        foreach (var slot in (string[])["other-game", "newer", "older"])
            Assert.Equal(Assert.ThrowsAny<SaveException>(() => store.Load(slot)).Code, health[slot].Problem!.Code);
        Assert.Equal(SlotHealth.NewerVersion, store.Places()[0].Occupant!.Health);
        using var lenient = SaveStore<Now>.Open(new SaveStoreOptions { Storage = memory, NewerSaves = SaveTreatment.Mark, Migrations = new MigrationChain().From(1, _ => { }) });
        Assert.All(lenient.List().Where(one => one.Slot.ToString() != "other-game"), one => Assert.Equal(SlotHealth.Readable, one.Health));
    }

    private SaveStore<LogSave> Open(int keep = 5) => SaveStore<LogSave>.Open(new SaveStoreOptions { Folder = _folder, KeepGenerations = keep });

    private static void Save(SaveStore<LogSave> store, params ReadOnlySpan<int> days)
    {
        foreach (var day in days)
            store.Save("evening", At(day));
    }

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    [LibraryImport("libc", EntryPoint = "mkfifo")]
    private static partial int MakePipe(byte[] path, uint mode);

    [LibraryImport("libc", EntryPoint = "mkdir")]
    private static partial int MakeFolder(byte[] path, uint mode);

    [LibraryImport("libc", EntryPoint = "rmdir")]
    private static partial int RemoveFolder(byte[] path);

    /// <summary>Nothing can be created.</summary>
    private sealed class Unwritable(int error) : OtherCalls(new LinuxCalls())
    {
        public override int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode) =>
            purpose is OpenFor.Creating or OpenFor.Locking or OpenFor.Replacing ? -error : base.Open(path, purpose, mode);
    }

    /// <summary>Everything below a path cannot be read.</summary>
    private sealed class Unreadable() : OtherCalls(new LinuxCalls())
    {
        public string Path { get; set; } = "";

        public bool IsOn { get; set; }

        public override int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode) =>
            Refuses(path) && purpose is OpenFor.Reading or OpenFor.ReadingItself ? -SystemError.NoAccess : base.Open(path, purpose, mode);

        public override int List(string folder, List<FolderEntry> entries) => Refuses(folder) ? -SystemError.NoAccess : base.List(folder, entries);

        private bool Refuses(string path) => IsOn && path.StartsWith(Path, StringComparison.Ordinal);
    }
}

[SaveFile("versions", Version = 3)]
public sealed partial class Later
{
    public Log Log { get; set; } = new();
}

[SaveFile("versions", Version = 2)]
public sealed partial class Now
{
    public Log Log { get; set; } = new();
}

[SaveFile("versions", Version = 1)]
public sealed partial class Earlier
{
    public Log Log { get; set; } = new();
}

using System.Buffers;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Tests.Storage;

/// <summary>Whoever wants to write asks the storage, whatever storage it is.</summary>
public sealed class HoldTests
{
    [Fact]
    public void A_storage_that_somebody_else_holds_is_not_written_to()
    {
        var storage = new HeldStorage { Holder = "a game on the other machine" };
        using var store = SaveStore<State.SampleSave>.Open(new SaveStoreOptions { Storage = storage });
        var problem = Assert.Throws<StoreInUseException>(() => store.Save("evening", new State.SampleSave()));
        Assert.Contains("a game on the other machine", problem.Message, StringComparison.Ordinal);
        Assert.Empty(storage.List(""));
        Assert.Throws<StoreInUseException>(() => store.Settings<State.Crate>().Save(new State.Crate("mark", 1)));
        // It is asked again: what was held then may be free now.
        storage.Holder = null;
        store.Save("evening", new State.SampleSave());
        Assert.Equal(3, storage.Asked);
    }

    [Fact]
    public void What_was_held_is_let_go_of_with_the_last_store_and_not_before()
    {
        var storage = new HeldStorage();
        var store = SaveStore<State.SampleSave>.Open(new SaveStoreOptions { Storage = storage, Profile = "ann" });
        using (var other = SaveStore<State.SampleSave>.Open(new SaveStoreOptions { Storage = storage }))
            other.Save("evening", new State.SampleSave());
        Assert.Equal((1, 0), (storage.Asked, storage.Released));
        store.Save("evening", new State.SampleSave());
        Assert.Equal((1, 0), (storage.Asked, storage.Released));
        store.Dispose();
        Assert.Equal((1, 1), (storage.Asked, storage.Released));
    }

    [Fact]
    public void What_the_other_writer_did_before_it_let_go_is_seen()
    {
        var storage = new HeldStorage();
        using (var other = SaveStore<State.SampleSave>.Open(new SaveStoreOptions { Storage = storage }))
            other.Save("theirs", new State.SampleSave());
        var theirs = storage.Read("slots/theirs/00000001.json")!;
        storage.Asking = () => storage.Write("slots/evening/00000007.json", theirs, replace: false);
        using var store = SaveStore<State.SampleSave>.Open(new SaveStoreOptions { Storage = storage });
        // Listed before it was asked for, the slot would have been a new one.
        Assert.Throws<SlotTakenException>(() => store.Save("evening", new State.SampleSave()));
        Assert.Equal(8, store.Save("evening", new State.SampleSave(), overwrite: Overwrite.Allowed).Generation);
    }

    [Fact]
    public void A_storage_that_says_nothing_of_writers_cannot_keep_them_out()
    {
        ISaveStorage storage = new SharedStorage(new MemoryStorage());
        using var hold = storage.TryHold();
        Assert.Equal((false, null), (hold.IsHeld, hold.Holder));
        Assert.Same(storage, storage.Place);
    }

    [Fact]
    public void Two_that_save_to_one_slot_where_nobody_is_kept_out_get_a_number_each()
    {
        var memory = new MemoryStorage();
        var (mine, theirs) = (new SharedStorage(memory), new SharedStorage(memory));
        using var other = SaveStore<State.SampleSave>.Open(new SaveStoreOptions { Storage = theirs });
        var label = new SaveLabel { Thumbnail = Picture(1) };
        other.Save("evening", new State.SampleSave(), label);
        using var store = SaveStore<State.SampleSave>.Open(new SaveStoreOptions { Storage = mine });
        var played = store.Load("evening");
        // Between the look at the slot and the write, the other one is faster, twice.
        var faster = 2;
        mine.Writing = () =>
        {
            if (faster-- > 0)
                other.Save("evening", new State.SampleSave(), new SaveLabel { Thumbnail = Picture(2) });
        };
        var receipt = store.Save("evening", played.State, new SaveLabel { Thumbnail = Picture(3) });
        Assert.Equal(4, receipt.Generation);
        Assert.Equal([4, 3, 2, 1], store.History("evening").Select(one => one.Number));
        Assert.Equal([Picture(3), Picture(2), Picture(2), Picture(1)], store.History("evening").Select(one => store.ReadThumbnail("evening", one.Number)!));
        Assert.Equal(store.History("evening")[1].Header!.SaveId, store.History("evening")[0].Header!.Slot!.ParentId);
        // Whoever is faster for ever gets an error in the end.
        faster = int.MaxValue;
        Assert.True(Assert.Throws<StorageException>(() => store.Save("evening", played.State)).AlreadyExists);
    }

    [Fact]
    public void What_another_one_is_in_the_middle_of_is_not_swept_away()
    {
        var memory = new MemoryStorage();
        memory.Write("slots/theirs/hidden.json", "[1]"u8.ToArray(), replace: false);
        memory.Write("slots/theirs/00000001.json", "half of an import"u8.ToArray(), replace: false);
        using (var store = SaveStore<State.SampleSave>.Open(new SaveStoreOptions { Storage = new SharedStorage(memory) }))
            store.Save("mine", new State.SampleSave());
        Assert.NotNull(memory.Read("slots/theirs/00000001.json"));
    }

    private static byte[] Picture(byte number) => [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, number];

    /// <summary>A storage that keeps nobody out, as one on a server.</summary>
    private sealed class SharedStorage(MemoryStorage memory) : ISaveStorage
    {
        /// <summary>What happens just before something is written.</summary>
        public Action? Writing { get; set; }

        public string Description => memory.Description;

        public IReadOnlyList<StoredFile> List(string folder) => memory.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => memory.ReadRange(name, offset, count);

        public byte[]? Read(string name) => memory.Read(name);

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => memory.Write(name, bytes, replace);

        public void WriteAll(IReadOnlyList<StoredContent> files)
        {
            Writing?.Invoke();
            foreach (var file in files)
                memory.Write(file.Name, file.Bytes, file.Replace);
        }

        public bool Delete(string name) => memory.Delete(name);

        public string Locate(string name) => memory.Locate(name);
    }

    /// <summary>A storage in memory of which a test says who holds it.</summary>
    private sealed class HeldStorage : ISaveStorage, IDisposable
    {
        private readonly MemoryStorage _memory = new();

        public string? Holder { get; set; }

        public int Asked { get; private set; }

        /// <summary>What happens while somebody asks.</summary>
        public Action? Asking { get; set; }

        public int Released { get; private set; }

        public string Description => _memory.Description;

        public IReadOnlyList<StoredFile> List(string folder) => _memory.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => _memory.ReadRange(name, offset, count);

        public byte[]? Read(string name) => _memory.Read(name);

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => _memory.Write(name, bytes, replace);

        public bool Delete(string name) => _memory.Delete(name);

        public string Locate(string name) => _memory.Locate(name);

        public StorageHold TryHold()
        {
            Asked++;
            Asking?.Invoke();
            Asking = null;
            return Holder is { } holder ? StorageHold.InUse(holder) : StorageHold.Held(this);
        }

        public void Dispose() => Released++;
    }
}

public sealed class MemoryStorageTests : StorageContract
{
    protected override ISaveStorage Storage { get; } = new MemoryStorage();
}

public sealed class DirectoryStorageTests : StorageContract, IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public DirectoryStorageTests() => Storage = new DirectoryStorage(Path.Combine(_folder, "not", "yet"));

    protected override ISaveStorage Storage { get; }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_steps_of_a_write_come_in_the_order_that_makes_it_durable()
    {
        var steps = new RecordedCalls();
        new DirectoryStorage(_folder, steps).Write("slots/a/1.json", "x"u8.ToArray(), replace: false);
        var (slots, a, file) = (Path.Combine(_folder, "slots"), Path.Combine(_folder, "slots", "a"), Path.Combine(_folder, "slots", "a", "1.json"));
        Assert.Equal(
            [$"flush {Path.GetDirectoryName(_folder)}", $"make {slots}", $"flush {_folder}", $"make {a}", $"flush {slots}", $"write {file}.tmp", $"flush {file}.tmp", $"rename {file}.tmp {file}", $"flush {a}"],
            steps.Done);
    }

    [Theory]
    [InlineData("write"), InlineData("flush"), InlineData("rename")]
    public void A_write_that_fails_half_way_leaves_nothing_behind(string step)
    {
        var storage = new DirectoryStorage(_folder, new RecordedCalls { FailAt = step });
        var problem = Assert.Throws<StorageException>(() => storage.Write("a", "x"u8.ToArray(), replace: false));
        Assert.Contains("disk is full", problem.Message, StringComparison.Ordinal);
        Assert.Empty(Directory.GetFileSystemEntries(_folder));
    }

    [Fact]
    public void What_another_process_wrote_in_between_is_not_written_over()
    {
        var storage = new DirectoryStorage(_folder, new RecordedCalls { Interloper = "theirs" });
        Assert.Throws<StorageException>(() => storage.Write("a", "mine"u8.ToArray(), replace: false));
        Assert.Equal("theirs", File.ReadAllText(Path.Combine(_folder, "a")));
        storage.Write("a", "mine"u8.ToArray(), replace: true);
        Assert.Equal("mine", File.ReadAllText(Path.Combine(_folder, "a")));
    }

    [Fact]
    public void A_temporary_file_that_a_crash_left_is_never_listed()
    {
        File.WriteAllText(Path.Combine(_folder, "1.json.tmp"), "half");
        Assert.Empty(new DirectoryStorage(_folder).List(""));
        new DirectoryStorage(_folder).Write("1.json", "whole"u8.ToArray(), replace: false);
        Assert.Equal("whole", File.ReadAllText(Path.Combine(_folder, "1.json")));
    }

    [Fact]
    public void A_file_in_place_of_the_folder_is_a_clear_error()
    {
        var path = Path.Combine(_folder, "saves");
        File.WriteAllText(path, "I am a file");
        Assert.Throws<StorageException>(() => new DirectoryStorage(path).List(""));
        Assert.Throws<StorageException>(() => new DirectoryStorage(path).Write("a", default, replace: true));
        Assert.Equal("I am a file", File.ReadAllText(path));
    }

    [Fact]
    public void A_folder_in_place_of_a_file_is_a_clear_error()
    {
        Directory.CreateDirectory(Path.Combine(_folder, "a", "b"));
        var problem = Assert.Throws<StorageException>(() => new DirectoryStorage(_folder).Read("a"));
        Assert.Contains("folder", problem.Message, StringComparison.Ordinal);
        Assert.Throws<StorageException>(() => new DirectoryStorage(_folder).Write("a", default, replace: true));
    }

    [Fact]
    public void A_file_that_was_changed_has_another_stamp()
    {
        Storage.Write("a", "one"u8.ToArray(), replace: false);
        var before = Assert.Single(Storage.List("")).Stamp;
        Assert.Equal(before, Assert.Single(Storage.List("")).Stamp);
        Storage.Write("a", "two"u8.ToArray(), replace: true);
        Assert.NotEqual(before, Assert.Single(Storage.List("")).Stamp);
    }

    [Fact]
    public void One_writer_at_a_time_holds_a_directory_and_others_learn_who()
    {
        ISaveStorage again = new DirectoryStorage(Storage.Description);
        Assert.Equal(Storage.Place, again.Place);
        using (var hold = Storage.TryHold())
        {
            Assert.True(hold.IsHeld);
            using var second = again.TryHold();
            Assert.False(second.IsHeld);
            Assert.Contains($"process {Environment.ProcessId}", second.Holder, StringComparison.Ordinal);
        }
        using var free = again.TryHold();
        Assert.True(free.IsHeld);
    }

    /// <summary>The system's own calls, written down, and failing where a test wants it.</summary>
    private sealed class RecordedCalls() : OtherCalls(new LinuxCalls())
    {
        private readonly Dictionary<int, string> _open = [];

        public List<string> Done { get; } = [];

        public string? FailAt { get; init; }

        /// <summary>What another process writes under the final name just before the rename.</summary>
        public string? Interloper { get; init; }

        public override int Open(string path, OpenFor purpose, int mode = FileFacts.UsualMode)
        {
            var file = base.Open(path, purpose, mode);
            if (file >= 0)
                _open[file] = Short(path);
            return file;
        }

        public override long Write(int file, ReadOnlySpan<byte> bytes, long offset)
        {
            var result = Note("write", _open[file]);
            return result < 0 ? result : base.Write(file, bytes, offset);
        }

        public override int Flush(int file) => Note("flush", _open[file]) is < 0 and var error ? error : base.Flush(file);

        public override int MakeFolder(string path) => Note("make", path) is < 0 and var error ? error : base.MakeFolder(path);

        public override int Rename(string from, string to, bool replace)
        {
            if (Interloper is { } other)
                File.WriteAllText(to, other);
            return Note("rename", $"{Short(from)} {to}") is < 0 and var error ? error : base.Rename(from, to, replace);
        }

        /// <summary>A temporary file without what makes its name unique.</summary>
        private static string Short(string path) =>
            path.EndsWith(".tmp", StringComparison.Ordinal) ? path[..^37] + ".tmp" : path;

        private int Note(string call, string path)
        {
            if (call == FailAt)
                return -SystemError.NoSpace;
            Done.Add($"{call} {path}");
            return 0;
        }
    }
}

/// <summary>The runtime's own files are no worse a storage, but for what they do not tell.</summary>
public sealed class PortableStorageTests : StorageContract, IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public PortableStorageTests() => Storage = new DirectoryStorage(Path.Combine(_folder, "not", "yet"), new PortableCalls());

    protected override ISaveStorage Storage { get; }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void One_writer_at_a_time_holds_a_directory()
    {
        using var hold = Storage.TryHold();
        using var second = new DirectoryStorage(Storage.Description, new PortableCalls()).TryHold();
        Assert.Equal((true, false), (hold.IsHeld, second.IsHeld));
    }
}

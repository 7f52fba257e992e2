using System.Buffers;
using Lodrik.Inspection;
using Lodrik.Slots;
using Lodrik.Storage;
using Lodrik.Tests.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>That a storage does not answer for a moment says nothing of what it has: no decision rests on it.</summary>
public sealed class UnreachableTests
{
    private readonly ShakyStorage _storage = new();

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    [Fact]
    public void No_older_save_is_taken_for_the_newest_one_and_nothing_is_saved_over_it()
    {
        using var store = Open();
        using var slots = SaveSlots.Open(_storage);
        store.Save("evening", new ContractSave { Day = 1 });
        store.Save("evening", new ContractSave { Day = 2 });
        store.Save("morning", new ContractSave { Day = 3 });
        store.QuickSave(new ContractSave { Day = 4 });
        store.QuickSave(new ContractSave { Day = 5 });
        using var fresh = Open();
        _storage.FailsToRead = name => name is "slots/evening/00000002.json" or "slots/quick/00000002.json";
        Unreached(() => fresh.Load("evening"));
        Unreached(() => fresh.Save("evening", new ContractSave(), overwrite: Overwrite.Allowed));
        Unreached(() => fresh.Continue());
        Unreached(() => fresh.WouldOverwrite("evening"));
        // A list shows what it can, and says what it cannot.
        Assert.Equal(["quick", "evening", "morning"], slots.List().OrderBy(one => one.Problem is null).ThenByDescending(one => one.Slot.ToString()).Select(one => one.Slot.ToString()));
        Assert.Equal(2, slots.List().Count(one => one.Problem is StorageException));
        Assert.IsType<StorageException>(slots.History("evening")[0].Problem);

        _storage.FailsToRead = _ => false;
        Assert.Equal(5, fresh.Continue().State.Day);
    }

    [Fact]
    public void A_picture_that_cannot_be_reached_is_not_reported_as_missing()
    {
        using var store = Open();
        store.Save("evening", new ContractSave(), new SaveLabel { Thumbnail = new byte[] { 0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A } });
        using var fresh = Open();
        _storage.FailsToRead = name => name.EndsWith(".json", StringComparison.Ordinal);
        Unreached(() => fresh.ReadThumbnail("evening"));
    }

    [Fact]
    public void A_save_of_a_newer_game_is_not_dropped_because_its_version_could_not_be_read()
    {
        using (var newer = SaveStore<NewerContract>.Open(new SaveStoreOptions { Storage = _storage }))
            newer.QuickSave(new NewerContract());
        using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = _storage, KeepQuick = 1, KeepGenerations = 1 });
        var wrote = false;
        _storage.BeforeWrite = name => wrote |= name.EndsWith(".json", StringComparison.Ordinal);
        _storage.FailsToRead = name => wrote && name.EndsWith("1.json", StringComparison.Ordinal);
        // The save itself is done, whatever cannot be looked at after it.
        Assert.Equal(2, store.QuickSave(new ContractSave { Day = 2 }).Generation);
        Assert.Contains("slots/quick/00000001.json", _storage.Names());
        Assert.Contains("slots/quick/00000002.json", _storage.Names());
    }

    [Fact]
    public void No_picture_stays_behind_when_its_save_is_deleted()
    {
        using (var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = _storage, KeepGenerations = 1 }))
        {
            store.Save("evening", new ContractSave { Day = 1 }, new SaveLabel { Thumbnail = new byte[] { 0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A } });
        }
        using var fresh = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = _storage, KeepGenerations = 1 });
        // Reached when the save is written, and not any more when the one before it makes room.
        var wrote = false;
        _storage.BeforeWrite = name => wrote |= name.EndsWith("2.json", StringComparison.Ordinal);
        _storage.FailsToRead = name => wrote && name.EndsWith("1.json", StringComparison.Ordinal);
        fresh.Save("evening", new ContractSave { Day = 2 }, overwrite: Overwrite.Allowed);
        Assert.Equal(_storage.Names().Contains("slots/evening/00000001.json"), _storage.Names().Contains("slots/evening/00000001.png"));
    }

    [Fact]
    public async Task A_save_is_not_sent_twice_because_the_other_place_did_not_answer()
    {
        using var folder = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        folder.Save("evening", new ContractSave { Day = 1 });
        using (var server = SaveSlots.Open(_storage))
            await folder.SendAsync("evening", server, Cancellation);
        using var again = SaveSlots.Open(_storage);
        _storage.FailsToRead = name => name.EndsWith(".json", StringComparison.Ordinal);
        await Assert.ThrowsAsync<StorageException>(() => folder.SendAsync("evening", again, Cancellation));
        _storage.FailsToRead = _ => false;
        Assert.Equal(0, (await folder.SendAsync("evening", again, Cancellation)).CopiedCount);
        Assert.Single(again.History("evening"));
    }

    [Fact]
    public void A_save_whose_confirmation_was_lost_is_known_by_its_id_whatever_the_server_made_of_its_bytes()
    {
        using var store = Open();
        store.Save("evening", new ContractSave { Day = 1 });
        // The server keeps it in another layout, as one that signs does, and the answer to the repeated request is that it is there.
        _storage.Keeps = bytes => SavedFile.FromBytes(bytes.ToArray()).ToForm(SaveForm.Json, indented: false);
        var receipt = store.Save("evening", new ContractSave { Day = 2 });
        Assert.Equal((2, 2), (receipt.Generation, store.History("evening").Count));
        Assert.Equal(receipt.SaveId, store.History("evening")[0].Header!.SaveId);
        // Another save that has the number is not taken for it.
        _storage.Keeps = _ => new MemoryStorageSave(3).Bytes;
        receipt = store.Save("evening", new ContractSave { Day = 4 });
        Assert.Equal((4, 4), (receipt.Generation, store.History("evening").Count));
        Assert.Equal(4, store.Load("evening").State.Day);
    }

    [Fact]
    public async Task Two_machines_that_send_to_one_slot_at_once_get_a_slot_each()
    {
        var server = new MemoryStorage();
        using var mine = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        using var theirs = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        mine.Save("evening", new ContractSave { Day = 1 });
        theirs.Save("evening", new ContractSave { Day = 2 });
        // The other machine's save arrives between looking and writing.
        var arrived = false;
        var slow = new ShakyStorage(server);
        slow.BeforeWrite = name =>
        {
            if (!arrived && name.EndsWith(".json", StringComparison.Ordinal))
            {
                arrived = true;
                using var first = SaveSlots.Open(server);
                theirs.SendAsync("evening", first, Cancellation).GetAwaiter().GetResult();
            }
        };
        using var second = SaveSlots.Open(slow);
        Assert.Equal("evening-2", Assert.Single((await mine.SendAsync("evening", second, Cancellation)).SecondSlots).ToString());
        using var look = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = server });
        Assert.Equal((2, 1), (look.Load("evening").State.Day, look.Load("evening-2").State.Day));
    }

    private SaveStore<ContractSave> Open() => SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = _storage });

    private void Unreached(Action act)
    {
        var before = _storage.Names();
        Assert.False(Assert.ThrowsAny<StorageException>(act).IsOneFile);
        Assert.Equal(before, _storage.Names());
    }

    /// <summary>Another save, as bytes.</summary>
    private readonly record struct MemoryStorageSave(int Day)
    {
        public byte[] Bytes
        {
            get
            {
                var storage = new MemoryStorage();
                using var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage });
                store.Save("evening", new ContractSave { Day = Day });
                return storage.Read("slots/evening/00000001.json")!;
            }
        }
    }

    /// <summary>A far storage with a bad connection.</summary>
    private sealed class ShakyStorage(MemoryStorage inner) : ISaveStorage
    {
        public ShakyStorage()
            : this(new MemoryStorage())
        {
        }

        public Func<string, bool> FailsToRead { get; set; } = _ => false;

        public Action<string> BeforeWrite { get; set; } = _ => { };

        /// <summary>If set, the next save is kept like this, and the answer is that there is one already.</summary>
        public Func<ReadOnlySequence<byte>, byte[]>? Keeps { get; set; }

        public string Description => "shaky";

        public string[] Names() => [.. inner.List("").Select(file => file.Name).Order(StringComparer.Ordinal)];

        public IReadOnlyList<StoredFile> List(string folder) => inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => Reached(name, () => inner.ReadRange(name, offset, count));

        public byte[]? Read(string name) => Reached(name, () => inner.Read(name));

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace)
        {
            BeforeWrite(name);
            if (Keeps is { } keep)
            {
                Keeps = null;
                inner.Write(name, keep(bytes), replace);
            }
            inner.Write(name, bytes, replace);
        }

        public bool Delete(string name) => inner.Delete(name);

        public string Locate(string name) => $"shaky:{name}";

        private byte[]? Reached(string name, Func<byte[]?> read) =>
            FailsToRead(name) ? throw new StorageException("The server cannot be reached.") : read();
    }
}

/// <summary>A later version of the game.</summary>
[SaveFile("contract", Version = 2)]
public sealed partial class NewerContract
{
    public int Day { get; set; }
}

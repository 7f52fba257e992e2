using CsCheck;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.State;

namespace Lodrik.Tests.Slots;

/// <summary>What is unsaved is found by comparing bytes; only sections that differ are decoded.</summary>
public sealed class UnsavedChangesTests
{
    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void They_are_those_between_the_saved_state_and_the_live_one(SaveForm form) => Gen.Select(DriftSave.Of(Gen.Int[0, 12]), DriftSave.Of(Gen.Int[0, 12]), Gen.Bool, Gen.Bool).Sample(
        (saved, live, loads, compresses) =>
        {
            var options = new SaveStoreOptions { Storage = new MemoryStorage(), Form = form, Compression = compresses ? SaveCompression.Fast : SaveCompression.None, WarmsUp = false };
            using var writing = SaveStore<DriftSave>.Open(options);
            writing.Save("evening", saved);
            using var other = SaveStore<DriftSave>.Open(options);
            // A store that did not write the save itself has to look into it.
            var store = loads ? other : writing;
            if (loads)
                store.Load("evening");
            Assert.Empty(store.UnsavedChanges(saved));
            Assert.False(store.WouldLoseProgress(saved));
            Assert.Equal(
                StateContent.Changes(saved, live).Select(change => change.Path), store.UnsavedChanges(live).Select(change => change.Path));
        },
        iter: 25, threads: 2);

    [Fact]
    public void A_save_that_this_store_wrote_is_not_read_again_where_nothing_is_different()
    {
        var storage = new ReadCounter();
        using var store = SaveStore<SlotSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary });
        var save = new SlotSave { Chest = { Bytes = new byte[1 << 20] }, Name = "keeper" };
        store.Save("evening", save);
        store.List();
        storage.BytesRead = 0;
        Assert.False(store.WouldLoseProgress(save));
        Assert.True(storage.BytesRead < 100_000, $"{storage.BytesRead} bytes were read.");
        save.Name = "another keeper";
        Assert.Equal("/name", Assert.Single(store.UnsavedChanges(save)).Path);
    }

    [Fact]
    public void Sections_that_are_the_same_are_not_decoded()
    {
        var options = new SaveStoreOptions { Storage = new MemoryStorage(), Form = SaveForm.Json, WarmsUp = false };
        using var store = SaveStore<SlotSave>.Open(options);
        var save = new SlotSave { Name = "keeper" };
        store.Save("evening", save);
        using var other = SaveStore<SlotSave>.Open(options);
        other.Load("evening");
        DecodedOnce.Count = 0;
        save.Name = "another keeper";
        Assert.Equal("/name", Assert.Single(other.UnsavedChanges(save)).Path);
        Assert.Equal(0, DecodedOnce.Count);
        save.Once.Number = 5;
        Assert.Equal(["/name", "/once/number"], other.UnsavedChanges(save).Select(change => change.Path));
        Assert.True(DecodedOnce.Count > 0);
    }

    [Fact]
    public void What_is_ignored_is_not_even_looked_at()
    {
        using var store = SaveStore<SlotSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var save = new SlotSave { Name = "keeper" };
        store.Save("evening", save);
        save.Name = "another keeper";
        Assert.Empty(store.UnsavedChanges(save, ignored: ["name"]));
        Assert.False(store.WouldLoseProgress(save, ignored: ["name"]));
    }

    [Fact]
    public async Task The_live_state_may_change_while_it_is_compared()
    {
        using var store = SaveStore<SlotSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var save = new SlotSave { Name = "keeper" };
        store.Save("evening", save);
        save.Name = "another keeper";
        var asked = store.UnsavedChangesAsync(save, cancellationToken: TestContext.Current.CancellationToken);
        save.Name = "keeper";
        Assert.Equal("another keeper", Assert.Single(await asked).After?.ToString()?.Trim('"'));
    }

    private sealed class ReadCounter : ISaveStorage
    {
        private readonly MemoryStorage _inner = new();

        public long BytesRead { get; set; }

        public string Description => _inner.Description;

        public IReadOnlyList<StoredFile> List(string folder) => _inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => Counted(_inner.ReadRange(name, offset, count));

        public byte[]? Read(string name) => Counted(_inner.Read(name));

        public void Write(string name, System.Buffers.ReadOnlySequence<byte> bytes, bool replace) => _inner.Write(name, bytes, replace);

        public bool Delete(string name) => _inner.Delete(name);

        public string Locate(string name) => _inner.Locate(name);

        private byte[]? Counted(byte[]? bytes)
        {
            BytesRead += bytes?.Length ?? 0;
            return bytes;
        }
    }
}

[SaveFile("slot-save")]
public sealed partial class SlotSave
{
    public string Name { get; set; } = "";
    public SlotChest Chest { get; set; } = new();
    public DecodedOnce Once { get; set; } = new();
}

[StateType]
public sealed partial class SlotChest
{
    public byte[] Bytes { get; set; } = [];
}

/// <summary>Counts how often it was decoded.</summary>
[StateType]
public sealed partial class DecodedOnce : IAfterLoading
{
    public static int Count { get; set; }

    public int Number { get; set; }

    public void AfterLoading() => Count++;
}

using System.Buffers;
using CsCheck;
using Lodrik.Slots;
using Lodrik.Storage;
using Lodrik.Tests.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>A slot is copied to another place and back, and nothing is lost on the way.</summary>
public sealed class SendingTests
{
    private readonly MemoryStorage _here = new();
    private readonly MemoryStorage _there = new();

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    [Fact]
    public async Task A_slot_arrives_with_its_history_its_name_its_pictures_and_its_lineage()
    {
        using var store = Open(_here);
        using var server = SaveSlots.Open(_there);
        for (var day = 1; day <= 3; day++)
            store.Save("evening", At(day), new SaveLabel { Name = "Mein Abend", Title = $"day {day}", Thumbnail = Picture(day), Attachments = new Dictionary<string, ReadOnlyMemory<byte>> { ["map.txt"] = new byte[] { (byte)day } } });
        var sent = await store.SendAsync("evening", server, Cancellation);
        Assert.Equal((3, false, 0), (sent.CopiedCount, sent.BothWentOn, sent.PassedOver.Count));
        Assert.Equal(Lineage(store.History("evening")), Lineage(server.History("evening")));
        Assert.Equal("Mein Abend", Assert.Single(server.List()).Name);
        Assert.Equal(Picture(2), server.ReadThumbnail("evening", 2));
        Assert.Equal([3], server.ReadAttachment("evening", "map.txt")!);
        // What is there is passed over.
        Assert.Equal(0, (await store.SendAsync("evening", server, Cancellation)).CopiedCount);
        Assert.Equal(3, server.History("evening").Count);

        // Another machine fetches it, and plays on.
        using var other = Open(new MemoryStorage());
        Assert.Equal(3, (await other.FetchAsync("evening", server, Cancellation)).CopiedCount);
        var loaded = other.Load("evening");
        Assert.Equal(3, Day(loaded.State));
        other.SaveToCurrent(At(4));
        Assert.Equal(1, (await other.SendAsync("evening", server, Cancellation)).CopiedCount);
        Assert.Equal(1, (await store.FetchAsync("evening", server, Cancellation)).CopiedCount);
        Assert.Equal(4, Day(store.Load("evening").State));
        // A server can do it too, without the game's types.
        using var backup = SaveSlots.Open(new MemoryStorage());
        Assert.Equal((4, "evening"), await backup.FetchAsync("evening", server, Cancellation) is var copied ? (copied.CopiedCount, copied.Slot.ToString()) : default);
        Assert.Equal(0, (await server.SendAsync("evening", backup, Cancellation)).CopiedCount);
    }

    [Fact]
    public async Task A_long_evening_without_a_network_is_still_the_same_slot()
    {
        using var store = Open(_here);
        using var server = SaveSlots.Open(_there);
        store.Save("evening", At(1));
        await store.SendAsync("evening", server, Cancellation);
        // The save that both have makes room for newer ones.
        for (var day = 2; day <= 30; day++)
            store.Save("evening", At(day));
        var sent = await store.SendAsync("evening", server, Cancellation);
        Assert.False(sent.BothWentOn);
        Assert.Equal("evening", Assert.Single(server.List()).Slot.ToString());
        Assert.Equal(store.History("evening")[0].Header!.SaveId, server.History("evening")[0].Header!.SaveId);

        // And the other way: the server's player went on elsewhere, for as long.
        using var other = Open(new MemoryStorage());
        await other.FetchAsync("evening", server, Cancellation);
        for (var day = 31; day <= 60; day++)
        {
            other.Save("evening", At(day), overwrite: Overwrite.Allowed);
            await other.SendAsync("evening", server, Cancellation);
        }
        Assert.False((await store.FetchAsync("evening", server, Cancellation)).BothWentOn);
        Assert.Equal(60, Day(store.Load("evening").State));
    }

    [Fact]
    public async Task Where_both_went_on_the_other_one_becomes_a_second_slot_and_stays_that()
    {
        using var mine = Open(_here);
        using var server = SaveSlots.Open(_there);
        using var theirs = Open(new MemoryStorage());
        mine.Save("evening", At(1), new SaveLabel { Name = "Mein Abend" });
        await mine.SendAsync("evening", server, Cancellation);
        await theirs.FetchAsync("evening", server, Cancellation);
        mine.Save("evening", At(10));
        theirs.Save("evening", At(20), overwrite: Overwrite.Allowed);
        Assert.False((await mine.SendAsync("evening", server, Cancellation)).BothWentOn);

        var sent = await theirs.SendAsync("evening", server, Cancellation);
        Assert.True(sent.BothWentOn);
        Assert.Equal("evening-2", Assert.Single(sent.SecondSlots).ToString());
        Assert.Equal(10, Day(OpenSave(server, "evening")));
        Assert.Equal(20, Day(OpenSave(server, "evening-2")));
        Assert.Equal(["Mein Abend", "Mein Abend (2)"], server.List().Select(one => one.Name).Order(StringComparer.Ordinal));

        // Again, and after playing on: the second slot goes on, and no third one comes.
        Assert.Equal(0, (await theirs.SendAsync("evening", server, Cancellation)).CopiedCount);
        theirs.Save("evening", At(21), overwrite: Overwrite.Allowed);
        Assert.Equal(1, (await theirs.SendAsync("evening", server, Cancellation)).CopiedCount);
        Assert.Equal(21, Day(OpenSave(server, "evening-2")));
        Assert.Equal(2, server.List().Count);
        // Both evenings can be fetched.
        Assert.True((await theirs.FetchAsync("evening", server, Cancellation)).BothWentOn);
        Assert.Equal(21, Day(theirs.Load("evening").State));
        Assert.Equal(10, Day(theirs.Load("evening-2").State));
    }

    [Fact]
    public async Task Quick_saves_go_along_by_playthrough()
    {
        using var store = Open(_here);
        using var server = SaveSlots.Open(_there);
        store.QuickSave(At(1));
        store.StartPlaythrough();
        store.QuickSave(At(2));
        store.QuickSave(At(3));
        Assert.Equal(3, (await store.SendAsync("quick", server, Cancellation)).CopiedCount);
        Assert.Equal(0, (await store.SendAsync("quick", server, Cancellation)).CopiedCount);
        Assert.Equal(2, server.List().Count);
        store.QuickSave(At(4));
        Assert.Equal(1, (await store.SendAsync("quick", server, Cancellation)).CopiedCount);
        Assert.Equal(4, Day(OpenSave(server, "quick")));
    }

    [Fact]
    public async Task What_is_damaged_or_of_another_game_stays_out()
    {
        using var store = Open(_here);
        using var server = SaveSlots.Open(_there);
        store.Save("evening", At(1));
        store.Save("evening", At(2));
        store.Save("evening", At(3));
        var bytes = _here.Read("slots/evening/00000002.json")!;
        bytes.AsSpan(bytes.Length / 2, 40).Fill((byte)'x');
        _here.Write("slots/evening/00000002.json", bytes, replace: true);
        var sent = await store.SendAsync("evening", server, Cancellation);
        Assert.Equal((2, 1), (sent.CopiedCount, sent.PassedOver.Count));
        Assert.Equal(3, Day(OpenSave(server, "evening")));

        using var strange = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var fetched = await strange.FetchAsync("evening", server, Cancellation);
        Assert.Equal(0, fetched.CopiedCount);
        Assert.All(fetched.PassedOver, problem => Assert.Equal(SaveErrorCode.WrongGame, problem.Code));
        Assert.False(strange.HasSaves());
        await Assert.ThrowsAsync<SlotException>(() => store.SendAsync("nowhere", server, Cancellation));
        using var same = SaveSlots.Open(_here);
        await Assert.ThrowsAsync<ArgumentException>(() => store.SendAsync("evening", same, Cancellation));
    }

    [Theory]
    [InlineData("{"), InlineData("[]"), InlineData("{\"memory:\": 7}"), InlineData("{\"memory\": {\"x\": \"y\"}}")]
    public async Task A_note_that_is_no_longer_readable_costs_nothing(string note)
    {
        using var store = Open(_here);
        using var server = SaveSlots.Open(_there);
        store.Save("evening", At(1));
        await store.SendAsync("evening", server, Cancellation);
        _here.Write("slots/evening/common.json", System.Text.Encoding.UTF8.GetBytes(note), replace: true);
        store.Save("evening", At(2));
        Assert.Equal((1, false), await store.SendAsync("evening", server, Cancellation) is var sent ? (sent.CopiedCount, sent.BothWentOn) : default);
        // A deleted slot takes its note along.
        Assert.True(store.Delete("evening"));
        Assert.Empty(_here.List("slots/evening"));
    }

    [Fact]
    public async Task What_was_cut_off_at_any_moment_is_begun_again_and_ends_complete()
    {
        using var store = Open(_here);
        for (var day = 1; day <= 4; day++)
            store.Save("evening", At(day), new SaveLabel { Name = "Mein Abend", Thumbnail = Picture(day) });
        var changes = 0;
        for (var cut = 0; cut == 0 || changes >= cut; cut++)
        {
            var there = new CutStorage { FailsAt = cut };
            using (var server = SaveSlots.Open(there))
            {
                if (cut > 0)
                    await Assert.ThrowsAsync<StorageException>(() => store.SendAsync("evening", server, Cancellation));
                there.FailsAt = 0;
                await store.SendAsync("evening", server, Cancellation);
                Assert.Equal(Lineage(store.History("evening")), Lineage(server.History("evening")));
                Assert.All(server.History("evening"), one => Assert.NotNull(server.ReadThumbnail("evening", one.Number)));
                Assert.Single(server.List());
            }
            if (cut == 0)
                changes = there.Changes;
            _here.Delete("slots/evening/common.json");
        }
        Assert.True(changes >= 7);
    }

    /// <summary>Two machines and a server, in whatever order they play, send and fetch: what anybody saved last is always somewhere.</summary>
    [Fact]
    public void Whatever_two_machines_and_a_server_do_the_last_save_of_each_is_there() =>
        Gen.Select(Gen.Int[0, 1], Gen.Int[0, 5]).List[1, 40].Sample(
            steps =>
            {
                var storages = new[] { new MemoryStorage(), new MemoryStorage() };
                using var server = SaveSlots.Open(new MemoryStorage());
                var stores = storages.Select(Open).ToArray();
                var last = new Dictionary<int, Guid>();
                var saved = 0;
                foreach (var (machine, what) in steps)
                {
                    var store = stores[machine];
                    if (what < 3)
                        last[machine] = store.Save("evening", At(++saved), overwrite: Overwrite.Allowed).SaveId;
                    else if (what == 3 && store.Exists("evening"))
                        Arrives(store.SendAsync("evening", server, CancellationToken.None).GetAwaiter().GetResult(), server.List().SelectMany(one => server.History(one.Slot)));
                    else if (what == 4 && server.Exists("evening"))
                        store.FetchAsync("evening", server, CancellationToken.None).GetAwaiter().GetResult();
                    foreach (var (owner, id) in last)
                        Assert.Contains(stores.SelectMany(one => one.List().SelectMany(slot => one.History(slot.Slot))).Concat(server.List().SelectMany(slot => server.History(slot.Slot))), one => one.Header!.SaveId == id);

                    void Arrives(SlotTransfer transfer, IEnumerable<GenerationSummary> there) =>
                        Assert.True(there.Any(one => one.Header!.SaveId == store.History("evening")[0].Header!.SaveId) || transfer.CopiedCount == 0);
                }
                foreach (var store in stores)
                    store.Dispose();
            },
            iter: 300);

    private static SaveStore<ContractSave> Open(ISaveStorage storage) => SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = storage, KeepGenerations = 3 });

    private static ContractSave At(int day) => new() { Day = day };

    private static int Day(ContractSave save) => save.Day;

    private static ContractSave OpenSave(SaveSlots slots, SlotName slot)
    {
        using var store = Open(slots.Storage);
        return store.Load(slot).State;
    }

    private static byte[] Picture(int day) => [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, (byte)day];

    private static IEnumerable<(Guid, Guid?)> Lineage(IEnumerable<GenerationSummary> history) => history.Select(one => (one.Header!.SaveId, one.Header.Slot!.ParentId));

    /// <summary>A storage whose change of a certain number fails.</summary>
    private sealed class CutStorage : ISaveStorage
    {
        private readonly MemoryStorage _inner = new();

        public int FailsAt { get; set; }

        public int Changes { get; private set; }

        public string Description => "cut";

        public IReadOnlyList<StoredFile> List(string folder) => _inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => _inner.ReadRange(name, offset, count);

        public byte[]? Read(string name) => _inner.Read(name);

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace)
        {
            if (++Changes == FailsAt)
                throw new StorageException("The connection to the server broke.");
            _inner.Write(name, bytes, replace);
        }

        public bool Delete(string name) => _inner.Delete(name);

        public string Locate(string name) => $"cut:{name}";
    }
}

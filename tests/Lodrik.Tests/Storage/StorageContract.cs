using System.Buffers;
using Lodrik.Storage;

namespace Lodrik.Tests.Storage;

/// <summary>What every storage has to do, whatever stands behind it.</summary>
public abstract class StorageContract
{
    protected abstract ISaveStorage Storage { get; }

    [Fact]
    public void What_is_written_is_read_back_whole_and_in_ranges()
    {
        Storage.Write("slots/a/1.json", "0123456789"u8.ToArray(), replace: false);
        Assert.Equal("0123456789"u8.ToArray(), Storage.Read("slots/a/1.json"));
        Assert.Equal("234"u8.ToArray(), Storage.ReadRange("slots/a/1.json", 2, 3));
        Assert.Equal("89"u8.ToArray(), Storage.ReadRange("slots/a/1.json", 8, 100));
        Assert.Equal([], Storage.ReadRange("slots/a/1.json", 100, 1)!);
        Assert.Equal([], Storage.ReadRange("slots/a/1.json", 0, 0)!);
    }

    [Fact]
    public void What_is_not_there_is_read_as_nothing_and_deleted_as_nothing()
    {
        Assert.Null(Storage.Read("none"));
        Assert.Null(Storage.ReadRange("no/such/file", 0, 10));
        Assert.False(Storage.Delete("none"));
        Assert.Empty(Storage.List(""));
        Assert.Empty(Storage.List("no/such"));
    }

    [Fact]
    public void A_file_that_is_there_is_replaced_only_when_asked()
    {
        Storage.Write("a", "one"u8.ToArray(), replace: false);
        Assert.Throws<StorageException>(() => Storage.Write("a", "two"u8.ToArray(), replace: false));
        Assert.Equal("one"u8.ToArray(), Storage.Read("a"));
        Storage.Write("a", "two"u8.ToArray(), replace: true);
        Assert.Equal("two"u8.ToArray(), Storage.Read("a"));
    }

    [Fact]
    public void A_listing_has_every_file_below_the_folder_and_no_other()
    {
        foreach (var name in new[] { "a/1", "a/b/2", "ab/3", "4" })
            Storage.Write(name, new byte[name.Length], replace: false);
        Assert.Equal([("a/1", 3L), ("a/b/2", 5L)], Storage.List("a").OrderBy(file => file.Name).Select(file => (file.Name, file.ByteCount)));
        Assert.Equal(["4", "a/1", "a/b/2", "ab/3"], Storage.List("").Select(file => file.Name).Order(StringComparer.Ordinal));
        Assert.True(Storage.Delete("a/1"));
        Assert.Equal("a/b/2", Assert.Single(Storage.List("a")).Name);
    }

    [Fact]
    public void What_was_handed_over_can_be_changed_afterwards()
    {
        var bytes = "one"u8.ToArray();
        Storage.Write("a", bytes, replace: false);
        bytes[0] = 0;
        Assert.Equal("one"u8.ToArray(), Storage.Read("a"));
        Storage.Read("a")![0] = 0;
        Assert.Equal("one"u8.ToArray(), Storage.Read("a"));
    }

    [Fact]
    public void Files_that_belong_together_are_written_in_their_order_and_none_over_another()
    {
        Storage.WriteAll([Content("slots/a/1.png", "picture", replace: true), Content("slots/a/name.txt", "Anna", replace: true), Content("slots/a/1.json", "save")]);
        Assert.Equal("picture"u8.ToArray(), Storage.Read("slots/a/1.png"));
        Assert.Equal("save"u8.ToArray(), Storage.Read("slots/a/1.json"));
        var problem = Assert.Throws<StorageException>(() => Storage.WriteAll([Content("slots/a/2.png", "other"), Content("slots/a/1.json", "other")]));
        Assert.True(problem.AlreadyExists);
        Assert.Equal("save"u8.ToArray(), Storage.Read("slots/a/1.json"));
        Assert.Equal(IsTransactional, Storage.Read("slots/a/2.png") is null);
    }

    /// <summary>Whether files that are written together are there all or not at all.</summary>
    protected virtual bool IsTransactional => false;

    private static StoredContent Content(string name, string text, bool replace = false) => new(name, new(System.Text.Encoding.UTF8.GetBytes(text)), replace);

    [Fact]
    public async Task The_asynchronous_twins_do_the_same()
    {
        var cancellation = TestContext.Current.CancellationToken;
        await Storage.WriteAllAsync([Content("a/1.png", "picture", replace: true), Content("a/1", "0123456789")], cancellation);
        await Storage.WriteAsync("a/2", new([0, 255, 7]), replace: false, cancellation);
        Assert.True((await Assert.ThrowsAsync<StorageException>(async () => await Storage.WriteAsync("a/2", default, replace: false, cancellation))).AlreadyExists);
        Assert.Equal([0, 255, 7], await Storage.ReadAsync("a/2", cancellation));
        Assert.Equal("345"u8.ToArray(), await Storage.ReadRangeAsync("a/1", 3, 3, cancellation));
        Assert.Equal(["a/1", "a/1.png", "a/2"], (await Storage.ListAsync("a", cancellation)).Select(file => file.Name).Order(StringComparer.Ordinal));
        Assert.True(await Storage.DeleteAsync("a/2", cancellation));
        Assert.False(await Storage.DeleteAsync("a/2", cancellation));
        Assert.Null(await Storage.ReadAsync("a/2", cancellation));
        await Assert.ThrowsAnyAsync<OperationCanceledException>(async () => await Storage.ReadAsync("a/1", new CancellationToken(canceled: true)));
    }

    [Fact]
    public void A_large_file_in_pieces_and_a_name_in_any_script_come_back_as_they_were()
    {
        var bytes = new byte[3_000_001];
        new Random(7).NextBytes(bytes);
        Storage.Write("slots/xn--rhtr47k/größe 雪山 #1?.bin", Pieces(bytes, 70_001), replace: false);
        Assert.Equal(bytes, Storage.Read("slots/xn--rhtr47k/größe 雪山 #1?.bin"));
        Assert.Equal(bytes[2_999_000..], Storage.ReadRange("slots/xn--rhtr47k/größe 雪山 #1?.bin", 2_999_000, 5000));
        Assert.Equal("slots/xn--rhtr47k/größe 雪山 #1?.bin", Assert.Single(Storage.List("slots/xn--rhtr47k")).Name);
        Storage.Write("empty", default, replace: false);
        Assert.Equal([], Storage.Read("empty")!);
    }

    private static ReadOnlySequence<byte> Pieces(byte[] bytes, int size)
    {
        Piece? first = null, last = null;
        for (var from = 0; from < bytes.Length; from += size)
        {
            last = new Piece(bytes.AsMemory(from, Math.Min(size, bytes.Length - from)), last);
            first ??= last;
        }
        return new ReadOnlySequence<byte>(first!, 0, last!, last!.Memory.Length);
    }

    private sealed class Piece : ReadOnlySequenceSegment<byte>
    {
        public Piece(ReadOnlyMemory<byte> memory, Piece? before)
        {
            Memory = memory;
            RunningIndex = before is null ? 0 : before.RunningIndex + before.Memory.Length;
            before?.Next = this;
        }
    }

    [Fact]
    public async Task A_store_on_it_keeps_what_it_says()
    {
        var cancellation = TestContext.Current.CancellationToken;
        using (var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = Storage, KeepGenerations = 2 }))
        {
            for (var day = 1; day <= 4; day++)
                store.Save("evening", new ContractSave { Day = day }, new SaveLabel { Name = "Mein Abend", Thumbnail = Picture });
            await store.SaveAsync("auto", new ContractSave { Day = 5 }, cancellationToken: cancellation);
            store.QuickSave(new ContractSave { Day = 6 });
            store.Copy("evening", "copy");
            store.Rename("copy", "morning");
            Assert.True(store.Delete("morning"));
        }
        using var again = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = Storage });
        var loaded = await again.LoadAsync("evening", cancellationToken: cancellation);
        Assert.Equal((4, 4), (loaded.State.Day, loaded.Generation));
        Assert.Equal(6, again.QuickLoad().State.Day);
        var summary = Assert.Single(again.List(), one => one.Slot == "evening");
        Assert.Equal(("Mein Abend", 2), (summary.Name, summary.GenerationCount));
        Assert.Equal(Picture, again.ReadThumbnail("evening"));
        Assert.Equal(3, again.LoadGeneration("evening", 3).State.Day);
        Assert.Equal(["auto", "evening", "quick"], (await again.ListAsync(cancellationToken: cancellation)).Select(one => one.Slot.ToString()).Order(StringComparer.Ordinal));
    }

    private static readonly byte[] Picture = [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3];

    [Theory]
    [InlineData(""), InlineData("../a"), InlineData("a/../../b"), InlineData("/etc/passwd"), InlineData("a//b"), InlineData("."), InlineData("a\\b"), InlineData("a\0")]
    public void A_name_that_leads_out_of_the_storage_is_refused(string name)
    {
        Assert.ThrowsAny<ArgumentException>(() => Storage.Write(name, default, replace: true));
        Assert.ThrowsAny<ArgumentException>(() => Storage.Read(name));
        Assert.ThrowsAny<ArgumentException>(() => Storage.Delete(name));
    }
}

/// <summary>What a store saves when its storage is tested.</summary>
[SaveFile("contract")]
public sealed partial class ContractSave
{
    public int Day { get; set; }
}

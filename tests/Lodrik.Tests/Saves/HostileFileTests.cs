using Lodrik.Fuzz;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Storage;
using Lodrik.Tests.Slots;
using Tidewarden;
using static Lodrik.Fuzz.Attempt;

namespace Lodrik.Tests.Saves;

/// <summary>Whatever a stranger's file is, it ends in a value or in the library's own error, and the saves beside it work on.</summary>
public sealed class HostileFileTests
{
    public static TheoryData<HostileFile> Files => [.. HostileFiles.All];

    [Theory, MemberData(nameof(Files))]
    public void Opening_and_reading_it_ends_as_it_should(HostileFile file)
    {
        Assert.Equal(file.Opens, Try(() => SavedFile.FromBytes(file.Bytes)));
        Assert.Equal(file.Reads, Try(() => SavedFile.FromBytes(file.Bytes).ReadTree()));
    }

    [Theory, MemberData(nameof(Files))]
    public void Every_reader_ends_in_a_value_or_in_an_error_of_the_library(HostileFile file)
    {
        var before = GC.GetAllocatedBytesForCurrentThread();
        var key = SaveProtection.With(SaveKey.FromBytes("secret", System.Security.Cryptography.RandomNumberGenerator.GetBytes(32)));
        Try(() => SavedFile.FromBytes(file.Bytes).Print(full: true));
        Try(() => SavedFile.FromBytes(file.Bytes).Health);
        foreach (var form in Enum.GetValues<SaveForm>())
            Try(() => SavedFile.FromBytes(file.Bytes).ToForm(form));
        Try(() => StateFile.FromBytes<TidewardenSave>(file.Bytes));
        Try(() => StateFile.FromBytes<LogSave>(file.Bytes));
        Try(() => SaveHistory.Migrations.FromBytes<TidewardenSave>(file.Bytes));
        Try(() => SalvagedSave.FromBytes(file.Bytes).ToBytes());
        Try(() => SalvagedSave.FromBytes(file.Bytes, key).ToBytes(key));
        Try(() => SaveWeight.Of(SavedFile.FromBytes(file.Bytes)));
        Try(() => SaveComparison.Of(SavedFile.FromBytes(file.Bytes), SavedFile.FromBytes(StateFile.ToBytes(new LogSave()))));
        Try(() => { SavedFile.FromBytes(file.Bytes).CheckSeal(key); return true; });
        Try(() => SavedFile.FromBytes(file.Bytes).Protect(key));
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, 20 * ReadAllowance.Default.For(file.Bytes.Length));
    }

    [Theory, MemberData(nameof(Files))]
    public void As_the_newest_generation_it_is_passed_over_or_loaded_and_the_store_works_on(HostileFile file)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, KeepGenerations = 5 });
        store.Save("evening", new LogSave { Log = { Day = 7 } });
        store.Save("other", new LogSave { Log = { Day = 8 } });
        var name = $"slots/evening/00000002{Path.GetExtension(file.Name)}";
        storage.Write(name, file.Bytes, replace: false);
        Assert.Equal(["evening", "other"], store.List().Select(slot => slot.Slot.ToString()).Order(StringComparer.Ordinal));
        Assert.Equal(2, store.History("evening").Count);
        if (file.Opens)
        {
            // It may be another game's, or one that was written by hand: what is said of those is a matter of its own.
            Try(() => store.Load("evening"));
        }
        else
        {
            var loaded = store.Load("evening");
            Assert.Equal((7, 1), (loaded.State.Log.Day, loaded.PassedOver.Count));
        }
        Assert.Equal(8, store.Load("other").State.Log.Day);
        Assert.Equal(3, store.Save("evening", new LogSave { Log = { Day = 9 } }, overwrite: Overwrite.Allowed).Generation);
        Assert.Equal(9, store.Load("evening").State.Log.Day);
        Assert.Contains(storage.List(""), one => one.Name == name);
    }

    [Fact]
    public void What_a_reader_lets_out_is_a_damaged_file_for_whoever_reads()
    {
        var mistake = Untrusted.Mistake;
        var seen = new List<Exception>();
        try
        {
            Untrusted.Mistake = seen.Add;
            var problem = Assert.Throws<DamagedSaveException>(() => Untrusted.Read<int>(
                new SaveLocation { File = "evening.json" }, () => throw new InvalidCastException("a list is no text")));
            Assert.Equal((SaveErrorCode.Damaged, "evening.json"), (problem.Code, problem.Location.File));
            Assert.IsType<InvalidCastException>(Assert.Single(seen));
        }
        finally
        {
            Untrusted.Mistake = mistake;
        }
    }

    [Fact]
    public void Whoever_knows_better_may_raise_the_allowance()
    {
        var bomb = HostileFiles.All.Single(file => file.Name == "brotli-of-empty-maps.lodrik").Bytes;
        Assert.Equal(SaveErrorCode.LimitExceeded, Assert.ThrowsAny<SaveException>(() => SavedFile.FromBytes(bomb, default, new ReadAllowance { LeastBytes = 1 << 20 }).ReadTree()).Code);
        Assert.Equal(SaveErrorCode.LimitExceeded, Assert.ThrowsAny<SaveException>(() => SavedFile.FromBytes(bomb, default, new ReadAllowance { LeastBytes = 64 << 20, BytesPerByte = 1 }).Print(full: true)).Code);
        var large = new ReadAllowance { LeastBytes = 4L << 30 };
        Assert.Single(SavedFile.FromBytes(bomb, default, large).ReadTree());
        var rows = HostileFiles.All.Single(file => file.Name == "one-long-text-in-every-row.lodrik").Bytes;
        var little = new ReadAllowance { LeastBytes = 4 << 20, BytesPerByte = 1 };
        Assert.Equal(SaveErrorCode.LimitExceeded, Assert.ThrowsAny<SaveException>(() => SavedFile.FromBytes(rows, default, little).ToForm(SaveForm.Json)).Code);
        Assert.Equal(SaveErrorCode.LimitExceeded, Assert.ThrowsAny<SaveException>(() => SavedFile.FromBytes(rows, default, little).Print(full: true)).Code);
        Assert.NotEmpty(SavedFile.FromBytes(rows, default, little).ToForm(SaveForm.Binary));
        var storage = new MemoryStorage();
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary, Compression = SaveCompression.Small, Allowance = new ReadAllowance { LeastBytes = 1000, BytesPerByte = 1 } });
        store.Save("evening", new LogSave { Log = { Lines = [.. Enumerable.Range(0, 20_000).Select(i => $"{i}")] } });
        Assert.Equal(SaveErrorCode.LimitExceeded, Assert.ThrowsAny<SaveException>(() => store.Load("evening")).Code);
    }

    /// <summary>Texts that are nearly all the same: few bytes in the file, and much memory.</summary>
    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Binary)]
    public void What_a_game_compresses_can_be_read_however_dense_it_is(SaveForm form)
    {
        var random = new Random(7);
        var storage = new MemoryStorage();
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Form = form, Compression = SaveCompression.Fast });
        var state = new LogSave { Log = { Lines = [.. Enumerable.Range(0, 4_500_000).Select(_ => random.Next(300) == 0 ? "b" : "")] } };
        store.Save("evening", state);
        using var other = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Form = form });
        Assert.Equal(state.Log.Lines, other.Load("evening").State.Log.Lines);
    }

    [Fact]
    public void An_honest_map_of_a_million_equal_tiles_is_read_however_small_it_is_compressed()
    {
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            using var store = SaveStore<TileSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form, Compression = SaveCompression.Fast, Allowance = new ReadAllowance { LeastBytes = 16 << 20 } });
            store.Save("evening", new TileSave { Seen = [.. new bool[1 << 20]], Depths = [.. new int[1 << 18]], Tiles = { Land = [.. Enumerable.Range(0, 1 << 16).Select(_ => new Tile())] } });
            var loaded = store.Load("evening").State;
            Assert.Equal((1 << 20, 1 << 18, 1 << 16), (loaded.Seen.Count, loaded.Depths.Count, loaded.Tiles.Land.Count));
        }
    }

    [Fact]
    public void Reading_the_same_section_again_uses_no_more_of_the_allowance()
    {
        var bytes = StateFile.ToBytes(new LogSave { Log = { Lines = [.. Enumerable.Range(0, 2000).Select(i => $"{i}")] } });
        var file = SavedFile.FromBytes(bytes, default, new ReadAllowance { LeastBytes = 200_000, BytesPerByte = 1 });
        for (var i = 0; i < 10; i++)
            file.ReadTree();
    }

    [Fact]
    public void A_long_value_is_shown_by_its_beginning_alone()
    {
        Assert.Equal("[1,2,3]", SaveJson.WriteShort(SaveJson.Read("[1, 2, 3]"), 50));
        Assert.Equal("\"xxxx…", SaveJson.WriteShort(new string('x', 1_000_000), 6));
        var rows = SavedFile.FromBytes(HostileFiles.All.Single(file => file.Name == "one-long-text-in-every-row.lodrik").Bytes).ReadSection("tree");
        var before = GC.GetAllocatedBytesForCurrentThread();
        Assert.Equal("[{\"text\":…", SaveJson.WriteShort(rows, 50));
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, 64 << 20);
        var folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
        File.WriteAllBytes(Path.Combine(folder, "a.json"), StateFile.ToBytes(new LogSave()));
        Assert.ThrowsAny<SaveException>(() => SavedFile.Open(Path.Combine(folder, "a.json"), new ReadAllowance { LeastBytes = 1, BytesPerByte = 0 }).ReadTree());
        Directory.Delete(folder, recursive: true);
    }
}

[SaveFile("tile-tests")]
public sealed partial class TileSave
{
    public List<bool> Seen { get; set; } = [];

    public List<int> Depths { get; set; } = [];

    public Tiles Tiles { get; set; } = new();
}

[StateType]
public sealed partial class Tiles
{
    public List<Tile> Land { get; set; } = [];
}

[StateType]
public sealed partial class Tile
{
    public int Kind { get; set; }

    public bool Wet { get; set; }
}

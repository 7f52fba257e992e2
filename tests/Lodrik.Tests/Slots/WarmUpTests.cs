using System.Numerics;
using System.Runtime;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Formats;
using Lodrik.Tests.State;

namespace Lodrik.Tests.Slots;

/// <summary>The code for the first save is there before the first save, and nothing of the game runs for it.</summary>
public sealed class WarmUpTests
{
    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public async Task None_of_the_games_code_runs(SaveForm form)
    {
        using var store = SaveStore<WatchedSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form });
        await store.WarmUpAsync();
        Assert.Empty(Watched.Calls);
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public async Task Every_sort_of_member_is_warmed_up(SaveForm form)
    {
        using var store = SaveStore<DriftSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form });
        await store.WarmUpAsync();
        using var other = SaveStore<FleetSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form });
        await other.WarmUpAsync();
    }

    [Fact]
    public async Task After_it_the_first_save_and_the_first_load_compile_next_to_nothing()
    {
        // Two types that are the same, so that what one has compiled does not help the other.
        var cold = await CountCompiled(new ColdSave { Fleet = Fleet.Make() }, warmsUp: false);
        var warm = await CountCompiled(new WarmSave { Squadron = Squadron.Make() }, warmsUp: true);
        Assert.True(cold.Save > 20 && cold.Load > 20, $"{cold} methods were compiled without it.");
        Assert.True(warm.Save < cold.Save / 2 && warm.Load < cold.Load / 2, $"{warm} methods were compiled after it, {cold} without.");
    }

    [Fact]
    public async Task A_store_does_so_when_it_is_opened_unless_it_is_told_not_to()
    {
        using var store = SaveStore<QuietSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), WarmsUp = false });
        store.Save("evening", new QuietSave());
        Assert.Same(store.WarmUpAsync(), store.WarmUpAsync());
        await store.WarmUpAsync();
    }

    [Fact]
    public async Task A_folder_that_is_not_there_is_not_made()
    {
        var folder = Path.Combine(Path.GetTempPath(), $"lodrik-{Guid.NewGuid():N}");
        using var store = SaveStore<QuietSave>.Open(new SaveStoreOptions { Folder = folder });
        await store.WarmUpAsync();
        Assert.False(Directory.Exists(folder));
    }

    private static async Task<(long Save, long Load)> CountCompiled<T>(T save, bool warmsUp) where T : class, IStateRoot<T>
    {
        // What all stores share is compiled by another one.
        using (var first = SaveStore<QuietSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = SaveForm.Binary }))
        {
            await first.WarmUpAsync();
            first.Save("evening", new QuietSave());
            first.Load("evening");
        }
        using var store = SaveStore<T>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = SaveForm.Binary, WarmsUp = warmsUp });
        if (warmsUp)
            await store.WarmUpAsync();
        var before = JitInfo.GetCompiledMethodCount(currentThread: true);
        store.Save("evening", save);
        var saved = JitInfo.GetCompiledMethodCount(currentThread: true);
        store.Load("evening");
        return (saved - before, JitInfo.GetCompiledMethodCount(currentThread: true) - saved);
    }
}

/// <summary>What ran of the types below.</summary>
internal static class Watched
{
    private static readonly List<string> All = [];

    public static IReadOnlyList<string> Calls
    {
        get
        {
            lock (All)
                return [.. All];
        }
    }

    public static void Note(string call)
    {
        lock (All)
            All.Add(call);
    }
}

[SaveFile("watched")]
public sealed partial class WatchedSave
{
    public WatchedSave() => Watched.Note("the constructor of the save");

    public WatchedHero Hero { get; set; } = new();
    public List<WatchedHero> Heroes { get; set; } = [];
    public List<WatchedSpot> Spots { get; set; } = [];
    public WatchedSpot? Maybe { get; set; }
    public List<WatchedBeing> Beings { get; set; } = [];
    public Dictionary<string, WatchedHero> ByName { get; set; } = [];
}

[StateType]
public sealed partial class WatchedHero : IBeforeSaving, IAfterLoading
{
    private int _level;

    static WatchedHero() => Watched.Note("a static constructor");

    public WatchedHero() => Watched.Note("a constructor");

    public int Level
    {
        get => _level;
        set
        {
            Watched.Note("a setter");
            _level = value;
        }
    }

    public void BeforeSaving() => Watched.Note("a hook before saving");

    public void AfterLoading() => Watched.Note("a hook after loading");
}

[StateType]
public partial struct WatchedSpot
{
    public WatchedSpot() => Watched.Note("a struct's constructor");

    public float X { get; set; }

    public float Y
    {
        readonly get
        {
            Watched.Note("a struct's getter");
            return X;
        }
        set
        {
            Watched.Note("a struct's setter");
            X = value;
        }
    }
}

[StateType]
[SaveVariant("fish", typeof(WatchedFish))]
public abstract partial class WatchedBeing
{
    protected WatchedBeing() => Watched.Note("the constructor of a base type");
}

[StateType]
public sealed partial class WatchedFish : WatchedBeing
{
    public int Scales { get; set; }
}

[SaveFile("quiet")]
public sealed partial class QuietSave
{
    public int Number { get; set; }
}

[SaveFile("fleet")]
public sealed partial class FleetSave
{
    public List<Punt> Punts { get; set; } = [];
    public Pier Pier { get; set; } = new();
    public Mooring Mooring { get; set; } = new();
}

[SaveFile("cold")]
public sealed partial class ColdSave
{
    public Fleet Fleet { get; set; } = new();
}

[StateType]
public sealed partial class Fleet
{
    public List<Hull> Hulls { get; set; } = [];

    public static Fleet Make() => new()
    {
        Hulls = [.. Enumerable.Range(0, 20).Select(i => new Hull { Name = $"hull {i}", Length = i, Place = new Vector2(i, 1), Planks = [new Plank { Wood = "oak" }] })],
    };
}

[StateType]
public sealed partial class Hull
{
    public string Name { get; set; } = "";
    public int Length { get; set; }
    public Vector2 Place { get; set; }
    public List<Plank> Planks { get; set; } = [];
}

[StateType]
public sealed partial class Plank
{
    public string Wood { get; set; } = "";
}

[SaveFile("warm")]
public sealed partial class WarmSave
{
    public Squadron Squadron { get; set; } = new();
}

[StateType]
public sealed partial class Squadron
{
    public List<Keel> Keels { get; set; } = [];

    public static Squadron Make() => new()
    {
        Keels = [.. Enumerable.Range(0, 20).Select(i => new Keel { Name = $"keel {i}", Length = i, Place = new Vector2(i, 1), Ribs = [new Rib { Wood = "oak" }] })],
    };
}

[StateType]
public sealed partial class Keel
{
    public string Name { get; set; } = "";
    public int Length { get; set; }
    public Vector2 Place { get; set; }
    public List<Rib> Ribs { get; set; } = [];
}

[StateType]
public sealed partial class Rib
{
    public string Wood { get; set; } = "";
}

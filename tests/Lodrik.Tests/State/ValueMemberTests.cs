using Lodrik.State;

namespace Lodrik.Tests.State;

/// <summary>Trees, catalogues and roots, by what games call on them.</summary>
public sealed class ValueMemberTests
{
    [Fact]
    public void Lists_and_maps_of_a_tree_can_be_changed_item_by_item()
    {
        var list = new SaveList { 1, "two", 3.5m };
        list.RemoveAt(1);
        Assert.Equal(3.5m, ((SaveScalar)list[1]).Decimal);
        var map = new SaveMap();
        Assert.True(map.TryAdd("oil", 3));
        Assert.False(map.TryAdd("oil", 4));
        Assert.Equal(3, map["oil"].AsInt64());
    }

    [Fact]
    public void A_catalogue_finds_things_by_name_and_names_by_thing()
    {
        var lamps = new Catalogue<string>("lamps");
        lamps.Add("amber", "a lamp of amber glass", "yellow");
        Assert.True(lamps.TryFind("yellow", out var lamp));
        Assert.Equal("amber", lamps.NameOf(lamp));
        Assert.False(lamps.TryFind("blue", out _));
        Assert.Throws<CatalogueException>(() => lamps.NameOf("another"));
    }

    [Fact]
    public void A_save_root_is_told_from_a_state_type() =>
        Assert.Equal((true, false), (RootOf<SampleSave>().IsSaveFile, RootOf<Slots.Log>().IsSaveFile));

    private static StateRoot RootOf<T>() where T : IStateRoot<T> => T.Root;
}

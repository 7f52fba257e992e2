using Lodrik.Scenes;

namespace Lodrik.Tests.Declared;

public sealed class CoastGameTests
{
    [Fact]
    public void References_lead_from_one_scene_to_another()
    {
        var numbers = new SpawnNumbers();
        var (east, west) = (new Reach(numbers), new Reach(numbers));
        var buoy = new Buoy(EntityId.Placed("buoy"));
        east.Buoys.Add(buoy);
        var coast = LiveScene.BeginSet<Reach>();
        coast.Begin("east", east);
        coast.Begin("west", west);
        var boat = new Boat(EntityId.Spawned(numbers.Next()))
        {
            Bound = buoy,
            At = new(3, 3),
            Home = new EntityReference(EntityId.Placed("quay"), "harbour"),
        };
        west.Boats.Add(boat);
        buoy.Moors = boat;
        var archive = new SceneArchive();
        coast.CaptureTo(archive);

        west.Boats.Clear();
        east.Buoys.Clear();
        var report = coast.RestoreFrom(archive);

        Assert.Empty(report.Plan.Warnings);
        var back = Assert.Single(west.Boats);
        Assert.Equal(new EntityReference(EntityId.Placed("quay"), "harbour"), back.Home);
        Assert.Same(Assert.Single(east.Buoys), back.Bound);
        Assert.Same(back, back.Bound!.Moors);
        Assert.Equal(2, numbers.Next());
    }
}

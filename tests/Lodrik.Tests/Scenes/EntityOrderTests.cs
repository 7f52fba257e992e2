using System.Numerics;
using CsCheck;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>Entities are found whatever the order in which the game has them, and one that is there twice is never passed over.</summary>
public sealed class EntityOrderTests
{
    // Names and numbers of which some are in order and some are not.
    private static readonly Gen<EntityId> Ids = Gen.OneOf(
        Gen.Int[0, 7].Select(number => EntityId.Placed($"buoy-{number}")), Gen.Int[1, 12].Select(number => EntityId.Spawned(number)),
        Gen.Int[0, 3].Select(which => new[] { EntityId.Spawned(70), EntityId.Spawned(long.MaxValue), EntityId.Placed("a"), EntityId.Placed("z") }[which]));

    [Fact]
    public void An_id_that_is_there_twice_is_found_in_any_order() => Ids.Array[0, 14].Sample(
        ids =>
        {
            var live = Shoal.Bindings(Shoal.HasReference).Begin(new Shoal());
            foreach (var id in ids)
                live.Scene.Add(new Float(id));
            if (ids.Distinct().Count() < ids.Length)
            {
                Assert.Contains("have the id", Assert.Throws<SceneException>(live.Capture).Message, StringComparison.Ordinal);
                return;
            }
            var record = live.Capture();
            Assert.Equal(ids.Order(), record.Entities.Select(entity => entity.Id));
            Assert.All(live.Scene.All, one => Assert.Same(one, live.Find(one.Id)));
            Assert.Null(live.Find("nothing"));
        }, iter: 3000, threads: 2);

    [Fact]
    public void What_was_captured_in_one_order_is_restored_in_any_other() => Gen.Select(Ids.Array[0, 14], Ids.Array[0, 14], Gen.Int[0, 1000]).Sample(
        (authored, later, seed) =>
        {
            var random = new Random(seed);
            var placed = authored.Where(id => !id.IsSpawned).Distinct().ToArray();
            var bindings = Shoal.Bindings(Shoal.HasReference);
            var first = bindings.Begin(Level(placed, random));
            foreach (var id in later.Distinct().Where(id => id.IsSpawned || !placed.Contains(id)))
                first.Scene.Add(new Float(id));
            first.Scene.All.RemoveAll(one => random.Next(4) == 0);
            var all = first.Scene.All;
            foreach (var one in all)
                (one.At, one.Leads) = (new Vector2(random.Next(100), 1), random.Next(3) == 0 ? null : all[random.Next(all.Count)]);
            random.Shuffle(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(all));
            var record = first.Capture();
            Assert.Equal(placed.Except(all.Select(one => one.Id)).Order(), record.Gone);

            var second = bindings.Begin(Level(placed, random));
            foreach (var id in later.Where(id => id.IsSpawned && random.Next(3) == 0).Distinct())
                second.Scene.Add(new Float(id));
            random.Shuffle(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(second.Scene.All));
            second.Restore(Shoal.Through(record, SaveForm.Binary));
            Assert.Equal(Print(first.Scene), Print(second.Scene));
            second.RestoreAuthored();
            Assert.Equal(placed.Order(), second.Scene.All.Select(one => one.Id).Order());

            static Shoal Level(EntityId[] placed, Random random)
            {
                var shoal = new Shoal();
                random.Shuffle(placed);
                foreach (var id in placed)
                    shoal.Add(new Float(id));
                return shoal;
            }

            static string Print(Shoal shoal) =>
                string.Join('\n', shoal.All.OrderBy(one => one.Id).Select(one => $"{one.Id} {one.At} {one.Leads?.Id}"));
        }, iter: 2000, threads: 2);
}

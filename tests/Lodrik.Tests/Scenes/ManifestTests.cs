using System.Numerics;
using CsCheck;
using Lodrik.Scenes;
using Lodrik.Scenes.Authoring;

namespace Lodrik.Tests.Scenes;

/// <summary>Ids for placed objects that have no names.</summary>
public sealed class ManifestTests
{
    private static ManifestResult Build(SceneManifest? before, params (string Kind, float X, float Y, string Path)[] placed)
    {
        var builder = new ManifestBuilder(before);
        foreach (var (kind, x, y, path) in placed)
            builder.Add(kind, new Vector2(x, y), path);
        return builder.Build();
    }

    [Fact]
    public void The_same_level_gets_the_same_ids_in_any_order_and_after_being_stored()
    {
        (string, float, float, string)[] level = [("coin", 1, 1, ""), ("coin", 2, 1, ""), ("coin", 3, 1, "cave"), ("door", 1, 1, "")];
        var first = Build(null, level);
        Assert.Equal(4, first.Ids.Distinct().Count());
        Assert.Equal(4, first.Added.Count);
        Assert.All(first.Ids.Take(3), id => Assert.StartsWith("coin-", id.ToString(), StringComparison.Ordinal));
        var reversed = Build(null, [.. level.Reverse()]);
        Assert.Equal(first.Ids, reversed.Ids.Reverse());

        var stored = StateFile.FromText<SceneManifest>(StateFile.ToText(first.Manifest));
        var second = Build(stored, level);
        Assert.Equal(first.Ids, second.Ids);
        Assert.Equal("4 placed: 0 new, 0 moved, 0 gone, 0 indistinguishable", second.ToString());
    }

    [Fact]
    public void An_edit_keeps_the_ids_of_what_moved_came_and_went_as_far_as_that_can_be_told()
    {
        var before = Build(null, ("coin", 0, 0, ""), ("coin", 10, 0, ""), ("coin", 20, 0, ""), ("lamp", 0, 5, "cave/lamp"), ("lamp", 9, 9, "hut/lamp"));
        var after = Build(before.Manifest, ("coin", 20, 0, ""), ("coin", 1, 0, ""), ("lamp", 90, 5, "cave/lamp"), ("coin", 50, 0, ""), ("lamp", 9, 9, "shed/lamp"));
        Assert.Equal(before.Ids[2], after.Ids[0]);
        Assert.Equal(before.Ids[0], after.Ids[1]);
        Assert.Equal(before.Ids[3], after.Ids[2]);
        Assert.Equal(before.Ids[4], after.Ids[4]);
        Assert.Equal([after.Ids[3]], after.Added);
        Assert.Equal([before.Ids[1]], after.Retired);
        Assert.Equal(3, after.Moved.Count);
        Assert.Equal((new Vector3(0, 0, 0), new Vector3(1, 0, 0)), after.Moved.Where(move => move.Id == before.Ids[0]).Select(move => (move.From, move.To)).Single());
        Assert.Contains("5 placed: 1 new, 3 moved, 1 gone, 0 indistinguishable", after.ToString(), StringComparison.Ordinal);

        // What was taken out and put back is the same again, and its id was nobody else's meanwhile.
        var back = Build(after.Manifest, ("coin", 10, 0, ""));
        Assert.Equal(before.Ids[1], back.Ids[0]);
    }

    [Fact]
    public void Of_two_that_moved_the_nearer_one_is_the_same()
    {
        var before = Build(null, ("coin", 0, 0, ""), ("coin", 1, 0, ""));
        var after = Build(before.Manifest, ("coin", 0.4f, 0, ""), ("coin", 1.1f, 0, ""));
        Assert.Equal(before.Ids, after.Ids);
    }

    [Theory]
    [InlineData(2f, 300)]
    [InlineData(0.25f, 300)]
    [InlineData(1000f, 60)]
    [InlineData(2f, 20_000)]
    public void Nothing_that_could_be_the_same_is_taken_for_gone_and_new(float tolerance, int count)
    {
        var random = new Random(11);
        var width = MathF.Sqrt(count) * 2;
        Vector3 Somewhere() => new((random.NextSingle() - 0.5f) * width, (random.NextSingle() - 0.5f) * width, 0);
        var before = new ManifestBuilder();
        var places = Enumerable.Range(0, count).Select(_ => Somewhere()).ToList();
        foreach (var place in places)
            before.Add("reed", place);
        var after = new ManifestBuilder(before.Build().Manifest, tolerance);
        foreach (var place in places)
            after.Add("reed", place + (Somewhere() * (tolerance / width)));
        var result = after.Build();
        Assert.All(result.Moved, move => Assert.True(Vector3.Distance(move.From, move.To) <= tolerance));
        var gone = result.Manifest.Entries.Where(entry => entry.IsRetired).Select(entry => entry.Place).ToList();
        var added = result.Added.ToHashSet();
        var fresh = result.Manifest.Entries.Where(entry => added.Contains(entry.Id)).Select(entry => entry.Place).ToList();
        Assert.All(gone.Take(500), old => Assert.All(fresh, one => Assert.True(Vector3.Distance(old, one) > tolerance)));
        Assert.InRange(result.Moved.Count, count / 3, count);
    }

    [Fact]
    public void Objects_that_only_their_order_tells_apart_are_reported()
    {
        var result = Build(null, ("coin", 4, 2, "cave"), ("coin", 4, 2, "cave"));
        Assert.Equal(2, result.Ids.Distinct().Count());
        Assert.Contains("2 objects of the kind coin are at (4, 2, 0) under cave", Assert.Single(result.Collisions), StringComparison.Ordinal);
        Assert.Equal(result.Ids, Build(result.Manifest, ("coin", 4, 2, "cave"), ("coin", 4, 2, "cave")).Ids);
    }

    [Fact]
    public void A_name_of_the_designers_is_the_id_and_must_not_stand_twice()
    {
        var builder = new ManifestBuilder();
        builder.Add("door", new Vector2(1, 1), name: "gate");
        builder.Add("door", new Vector2(2, 1));
        Assert.Equal("gate", builder.Build().Ids[0].ToString());
        builder.Add("door", new Vector3(3, 1, 0), name: "gate");
        Assert.Contains("the name gate", Assert.Throws<SceneException>(builder.Build).Message, StringComparison.Ordinal);
        Assert.Throws<ArgumentException>(() => builder.Add("", default(Vector3)));
    }

    [Fact]
    public void Whatever_an_edit_does_no_id_is_given_twice_or_to_another_kind() =>
        Gen.Select(Gen.Int[0, 1].Select(i => i == 0 ? "coin" : "lamp"), Gen.Int[0, 6], Gen.Int[0, 3], Gen.Int[0, 2].Select(i => i == 0 ? "" : i == 1 ? "a" : "b")).Array[0, 30].Array[1, 5].Sample(
            edits =>
            {
                SceneManifest? manifest = null;
                var kinds = new Dictionary<EntityId, string>();
                foreach (var edit in edits)
                {
                    var result = Build(manifest, [.. edit.Select(one => (one.Item1, (float)one.Item2, (float)one.Item3, one.Item4))]);
                    Assert.Equal(edit.Length, result.Ids.Distinct().Count());
                    for (var i = 0; i < edit.Length; i++)
                    {
                        kinds.TryAdd(result.Ids[i], edit[i].Item1);
                        Assert.Equal(kinds[result.Ids[i]], edit[i].Item1);
                    }
                    // Nothing that was ever there is forgotten.
                    Assert.Equal(kinds.Keys.Order(), result.Manifest.Entries.Select(entry => entry.Id));
                    manifest = result.Manifest;
                }
            },
            iter: 300, threads: 2);

    [Fact]
    public void A_scene_that_begins_with_a_stored_manifest_knows_what_is_gone_already()
    {
        var builder = new ManifestBuilder();
        foreach (var name in new[] { "b1", "b2", "b3", "b4" })
            builder.Add("barrel", default(Vector2), name: name);
        builder.Add("wagon", default(Vector2), name: "w1");
        var live = Yard.Bindings().Begin(Yard.Author(), builder.Build().Manifest);
        Assert.Equal(["b4"], live.Capture().Gone.Select(id => id.ToString()));
        Assert.Equal(5, live.Manifest.Count);
    }
}

using System.Text;
using System.Text.Json.Nodes;
using CsCheck;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Storage;
using Tidewarden;

namespace Lodrik.Tests.Inspection;

/// <summary>A comparison finds what is different, nothing else, and all of it.</summary>
public sealed class SaveComparisonTests
{
    private static readonly Lazy<MemoryStorage> Played = new(() =>
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage });
        Story.Play(store);
        return storage;
    });

    [Fact]
    public void A_patch_makes_the_second_save_of_the_first() => Gen.Select(Documents, Documents).Sample(
        pair =>
        {
            var (before, after) = pair;
            var comparison = SaveComparison.Of(SavedFile.FromBytes(Encoding.UTF8.GetBytes(before)), SavedFile.FromBytes(Encoding.UTF8.GetBytes(after)));
            var patched = Apply(JsonNode.Parse(before)!, JsonNode.Parse(comparison.ToJsonPatch())!.AsArray());
            Assert.True(JsonNode.DeepEquals(patched, JsonNode.Parse(after)), $"{before}\n{after}\n{comparison.ToJsonPatch()}\n{patched.ToJsonString()}");
            Assert.Equal(JsonNode.DeepEquals(JsonNode.Parse(before), JsonNode.Parse(after)), comparison.IsEmpty);
        },
        iter: 3000);

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void The_same_save_in_two_forms_is_the_same(SaveForm form)
    {
        foreach (var file in Played.Value.List("slots").Where(file => file.Name.EndsWith(".json", StringComparison.Ordinal)))
        {
            var save = SavedFile.FromBytes(Played.Value.Read(file.Name)!);
            Assert.True(SaveComparison.Of(save, SavedFile.FromBytes(save.ToForm(form))).IsEmpty);
            Assert.Equal("[]", SaveComparison.Of(SavedFile.FromBytes(save.ToForm(form)), save).ToJsonPatch());
        }
    }

    [Fact]
    public void What_was_as_authored_is_told_from_what_is_new()
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage });
        var scene = Scene.Author("marsh");
        var live = LiveScene.Begin(scene);
        var save = new TidewardenSave();
        foreach (var at in new float?[] { null, 4, null })
        {
            // Herons are in a save only if they are not as the designer left them.
            scene.Herons[1].At = at is { } x ? new(x, 6) : Scene.Author("marsh").Herons[1].At;
            live.CaptureTo(save.Scenes, "marsh");
            store.Save("evening", save);
        }
        var files = storage.List("slots").Select(file => file.Name).Order().Select(name => SavedFile.FromBytes(storage.Read(name)!)).ToList();
        var (away, back) = (SaveComparison.Of(files[0], files[1]).Entities.Single(), SaveComparison.Of(files[1], files[2]).Entities.Single());
        Assert.Equal((EntityOutcome.NoLongerAuthored, EntityOutcome.AuthoredAgain), (away.Outcome, back.Outcome));
        Assert.Equal(["/place/at [4.0,6.0]"], away.Changes.Select(change => $"{change.Path} {SaveJson.Write(change.After!)}"));
        Assert.Equal(away.Changes.Select(change => (change.Path, change.Before is null)), back.Changes.Select(change => (change.Path, change.After is null)));
    }

    [Fact]
    public void What_became_of_entities_is_told_entity_by_entity()
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary });
        var scene = Scene.Author("marsh");
        var live = LiveScene.Begin(scene);
        var save = new TidewardenSave();
        live.CaptureTo(save.Scenes, "marsh");
        store.Save("evening", save);
        scene.Punts[0].At = new(9, 9);
        scene.Beacons[1].Lit = true;
        scene.OilCans.RemoveAll(can => can.Name == "oil-2");
        scene.Lanterns.Add(new DriftLantern(1));
        save.Warden.Oil = 99;
        live.CaptureTo(save.Scenes, "marsh");
        store.Save("evening", save);

        var files = storage.List("slots").Select(file => file.Name).Order().Select(name => SavedFile.FromBytes(storage.Read(name)!)).ToList();
        var comparison = SaveComparison.Of(files[0], files[1]);
        Assert.Equal(["beacon-2 Changed", "oil-2 Removed", "punt Moved", "#1 Added"], comparison.Entities.Select(entity => $"{entity.Id} {entity.Outcome}").OrderBy(text => text[0] == '#' ? 1 : 0).ThenBy(text => text, StringComparer.Ordinal));
        Assert.Equal(["/flame/lit"], comparison.Entities.Single(entity => entity.Id == "beacon-2").Changes.Select(change => change.Path));
        Assert.Equal(["/place/at"], comparison.Entities.Single(entity => entity.Id == "punt").Changes.Select(change => change.Path));
        Assert.Equal(["/warden/oil"], comparison.Values.Select(change => change.Path));
        Assert.All(comparison.Entities, entity => Assert.Equal("marsh", entity.Scene));
        Assert.Contains(comparison.Entities, entity => entity is { Kind: "driftLantern", Outcome: EntityOutcome.Added });
    }

    [Fact]
    public void Weights_add_up_to_the_file()
    {
        foreach (var (form, compression) in new[] { (SaveForm.Json, SaveCompression.None), (SaveForm.Xml, SaveCompression.None), (SaveForm.Binary, SaveCompression.None), (SaveForm.Binary, SaveCompression.Small) })
        {
            var storage = new MemoryStorage();
            using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage, Form = form, Compression = compression });
            Story.Play(store);
            var file = SavedFile.FromBytes(storage.Read(storage.List("slots/evening").Single(one => !one.Name.EndsWith(".png", StringComparison.Ordinal)).Name)!);
            var weight = SaveWeight.Of(file);
            Assert.Equal(file.ByteCount, weight.FrameByteCount + weight.Sections.Sum(section => section.FileByteCount));
            Assert.Equal(file.Sections.Select(section => section.Name).Order(), weight.Sections.Select(section => section.Section).Order());
            Assert.All(weight.Sections, section => AddsUp(section.Content));
            Assert.True(compression == SaveCompression.None || weight.Sections.Any(section => section.FileByteCount < section.Content.ByteCount));
            var marsh = weight.Sections.Single(section => section.Section == "scenes/marsh").Content;
            Assert.Equal((5, 6), (marsh.Children.Single(kind => kind.Name == "beacon").Count, marsh.Children.Single(kind => kind.Name == "oilCan").Count));
            Assert.Contains(marsh.Children.Single(kind => kind.Name == "driftLantern").Children, part => part is { Name: "candle", Count: 3 });
        }

        static void AddsUp(WeightNode node)
        {
            Assert.True(node.Children.Count == 0 || node.Children.Sum(child => child.ByteCount) == node.ByteCount, node.Name);
            Assert.True(node.Children.Zip(node.Children.Skip(1)).All(pair => pair.First.ByteCount >= pair.Second.ByteCount));
            foreach (var child in node.Children)
                AddsUp(child);
        }
    }

    [Fact]
    public void Another_content_of_a_section_leaves_every_other_byte_for_byte()
    {
        var protection = SaveProtection.Encrypted(SaveKey.FromBytes("inspection", System.Security.Cryptography.SHA256.HashData("inspection"u8)));
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            var save = SavedFile.FromBytes(SavedFile.FromBytes(Played.Value.Read("slots/evening/00000001.json")!).ToForm(form));
            var warden = (Lodrik.State.SaveMap)save.ReadSection("warden");
            warden["oil"] = 99;
            foreach (var seal in new[] { null, protection })
            {
                var edited = SavedFile.FromBytes(save.WithSection("warden", warden, seal));
                if (seal is not null)
                    edited.CheckSeal(seal);
                Assert.Equal(SectionHealth.Intact, edited.Health);
                Assert.Equal(99, WholeState.Decode<TidewardenSave>(edited).Warden.Oil);
                Assert.Equal(["/warden/oil"], SaveComparison.Of(save, edited).All.Select(change => change.Path));
                Assert.Equal(save.Header!.SaveId, edited.Header!.ParentId);
                foreach (var section in save.Sections.Where(section => section.Name != "warden"))
                    Assert.Equal(Convert.ToHexString(Plain(save, section.Name)), Convert.ToHexString(Plain(edited, section.Name)));
            }
            Assert.Equal(SaveErrorCode.NoSuchSection, Assert.Throws<SaveContentException>(() => save.WithSection("nothing", warden)).Code);
        }

        static ReadOnlySpan<byte> Plain(SavedFile save, string section) => ((Lodrik.Saves.Reading.CheckedSave)save.Source).Take(section).Bytes.Span;
    }

    private static Gen<string> OneOf(params string[] values) => Gen.Int[0, values.Length - 1].Select(i => values[i]);

    private static Gen<string> Documents => Value(3).Dictionary(OneOf("a", "b/c", "d~e", "lamp"), 0, 4);

    private static Gen<string> Value(int depth) => depth == 0
        ? Gen.OneOf(Gen.Int[0, 5].Select(number => $"{number}"), OneOf("\"x\"", "\"y\"", "true", "false", "null"))
        : Gen.Frequency((2, Value(0)), (2, Value(depth - 1).List[0, 6].Select(items => $"[{string.Join(",", items)}]")), (2, Value(depth - 1).Dictionary(OneOf("a", "b", "c~/"), 0, 3)));

    /// <summary>Applies a patch as RFC 6902 says.</summary>
    private static JsonNode Apply(JsonNode document, JsonArray patch)
    {
        foreach (var operation in patch)
        {
            var steps = operation!["path"]!.GetValue<string>().Split('/')[1..].Select(step => step.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal)).ToArray();
            var parent = steps[..^1].Aggregate(document, (node, step) => node is JsonArray array ? array[int.Parse(step, System.Globalization.CultureInfo.InvariantCulture)]! : node[step]!);
            var value = operation["value"]?.DeepClone();
            switch (operation["op"]!.GetValue<string>(), parent)
            {
                case ("add", JsonArray array):
                    array.Insert(int.Parse(steps[^1], System.Globalization.CultureInfo.InvariantCulture), value);
                    break;
                case ("remove", JsonArray array):
                    array.RemoveAt(int.Parse(steps[^1], System.Globalization.CultureInfo.InvariantCulture));
                    break;
                case ("replace", JsonArray array):
                    array[int.Parse(steps[^1], System.Globalization.CultureInfo.InvariantCulture)] = value;
                    break;
                case ("remove", JsonObject map):
                    Assert.True(map.Remove(steps[^1]));
                    break;
                case ("add", JsonObject map):
                    Assert.True(map.TryAdd(steps[^1], value));
                    break;
                default:
                    Assert.True(((JsonObject)parent).ContainsKey(steps[^1]));
                    parent[steps[^1]] = value;
                    break;
            }
        }
        return document;
    }
}

internal static class DocumentGen
{
    public static Gen<string> Dictionary(this Gen<string> values, Gen<string> keys, int least, int most) =>
        Gen.Select(keys, values).List[least, most].Select(entries => $"{{{string.Join(",", entries.DistinctBy(entry => entry.Item1).Select(entry => $"\"{entry.Item1}\":{entry.Item2}"))}}}");
}

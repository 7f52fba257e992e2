using System.Buffers;
using Lodrik.Inspection;
using Lodrik.Saves.Writing;
using Lodrik.Scenes;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik.Tests.Saves;

/// <summary>A scene that did not change is not encoded again, and the save is the same as if it were.</summary>
public sealed class IncrementalTests
{
    [Theory]
    [InlineData(SaveForm.Json, true), InlineData(SaveForm.Json, false), InlineData(SaveForm.Xml, true), InlineData(SaveForm.Binary, false)]
    public void What_is_reused_is_what_would_be_written(SaveForm form, bool indented)
    {
        var storage = new MemoryStorage();
        var options = new SaveStoreOptions { Storage = storage, Form = form, Indented = indented, KeepGenerations = 100 };
        using var reusing = SaveStore<GroupSave>.Open(options);
        var save = new GroupSave();
        var random = new Random(3);
        for (var turn = 0; turn < 30; turn++)
        {
            var name = $"scene {random.Next(6)}";
            if (random.Next(6) == 0)
                save.Scenes.Delete(name);
            else
                save.Scenes.Put(name, Scene(random.Next(40)));
            if (turn == 15)
                save = reusing.Load("evening").State;
            var receipt = reusing.Save("evening", save);
            var written = SavedFile.FromBytes(storage.Read($"slots/evening/{Path.GetFileName(receipt.File)}")!);
            Assert.Equal(SectionHealth.Intact, written.Health);
            var fresh = SavedFile.FromBytes(Encoded(save, form, indented));
            Assert.Equal(fresh.Sections, written.Sections);
            Assert.Equal(fresh.ReadTree(), written.ReadTree());
        }
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void A_section_with_a_revision_is_encoded_again_when_the_revision_says_so(SaveForm form)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<LedgerSave>.Open(
            new SaveStoreOptions { Storage = storage, Form = form, FindsUnmarkedChanges = false });
        var save = new LedgerSave { Other = { ["a"] = 1 } };
        save.Oil.Keepers.AddRange([new KeeperRow { Name = "x" }, new KeeperRow { Name = "y" }]);
        save.Oil.First = save.Oil.Keepers[0];
        store.Save("evening", save);
        var encoded = save.Oil.Encoded;

        save.Other["a"] = 2;
        store.Save("evening", save);
        Assert.Equal(encoded, save.Oil.Encoded);
        var back = store.Load("evening").State;
        Assert.Equal(2, back.Other["a"]);
        Assert.Same(back.Oil.Keepers[0], back.Oil.First);
        Assert.Equal("y", back.Oil.Keepers[1].Name);

        save.Oil.Keepers[1].Name = "z";
        save.Oil.Revision++;
        store.Save("evening", save);
        Assert.Equal("z", store.Load("evening").State.Oil.Keepers[1].Name);

        // Another object with the same revision is another content.
        save.Oil = new OilLedger { Revision = save.Oil.Revision };
        store.Save("evening", save);
        Assert.Empty(store.Load("evening").State.Oil.Keepers);
    }

    [Fact]
    public void Loading_into_a_section_with_a_revision_counts_as_a_change()
    {
        using var store = SaveStore<LedgerSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var save = new LedgerSave();
        save.Oil.Keepers.Add(new KeeperRow { Name = "older" });
        store.Save("older", save);
        save.Oil.Keepers[0].Name = "newer";
        save.Oil.Revision++;
        store.Save("newer", save, overwrite: Overwrite.Allowed);
        store.LoadInto("older", save);
        store.Save("third", save);
        Assert.Equal("older", store.Load("third").State.Oil.Keepers[0].Name);
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void A_compressed_save_with_reused_sections_is_the_one_that_is_compressed_anew(SaveForm form)
    {
        var save = new GroupSave();
        for (var i = 0; i < 5; i++)
            save.Scenes.Put($"scene {i}", Scene(50));
        using var reusing = new SaveWriter();
        var cache = new SectionCache();
        for (var turn = 0; turn < 6; turn++)
        {
            save.Scenes.Put($"scene {turn % 3}", Scene(40 + turn));
            var header = new SaveHeader { Game = "group-save", Version = 1, SaveId = Guid.NewGuid() };
            var compression = turn == 4 ? SaveCompression.Small : SaveCompression.Fast;
            var terms = new SaveTerms(form, Compression: compression);
            using var snapshot = Snapshot.Of(save, cache);
            var reused = reusing.Write(snapshot, header, terms, cache).ToArray();
            using var fresh = new SaveWriter();
            Assert.Equal(fresh.Write(save, header, terms).ToArray(), reused);
        }
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Binary)]
    public void Sections_that_are_compressed_side_by_side_are_the_same(SaveForm form)
    {
        var save = new GroupSave();
        for (var i = 0; i < 12; i++)
            save.Scenes.Put($"scene {i}", Scene(40 + (70 * i)));
        var header = new SaveHeader { Game = "group-save", Version = 1, SaveId = Guid.NewGuid() };
        var terms = new SaveTerms(form, Compression: SaveCompression.Fast);
        using var snapshot = Snapshot.Of(save);
        using var alone = new SaveWriter { MostWorkers = 1 };
        using var many = new SaveWriter { MostWorkers = 4, WorthSharing = 0 };
        var steps = new List<(long Done, long All)>();
        var expected = alone.Write(snapshot, header, terms).ToArray();
        Assert.Equal(expected, many.Write(snapshot, header, terms, new SectionCache(), (done, all) => steps.Add((done, all))).ToArray());
        Assert.Equal(steps.Order(), steps);
        Assert.Equal((13, steps[^1].All), (steps.Count + 1, steps[^1].Done));
    }

    [Fact]
    public void A_part_that_is_taken_out_of_a_record_and_changed_changes_no_record()
    {
        var scene = Scene(3);
        var id = scene.Entities[0].Id;
        Assert.True(scene.TryGetPart<Lodrik.State.SaveValue>(id, "note", out var note));
        ((Lodrik.State.SaveMap)note)["changed"] = true;
        Assert.True(scene.TryGetPart<Lodrik.State.SaveValue>(id, "note", out var again));
        Assert.False(((Lodrik.State.SaveMap)again).TryGet("changed", out _));
    }

    private static SceneRecord Scene(int entities)
    {
        // By way of the form that people write by hand.
        var parts = string.Join(", ", Enumerable.Range(0, entities + 1).Select(i => $"\"thing-{i}\": {{ \"kind\": \"thing\", \"parts\": {{ \"note\": {{ \"n\": {i}, \"text\": \"t{i % 3}\" }} }} }}"));
        var text = $"{{ \"scenes/x\": {{ \"nextSpawn\": 1, \"gone\": [], \"entities\": {{ {parts} }} }} }}";
        return StateFile.FromText<GroupSave>(text).Scenes.Get("x")!;
    }

    private static byte[] Encoded(GroupSave save, SaveForm form, bool indented)
    {
        using var writer = new SaveWriter();
        return writer.Write(save, new SaveHeader { Game = "group-save", Version = 1, SaveId = Guid.CreateVersion7() }, new SaveTerms(form, indented)).ToArray();
    }
}

[SaveFile("group-save")]
public sealed partial class GroupSave
{
    public SceneArchive Scenes { get; set; } = new();
}

[SaveFile("ledger-save")]
public sealed partial class LedgerSave
{
    public OilLedger Oil { get; set; } = new();

    public Dictionary<string, int> Other { get; set; } = [];
}

[StateType]
public sealed partial class OilLedger : IRevisedState, IBeforeSaving
{
    public List<KeeperRow> Keepers { get; set; } = [];

    public KeeperRow? First { get; set; }

    [NotSaved] public long Revision { get; set; }

    [NotSaved] public int Encoded { get; private set; }

    public void BeforeSaving() => Encoded++;
}

[StateType(Shared = true)]
public sealed partial class KeeperRow
{
    public string Name { get; set; } = "";
}

using Lodrik.Saves;
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
                save.Scenes.Remove(name);
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
        using var encoder = new SaveEncoder();
        return encoder.Encode(save, new SaveHeader { Game = "group-save", Version = 1, SaveId = Guid.CreateVersion7() }, form, indented).ToArray();
    }
}

[SaveFile("group-save")]
public sealed partial class GroupSave
{
    public SceneArchive Scenes { get; set; } = new();
}

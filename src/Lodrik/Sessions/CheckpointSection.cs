using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Sessions;

/// <summary>
/// A checkpoint: the sections of a whole save as they were when it was marked, packed. In a save it is one section, and as long as it is
/// the same checkpoint, that section is written once.
/// </summary>
/// <param name="shown">What the game sees of it.</param>
/// <param name="order">Its place among the checkpoints of a save.</param>
/// <param name="sections">The sections, without those that survive the way back.</param>
internal sealed class CheckpointSection(SessionCheckpoint shown, int order, IReadOnlyList<PackedSection> sections) : ISessionSection
{
    private static readonly KeyTable Keys = new("order", "scene", "entrance", "played", CheckpointShape.Sections);

    public SessionCheckpoint Shown => shown;

    public IReadOnlyList<PackedSection> Sections => sections;

    public object? Identity => this;

    /// <summary>The same checkpoint at another place among the checkpoints.</summary>
    public CheckpointSection At(int place) => place == order ? this : new CheckpointSection(shown, place, sections);

    public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginObject(Keys.Count);
        writer.WriteKey(Keys, 0);
        writer.WriteInteger(order);
        writer.WriteKey(Keys, 1);
        writer.WriteText(shown.Place.Scene);
        writer.WriteKey(Keys, 2);
        writer.WriteText(shown.Place.Entrance);
        writer.WriteKey(Keys, 3);
        TextScalarCodec<TimeSpan>.Write(ref writer, shown.Played);
        writer.WriteKey(Keys, 4);
        writer.BeginObject(sections.Count);
        foreach (var section in sections)
        {
            writer.WriteKey(section.Name);
            section.WriteTo(ref writer);
        }
        writer.EndObject();
        writer.EndObject();
    }

    public T As<T>(string name) where T : IStateType<T> => new LoadedSection(PackedSection.Of(name, this)).As<T>(name);

    /// <summary>The checkpoint that a save has in a section.</summary>
    /// <param name="name">The checkpoint's name.</param>
    /// <param name="state">What the section holds.</param>
    public static CheckpointSection Of(string name, CheckpointState state)
    {
        var shown = new SessionCheckpoint(name, new ScenePlace(state.Scene, state.Entrance), state.Played, IsInSave: true);
        var sections = state.Sections is SaveMap map
            ? map.Select(section => PackedSection.Of<SaveValue?, SaveValueCodec>(section.Key, section.Value))
            : [];
        return new CheckpointSection(shown, state.Order, [.. sections]);
    }
}

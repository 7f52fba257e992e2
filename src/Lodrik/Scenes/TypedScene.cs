using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// A record whose parts have the types that the game gives them. One that was read without the game's bindings has trees instead,
/// which nothing could be restored from.
/// </summary>
internal static class TypedScene
{
    /// <exception cref="SaveContentException">A part does not fit its type.</exception>
    public static SceneRecord Of(SceneRecord record, SceneTypes types)
    {
        var isTyped = !record.Columns.Any(column =>
            column.Column is TreePartColumn && types.MakeColumn(column.Kind, column.Column.Name) is not null);
        if (isTyped && (!types.HasFormerKinds || record.Kinds.All(kind => types.KindName(kind) == kind)))
            return record;
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        record.Write(ref writer);
        var reader = new BinaryStateReader(buffer.Written);
        try
        {
            return SceneRecord.Read(ref reader, types);
        }
        catch (ContentException content)
        {
            var path = BinaryPlace.PointerAt(buffer.Written, content.Place);
            throw new SaveContentException(
                content.Code, content.Message, new SaveLocation { Path = path }, "The scene was not touched.", content);
        }
    }
}

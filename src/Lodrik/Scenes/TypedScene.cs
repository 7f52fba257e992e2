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
        return Read(BinaryEncoding.Of(record), types);
    }

    /// <summary>Reads a record that is in memory.</summary>
    /// <exception cref="SaveContentException">A part does not fit its type.</exception>
    public static SceneRecord Read(ReadOnlySpan<byte> cbor, SceneTypes types)
    {
        var reader = new BinaryStateReader(cbor);
        try
        {
            return SceneRecord.Read(ref reader, types);
        }
        catch (ContentException content)
        {
            var path = BinaryPlace.PointerAt(cbor, content.Place);
            throw new SaveContentException(
                content.Code, content.Message, new SaveLocation { Path = path }, "The scene was not touched.", content);
        }
    }
}

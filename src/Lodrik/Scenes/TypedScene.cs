using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// A record whose parts have the types that the game gives them. One that was read without the game's bindings has trees instead,
/// which nothing could be restored from.
/// </summary>
internal static class TypedScene
{
    /// <summary>Whether the record may have to be read again; if not, it has the types that it needs.</summary>
    public static bool MayHaveToRead(SceneRecord record, SceneTypes types) =>
        types.HasFormerKinds || record.Kept is not null || record.Columns.Any(column => column.Column is TreePartColumn);

    /// <exception cref="SaveContentException">A part does not fit its type.</exception>
    public static SceneRecord Of(SceneRecord record, SceneTypes types)
    {
        return IsTyped(record, types) && (record.Kept is null || IsTyped(record.Kept, types))
            ? record
            : Read(BinaryEncoding.Of(record), types);
    }

    private static bool IsTyped(SceneRecord record, SceneTypes types) =>
        !record.Columns.Any(column => column.Column is TreePartColumn && types.MakeColumn(column.Kind, column.Column.Name) is not null)
            && (!types.HasFormerKinds || record.Kinds.All(kind => types.KindName(kind) == kind));

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

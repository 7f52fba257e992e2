using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>Finds out which value stands at an offset of CBOR bytes. It costs a second reading, and only errors pay for it.</summary>
internal static class BinaryPlace
{
    /// <summary>The pointer of the value at the offset; at the end of what can be read where the bytes break off before it.</summary>
    public static string PointerAt(ReadOnlySpan<byte> cbor, long offset)
    {
        var pointer = new PointerBuilder();
        var reader = new BinaryStateReader(cbor);
        try
        {
            Walk(ref reader, pointer, offset);
        }
        catch (ContentException)
        {
            // The bytes are broken from here on; the place reached is the best there is.
        }
        return pointer.ToString();
    }

    /// <summary>Walks through one value; true once the offset is reached.</summary>
    private static bool Walk(ref BinaryStateReader reader, PointerBuilder pointer, long offset)
    {
        if (reader.Position >= offset)
            return true;
        switch (reader.Peek())
        {
            case SaveValueKind.List when !reader.AtTypedArray:
                pointer.EnterList();
                reader.BeginList();
                while (reader.NextItem())
                {
                    if (Walk(ref reader, pointer, offset))
                        return true;
                    pointer.ValueEnded();
                }
                pointer.Leave();
                return false;
            case SaveValueKind.Map:
                pointer.EnterMap();
                reader.BeginObject();
                while (true)
                {
                    var at = reader.Position;
                    if (!reader.ReadKey(out var key))
                        break;
                    pointer.Key(key);
                    if (at >= offset || Walk(ref reader, pointer, offset))
                        return true;
                }
                pointer.Leave();
                return false;
            default:
                var start = reader.Position;
                reader.Skip();
                return start < offset && reader.Position > offset;
        }
    }
}

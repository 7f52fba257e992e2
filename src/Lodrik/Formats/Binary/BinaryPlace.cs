using Lodrik.Formats.Binary.Tables;
using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>Finds out which value is at an offset of CBOR bytes. It costs a second reading, and only errors pay for it.</summary>
internal static class BinaryPlace
{
    /// <summary>The place behind everything: where bytes break off.</summary>
    public static ContentPlace End => new(long.MaxValue);

    /// <summary>The pointer of the value at that place; at the end of what can be read where the bytes break off before it.</summary>
    public static string PointerAt(ReadOnlySpan<byte> cbor, ContentPlace place)
    {
        var pointer = new PointerBuilder();
        var reader = new BinaryStateReader(cbor);
        try
        {
            Walk(ref reader, pointer, place);
        }
        catch (ContentException)
        {
            // The bytes are broken from here on; the place reached is the best there is.
        }
        return pointer.ToString();
    }

    /// <summary>Walks through one value; true once the place is reached.</summary>
    private static bool Walk(ref BinaryStateReader reader, PointerBuilder pointer, ContentPlace place)
    {
        var offset = place.Offset;
        if (reader.TryOpenTable(out var table, out var end))
        {
            if (offset < end && Walk(ref table, pointer, place))
                return true;
            reader.Skip();
            return false;
        }
        if (reader.Position >= offset)
            return true;
        if (reader.TryBeginParts(out var parts))
        {
            pointer.EnterList();
            for (; parts > 0; parts--)
            {
                if (WalkItems(ref reader, pointer, place))
                    return true;
            }
            pointer.Leave();
            return false;
        }
        switch (reader.Peek())
        {
            case SaveValueKind.List when !reader.AtTypedArray:
                pointer.EnterList();
                if (WalkItems(ref reader, pointer, place))
                    return true;
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
                    if (at >= offset || Walk(ref reader, pointer, place))
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

    /// <summary>Walks through the items of a list, or of a part of one; true once the place is reached.</summary>
    private static bool WalkItems(ref BinaryStateReader reader, PointerBuilder pointer, ContentPlace place)
    {
        var isTable = reader.TryOpenTable(out var table, out var end);
        if (isTable && place.Offset < end && WalkItems(ref table, pointer, place))
            return true;
        if (isTable || reader.AtTypedArray)
        {
            var look = reader;
            var start = reader.Position;
            reader.Skip();
            if (!isTable && start < place.Offset && reader.Position > place.Offset)
                return true;
            if (!isTable || place.Offset >= end)
                pointer.ValuesEnded(isTable ? table.BeginList() : look.BeginList());
            return false;
        }
        reader.BeginList();
        while (reader.NextItem())
        {
            if (Walk(ref reader, pointer, place))
                return true;
            pointer.ValueEnded();
        }
        return false;
    }

    private static bool WalkItems(ref TableReader table, PointerBuilder pointer, ContentPlace place)
    {
        table.BeginList();
        while (table.NextItem())
        {
            if (Walk(ref table, pointer, place))
                return true;
            pointer.ValueEnded();
        }
        return false;
    }

    /// <summary>Walks through one value of a table; true once the place is reached.</summary>
    private static bool Walk(ref TableReader table, PointerBuilder pointer, ContentPlace place)
    {
        if (table.IsAt(place))
            return true;
        switch (table.Peek())
        {
            case SaveValueKind.List:
                pointer.EnterList();
                if (WalkItems(ref table, pointer, place))
                    return true;
                pointer.Leave();
                return false;
            case SaveValueKind.Map:
                pointer.EnterMap();
                table.BeginObject();
                while (table.ReadKey(out var key))
                {
                    pointer.Key(key);
                    if (table.KeyIsAt(place) || Walk(ref table, pointer, place))
                        return true;
                }
                pointer.Leave();
                return false;
            default:
                table.Skip();
                return false;
        }
    }
}

using Lodrik.Formats.Binary.Tables;
using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>Lists in parts: lists one behind the other that are one list.</summary>
internal ref partial struct BinaryStateReader
{
    public bool TryReadParts<T, TCodec>(ref List<T>? items) where TCodec : IStateCodec<T>
    {
        if (!AtParts)
            return false;
        items ??= [];
        items.Clear();
        List<T>? part = null;
        for (var left = BeginParts(); left > 0; left--)
        {
            CheckPart();
            ListCodec<T, TCodec>.Read(ref this, ref part);
            items.AddRange(part!);
        }
        return true;
    }

    /// <summary>Enters a list in parts, if the next value is one, and says how many parts there are: lists, read as such.</summary>
    public bool TryBeginParts(out int parts)
    {
        parts = 0;
        if (!AtParts)
            return false;
        parts = BeginParts();
        return true;
    }

    private readonly bool AtParts => _position < _bytes.Length && (_bytes[_position] & 0xE0) == Cbor.Tag
        && PeekHead(out _).Argument == TableFormat.PartsTag;

    private int BeginParts()
    {
        Begin();
        Head();
        var (major, parts) = Head();
        if (major != Cbor.Array || parts == Indefinite)
            throw Wrong("The parts of a list have to be an array of definite length.");
        // Each takes a byte at the least.
        return parts <= (ulong)(_bytes.Length - _position) ? (int)parts : throw Short();
    }

    /// <summary>Makes sure that what comes is a list, without parts of its own: nothing nests where nobody counts how deep.</summary>
    private void CheckPart()
    {
        Begin();
        if (AtParts || Peek() != SaveValueKind.List)
            throw Wrong("Each part of a list has to be a list.");
    }

    private List<SaveList> ReadPartTrees()
    {
        var lists = new List<SaveList>();
        for (var left = BeginParts(); left > 0; left--)
        {
            CheckPart();
            lists.Add((SaveList)SaveValueCodec.ReadTree(ref this));
        }
        return lists;
    }

    private void ExpandParts()
    {
        var start = _position;
        var items = new SaveList(new JoinedRows(ReadPartTrees()));
        using var plain = new PooledBuffer(4 * (_position - start), Context?.Allowance?.Room ?? int.MaxValue);
        var writer = new BinaryStateWriter(plain);
        writer.BeginList(items.Count);
        foreach (var item in items)
            SaveValueCodec.Write(ref writer, item);
        writer.EndList();
        Context?.Allowance?.Take(plain.Length);
        ReadInstead(plain.Written.ToArray());
    }
}

using Lodrik.Formats.Binary.Tables;
using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>Tables, for a reader that knows nothing of them: laid out plainly, and read so.</summary>
internal ref partial struct BinaryStateReader
{
    public SaveList? TakeTable()
    {
        if (AtParts)
            return new SaveList(new JoinedRows(ReadPartTrees()));
        if (!AtTable || TableKind() != SaveValueKind.List)
            return null;
        Begin();
        Head();
        var start = _position;
        Skip();
        try
        {
            return new SaveList(new TableRows(_bytes[start.._position].ToArray()));
        }
        catch (ContentException problem)
        {
            var place = problem.Place;
            throw new ContentException(
                problem.Code, problem.Message, new ContentPlace(place.Offset + start, place.Line, place.Column), problem);
        }
    }

    public bool TryReadTable<T, TCodec>(ref T value) where TCodec : IStateCodec<T>
    {
        if (!AtTable)
            return false;
        Begin();
        Head();
        var table = TableReader.Open(_bytes, _position, _depth, out var end, Context);
        TCodec.Read(ref table, ref value);
        _position = end;
        return true;
    }

    private readonly bool AtTable => _position < _bytes.Length && (_bytes[_position] & 0xE0) == Cbor.Tag
        && PeekHead(out _).Argument == TableFormat.Tag;

    /// <summary>Whether the table stands for a list or for a map.</summary>
    private readonly SaveValueKind TableKind()
    {
        PeekHead(out var size);
        var column = new BinaryStateReader(_bytes, _position + size, _depth);
        if (column.PeekHead(out size).Major == Cbor.Array)
        {
            column = new BinaryStateReader(_bytes, column._position + size, _depth);
            switch (column.ReadInteger(0, byte.MaxValue))
            {
                case (long)ColumnKind.List:
                    return SaveValueKind.List;
                case (long)ColumnKind.Map:
                    return SaveValueKind.Map;
            }
        }
        throw Wrong("A table has to be a list or a map.");
    }

    /// <summary>Opens the next value if it is a table, without passing over it.</summary>
    /// <param name="table">The table.</param>
    /// <param name="end">The offset after it.</param>
    public readonly bool TryOpenTable(out TableReader table, out int end)
    {
        table = default;
        end = 0;
        if (!AtTable)
            return false;
        PeekHead(out var size);
        table = TableReader.Open(_bytes, _position + size, _depth, out end);
        return true;
    }

    private void ExpandTable()
    {
        PeekHead(out var size);
        var table = TableReader.Open(_bytes, _position + size, _depth, out var end);
        using var plain = new PooledBuffer(4 * (end - _position), Context?.Allowance?.Room ?? int.MaxValue);
        var writer = new BinaryStateWriter(plain);
        table.CopyTo(ref writer);
        _position = end;
        Context?.Allowance?.Take(plain.Length);
        ReadInstead(plain.Written.ToArray());
    }

    /// <summary>Reads these bytes, one value, and then goes on after the value that they stand for.</summary>
    private void ReadInstead(byte[] plain)
    {
        _outer ??= [];
        _outer.Push(new Outer(_expanded, _start, _position, _depth));
        _bytes = _expanded = plain;
        _position = 0;
    }

    private void LeaveExpanded()
    {
        var outer = _outer!.Pop();
        _expanded = outer.Bytes;
        _bytes = _expanded is null ? _original : _expanded;
        _position = outer.Position;
    }
}

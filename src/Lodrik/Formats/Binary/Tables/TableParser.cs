using System.Runtime.InteropServices;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>
/// Finds the columns of a table and makes sure that they fit together: what is read from them later cannot leave the table, and cannot
/// ask for more work than a multiple of its size.
/// </summary>
internal ref struct TableParser
{
    private readonly ReadOnlySpan<byte> _bytes;
    private readonly int _start;
    private readonly int _end;
    private readonly List<ColumnReader> _columns;
    private BinaryStateReader _cbor;
    private long _slots;

    /// <param name="bytes">The section.</param>
    /// <param name="start">Where the column after the table's tag begins.</param>
    public TableParser(ReadOnlySpan<byte> bytes, int start)
    {
        var whole = new BinaryStateReader(bytes, start);
        whole.Skip();
        _end = whole.Position;
        _start = start;
        _bytes = bytes[.._end];
        // Numbers begin at 1: a place in a table is told from others by its column.
        _columns = [null!];
        _cbor = new BinaryStateReader(_bytes, start);
    }

    /// <summary>The offset after the table.</summary>
    public readonly int End => _end;

    /// <summary>
    /// All columns; the first is that of the one value that the table stands for, and a column's children follow one another.
    /// </summary>
    public ColumnReader[] Parse()
    {
        var column = Children(1, 1, 0)[0];
        if (column.Kind is not (ColumnKind.List or ColumnKind.Map))
            throw Damaged("A table has to be a list or a map.");
        return [.. _columns];
    }

    /// <summary>So many columns next to each other, of as many values each.</summary>
    private ColumnReader[] Children(int count, long slots, int nesting)
    {
        var children = new ColumnReader[count];
        var first = Reserve(count);
        for (var i = 0; i < count; i++)
            children[i] = Column(first + i, slots, nesting);
        return children;
    }

    private readonly int Reserve(int count)
    {
        var first = _columns.Count;
        CollectionsMarshal.SetCount(_columns, first + count);
        return first;
    }

    private ColumnReader Column(int id, long slots, int nesting)
    {
        var column = Parse(id, slots, nesting);
        _columns[id] = column;
        return column;
    }

    private ColumnReader Parse(int id, long slots, int nesting)
    {
        var size = _end - _start;
        _slots += slots;
        if (slots < 0 || slots > size * TableFormat.MaxRowsPerByte || _slots > size * TableFormat.MaxSlotsPerByte)
            throw Damaged("A column has more rows than the table.");
        if (nesting > 2 * StateLimits.MaxDepth)
            throw new ContentException(SaveErrorCode.LimitExceeded, StateLimits.TooDeepToRead, _cbor.Place);
        var count = (int)slots;
        var tag = _cbor.TryReadTag();
        if (tag != 0)
            return Numbers(id, count, tag);
        var parts = _cbor.BeginCountedList();
        var code = parts == 0 ? -1 : (int)_cbor.ReadInteger(0, (int)ColumnKind.Items);
        _cbor.LeaveList();
        var kind = (ColumnKind)code;
        var expected = kind switch
        {
            ColumnKind.Null => 1,
            ColumnKind.Same or ColumnKind.Bool => 2,
            ColumnKind.Text or ColumnKind.Bytes or ColumnKind.List => 3,
            ColumnKind.Dictionary or ColumnKind.Map => 4,
            ColumnKind.Object => (parts - 1) % 2 == 0 ? parts : -1,
            ColumnKind.Choice => parts > 3 ? parts : -1,
            ColumnKind.Items => 1 + count,
            _ => -1,
        };
        if (parts != expected)
            throw Damaged("A column has the wrong number of parts.");
        return kind switch
        {
            ColumnKind.Null => new ColumnReader(id, kind, count),
            ColumnKind.Same => Same(id, count),
            ColumnKind.Bool => Flags(id, count),
            ColumnKind.Text or ColumnKind.Bytes => Blob(id, kind, count, nesting),
            ColumnKind.Dictionary => Dictionary(id, count, nesting),
            ColumnKind.Object => Objects(id, count, (parts - 1) / 2, nesting),
            ColumnKind.Choice => Choice(id, count, parts - 2, nesting),
            ColumnKind.Items => Items(id, count),
            _ => Collections(id, kind, count, nesting),
        };
    }

    private ColumnReader Numbers(int id, int count, ulong tag)
    {
        var kind = tag switch
        {
            64 or 69 or 70 or 72 or 77 or 78 or 79 => ColumnKind.Integer,
            85 => ColumnKind.Single,
            86 => ColumnKind.Double,
            _ => throw Damaged($"A column of the CBOR tag {tag} is not supported here."),
        };
        var (offset, length) = _cbor.ReadBlock();
        if (length != (long)count * Cbor.ElementSize(tag))
            throw Damaged("A column of numbers is not as long as its table.");
        var column = new ColumnReader(id, kind, count);
        column.SetBlock(offset, length, tag);
        return column;
    }

    private ColumnReader Same(int id, int count)
    {
        var column = new ColumnReader(id, ColumnKind.Integer, count);
        column.SetSame(_cbor.ReadInteger(long.MinValue, long.MaxValue));
        return column;
    }

    private ColumnReader Flags(int id, int count)
    {
        var (offset, length) = _cbor.ReadBlock();
        if (length != (count + 7) / 8)
            throw Damaged("A column of bits is not as long as its table.");
        var column = new ColumnReader(id, ColumnKind.Bool, count);
        column.SetBlock(offset, length);
        return column;
    }

    private ColumnReader Blob(int id, ColumnKind kind, int count, int nesting)
    {
        var lengths = Integers(count, nesting);
        var sum = lengths.SumOfLengths(_bytes);
        var (offset, length) = _cbor.ReadBlock();
        if (sum != length)
            throw Damaged("The lengths of a column do not add up to its content.");
        var column = new ColumnReader(id, kind, count);
        column.SetLengths(lengths);
        column.SetBlock(offset, length);
        return column;
    }

    private ColumnReader Dictionary(int id, int count, int nesting)
    {
        var numbers = Integers(count, nesting);
        var texts = Children(1, _cbor.ReadInteger(0, int.MaxValue), nesting + 1);
        if (texts[0].Kind != ColumnKind.Text)
            throw Damaged("A dictionary has to contain texts.");
        var column = new ColumnReader(id, ColumnKind.Dictionary, count) { Children = texts };
        column.SetLengths(numbers);
        return column;
    }

    private ColumnReader Collections(int id, ColumnKind kind, int count, int nesting)
    {
        var lengths = Integers(count, nesting);
        var sum = lengths.SumOfLengths(_bytes);
        var column = new ColumnReader(id, kind, count);
        column.SetLengths(lengths);
        column.Children = Children(kind == ColumnKind.Map ? 2 : 1, sum, nesting + 1);
        if (kind == ColumnKind.Map && column.Children[0].Kind is not (ColumnKind.Text or ColumnKind.Dictionary) && sum > 0)
            throw Damaged("The keys of a map have to be texts.");
        return column;
    }

    private ColumnReader Objects(int id, int count, int members, int nesting)
    {
        var column = new ColumnReader(id, ColumnKind.Object, count) { Names = new string[members], Children = new ColumnReader[members] };
        var first = Reserve(members);
        var names = new HashSet<string>(StringComparer.Ordinal);
        for (var i = 0; i < members; i++)
        {
            column.Names[i] = _cbor.ReadText();
            if (!names.Add(column.Names[i]))
                throw Damaged($"The key \"{Shorten.Text(column.Names[i])}\" appears twice.");
            column.Children[i] = Column(first + i, count, nesting + 1);
        }
        return column;
    }

    private ColumnReader Choice(int id, int count, int columns, int nesting)
    {
        var numbers = Children(1, count, nesting + 1)[0];
        var counts = numbers.Kind is ColumnKind.Integer or ColumnKind.Bool ? numbers.Histogram(_bytes, columns) : null;
        if (counts is null)
            throw Damaged("A row refers to a missing column.");
        var column = new ColumnReader(id, ColumnKind.Choice, count) { Children = new ColumnReader[columns] };
        column.SetLengths(numbers);
        var first = Reserve(columns);
        for (var i = 0; i < columns; i++)
        {
            column.Children[i] = Column(first + i, counts[i], nesting + 1);
            if (column.Children[i].Kind == ColumnKind.Choice)
                throw Damaged("A choice contains a choice.");
        }
        return column;
    }

    private ColumnReader Items(int id, int count)
    {
        var start = _cbor.Position;
        for (var i = 0; i < count; i++)
            _cbor.Skip();
        var column = new ColumnReader(id, ColumnKind.Items, count);
        column.SetBlock(start, _cbor.Position - start);
        return column;
    }

    private ColumnReader Integers(int count, int nesting)
    {
        var column = Children(1, count, nesting + 1)[0];
        return column.Kind == ColumnKind.Integer ? column : throw Damaged("The lengths of a column have to be whole numbers.");
    }

    private readonly ContentException Damaged(string problem) => new(SaveErrorCode.WrongContent, problem, _cbor.Place);
}

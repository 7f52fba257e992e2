using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>
/// Takes the tokens of a list or a map, row by row, and puts each value into its column. The code that writes a row does not know:
/// it is the same that writes the row plainly.
/// </summary>
internal partial struct TableWriter : IRowWriter
{
    // Where things go is kept as numbers of columns: storing references in here would cost more than all the rest, because this is
    // handed on by reference. Column 0 stands for what is written plainly, and takes nothing.
    private readonly Scratch _scratch;
    private readonly int _outerDepth;
    private int _column;
    private int _object;
    private int _shape;
    private int _firstMember;
    private int _pendingMembers;
    private int _depth;
    private BinaryStateWriter _plain;
    private int _plainDepth;

    // While many objects are written at once.
    private RowShape? _rows;
    private int _rowCount;

    private TableWriter(Scratch scratch, int outerDepth)
    {
        _scratch = scratch;
        _outerDepth = outerDepth;
        _column = scratch.Root.Id;
        _pendingMembers = -1;
    }

    public readonly WriteContext? Context => _scratch.Context;

    private readonly ColumnWriter Column => _scratch.At(_column);

    /// <summary>Writes a collection as a table.</summary>
    /// <returns>False, and nothing is written, where so little of it takes space that a reader could not trust it.</returns>
    public static bool TryWrite<T, TCodec>(BinaryStateWriter target, int outerDepth, T collection) where TCodec : IStateCodec<T>
    {
        var scratch = Scratch.Rent();
        try
        {
            scratch.Context = target.Context;
            var writer = new TableWriter(scratch, outerDepth);
            TCodec.Write(ref writer, collection);
            var start = target.Buffer.Length;
            target.WriteTag(TableFormat.Tag);
            scratch.Root.WriteTo(target, scratch.Tally);
            var bytes = target.Buffer.Length - start;
            if (scratch.Tally.LongestColumn <= bytes * TableFormat.MaxRowsPerByte
                && scratch.Tally.Slots <= bytes * TableFormat.MaxSlotsPerByte)
                return true;
            target.Buffer.Truncate(start);
            return false;
        }
        finally
        {
            scratch.Return();
        }
    }

    public readonly bool TryWriteTable<T, TCodec>(T collection, int count) where TCodec : IStateCodec<T> => false;

    public readonly bool TryWriteLog<T, TCodec>(SaveLog<T> log) where TCodec : IStateCodec<T> => false;

    public readonly KeyTable? ShapeOf(SaveMap map) => _depth == 1 ? null : _scratch.Shapes.Of(map);

    public void WriteNull()
    {
        if (_plainDepth > 0)
            _plain.WriteNull();
        else
            Column.For(ColumnKind.Null, _scratch.Tally).AddSlot();
    }

    public void WriteBool(bool value)
    {
        var column = _scratch.At(_column);
        var count = column.Count;
        if ((uint)count < (uint)column.Flags.Length)
        {
            column.Flags[count] = value;
            column.Count = count + 1;
        }
        else if (_plainDepth > 0)
        {
            _plain.WriteBool(value);
        }
        else
        {
            column.For(ColumnKind.Bool, _scratch.Tally).AddFlag(value);
        }
    }

    public void WriteInteger(long value)
    {
        var column = _scratch.At(_column);
        var count = column.Count;
        if ((uint)count < (uint)column.Longs.Length)
        {
            column.Longs[count] = value;
            column.Count = count + 1;
        }
        else if (_plainDepth > 0)
        {
            _plain.WriteInteger(value);
        }
        else
        {
            column.For(ColumnKind.Integer, _scratch.Tally).AddInteger(value);
        }
    }

    public void WriteBigInteger(BigInteger value)
    {
        if (value >= long.MinValue && value <= long.MaxValue)
            WriteInteger((long)value);
        else if (_plainDepth > 0)
            _plain.WriteBigInteger(value);
        else
            AddItem().WriteBigInteger(value);
    }

    public void WriteSingle(float value)
    {
        var column = _scratch.At(_column);
        var count = column.Count;
        if ((uint)count < (uint)column.Singles.Length)
        {
            column.Singles[count] = value;
            column.Count = count + 1;
        }
        else if (_plainDepth > 0)
        {
            _plain.WriteSingle(value);
        }
        else
        {
            column.For(ColumnKind.Single, _scratch.Tally).AddSingle(value);
        }
    }

    public void WriteDouble(double value)
    {
        if (_plainDepth > 0)
            _plain.WriteDouble(value);
        else
            Column.For(ColumnKind.Double, _scratch.Tally).AddDouble(value);
    }

    public void WriteDecimal(decimal value)
    {
        if (_plainDepth > 0)
            _plain.WriteDecimal(value);
        else
            AddItem().WriteDecimal(value);
    }

    public void WriteText(scoped ReadOnlySpan<char> value)
    {
        if (Column.Text is { } text)
            text.Add(value);
        else if (_plainDepth > 0)
            _plain.WriteText(value);
        else
            Column.For(ColumnKind.Text, _scratch.Tally).Text!.Add(value);
    }

    public void WriteBytes(scoped ReadOnlySpan<byte> value)
    {
        if (_plainDepth > 0)
            _plain.WriteBytes(value);
        else
            Column.For(ColumnKind.Bytes, _scratch.Tally).AddBytes(value);
    }

    public void WriteNumbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        if (_plainDepth > 0)
        {
            _plain.WriteNumbers(values);
            return;
        }
        StateLimits.RequireRoom(_outerDepth + _depth);
        var list = Column.For(ColumnKind.List, _scratch.Tally);
        list.AddLength(values.Length);
        AddNumbers(list, values);
    }

    /// <summary>Adds numbers to the items of lists, whose lengths are there already.</summary>
    private void AddNumbers<T>(ColumnWriter list, scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>
    {
        if (list.Children[0].TryAddNumbers(values, _scratch.Tally))
            return;
        var outer = _column;
        _column = list.FirstChild;
        foreach (var value in values)
        {
            if (typeof(T) == typeof(float))
                WriteSingle(Unsafe.BitCast<T, float>(value));
            else if (typeof(T) == typeof(double))
                WriteDouble(Unsafe.BitCast<T, double>(value));
            else if (typeof(T) == typeof(decimal))
                WriteDecimal(Unsafe.BitCast<T, decimal>(value));
            else if (typeof(T) == typeof(ulong) && Unsafe.BitCast<T, ulong>(value) > long.MaxValue)
                AddItem().WriteBigInteger(Unsafe.BitCast<T, ulong>(value));
            else
                WriteInteger(long.CreateTruncating(value));
        }
        _column = outer;
    }

    public void BeginObject(int members)
    {
        Enter();
        _object = _shape = 0;
        if (_plainDepth > 0 || MustBePlain())
            BeginPlain(members, isList: false);
        else
            _pendingMembers = members;
    }

    public void WriteKey(KeyTable keys, int index)
    {
        if (keys.Id == _shape)
            _column = _firstMember + index;
        else
            FindObject(keys, index);
    }

    public void WriteKey(string key)
    {
        if (_plainDepth > 0)
        {
            _plain.WriteKey(key);
            return;
        }
        if (_pendingMembers >= 0)
            FindMap();
        AddKey(key);
    }

    public void EndObject()
    {
        if (_plainDepth > 0)
        {
            _plain.EndObject();
            EndPlain();
        }
        else if (_pendingMembers >= 0)
        {
            // It has no members at all.
            FindMap();
        }
        Leave();
    }

    public void BeginList(int items)
    {
        Enter();
        if (_plainDepth > 0 || MustBePlain())
        {
            BeginPlain(items, isList: true);
            return;
        }
        var list = Column.For(ColumnKind.List, _scratch.Tally);
        list.AddLength(items);
        list.Children[0].Expected += items;
        _column = list.FirstChild;
    }

    public void EndList()
    {
        if (_plainDepth > 0)
        {
            _plain.EndList();
            EndPlain();
        }
        Leave();
    }

    /// <summary>Finds the objects of this shape among what the column holds, once the first key tells what shape it is.</summary>
    private void FindObject(KeyTable keys, int index)
    {
        if (_plainDepth > 0)
        {
            _plain.WriteKey(keys, index);
            return;
        }
        if (_pendingMembers < 0)
        {
            // A map, because not all of the keys are written: those that are are in it by name.
            AddKey(keys[index]);
            return;
        }
        var shape = _pendingMembers == keys.Count ? keys : _pendingMembers == 1 ? keys.Only(index) : null;
        if (shape is null)
        {
            FindMap();
            FindObject(keys, index);
            return;
        }
        var found = Column.For(ColumnKind.Object, _scratch.Tally, shape);
        found.AddSlot();
        _object = found.Id;
        _shape = shape.Id;
        _firstMember = found.FirstChild;
        _pendingMembers = -1;
        _column = _firstMember + (ReferenceEquals(shape, keys) ? index : 0);
    }

    private void FindMap()
    {
        var found = Column.For(ColumnKind.Map, _scratch.Tally);
        found.AddLength(_pendingMembers);
        _object = found.Id;
        _pendingMembers = -1;
    }

    private void AddKey(string key)
    {
        var map = _scratch.At(_object);
        map.Children[0].Text!.Add(key);
        _column = map.FirstChild + 1;
    }

    private void Enter()
    {
        if (_outerDepth + ++_depth > StateLimits.MaxDepth)
            throw StateLimits.TooDeep();
        _scratch.Frames[_depth] = new Frame(_column, _object, _shape, _firstMember);
    }

    private void Leave()
    {
        ref var frame = ref _scratch.Frames[_depth--];
        _column = frame.Column;
        _object = frame.Object;
        _shape = frame.Shape;
        _firstMember = frame.FirstMember;
    }

    private readonly bool MustBePlain() =>
        Column.Nesting >= TableFormat.MaxNesting || _scratch.Tally.Columns.Count >= TableFormat.MaxColumns || Column.HasTooManyChoices;

    private void BeginPlain(int count, bool isList)
    {
        if (_plainDepth++ == 0)
        {
            _plain = AddItem();
            _column = _object = 0;
        }
        if (isList)
            _plain.BeginList(count);
        else
            _plain.BeginObject(count);
    }

    private void EndPlain() => _plainDepth--;

    private readonly BinaryStateWriter AddItem()
    {
        var items = Column.For(ColumnKind.Items, _scratch.Tally);
        items.AddSlot();
        return new BinaryStateWriter(items.Items, Context);
    }

    private readonly record struct Frame(int Column, int Object, int Shape, int FirstMember);

    /// <summary>What writing a table needs beside its columns; kept from one table to the next.</summary>
    private sealed class Scratch
    {
        /// <summary>A column that takes nothing.</summary>
        private static readonly ColumnWriter None = new();

        [ThreadStatic]
        private static Scratch? _spare;

        public ColumnWriter Root { get; private set; } = null!;

        public WriteContext? Context { get; set; }

        public TableTally Tally { get; } = new();

        public TreeShapes Shapes { get; } = new();

        public RowScratch Values { get; } = new();

        public Stack<(RowShape?, int)> Rows { get; } = [];

        public Frame[] Frames { get; } = new Frame[StateLimits.MaxDepth + 1];

        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        public ColumnWriter At(int column) => CollectionsMarshal.AsSpan(Tally.Columns)[column];

        public static Scratch Rent()
        {
            var scratch = _spare ?? new Scratch();
            _spare = null;
            scratch.Begin();
            return scratch;
        }

        public void Begin()
        {
            Tally.Add(None);
            Root = ColumnWriter.Rent(Tally, 0);
        }

        public void Return()
        {
            Root.Return();
            Root = null!;
            Context = null;
            Tally.Reset();
            Shapes.Reset();
            Rows.Clear();
            Values.Reset();
            _spare = this;
        }
    }
}

/// <summary>The shapes of a tree's maps: maps with the same keys in the same order are rows of the same columns.</summary>
internal sealed class TreeShapes
{
    private const int MostKeys = 64;
    private const int MostShapes = 32;

    private readonly List<KeyTable> _shapes = [];
    private int _last;

    public void Reset() => _shapes.Clear();

    /// <summary>The shape of a map; null if it has many keys or is one more of too many shapes.</summary>
    public KeyTable? Of(SaveMap map)
    {
        if (map.Count is 0 or > MostKeys)
            return null;
        if (_last < _shapes.Count && HasShape(map, _shapes[_last]))
            return _shapes[_last];
        for (_last = 0; _last < _shapes.Count; _last++)
        {
            if (HasShape(map, _shapes[_last]))
                return _shapes[_last];
        }
        if (_shapes.Count == MostShapes)
            return null;
        _shapes.Add(new KeyTable([.. map.Keys]));
        return _shapes[^1];
    }

    private static bool HasShape(SaveMap map, KeyTable shape)
    {
        if (map.Count != shape.Count)
            return false;
        var i = 0;
        foreach (var (key, _) in map)
        {
            if (!string.Equals(shape[i++], key, StringComparison.Ordinal))
                return false;
        }
        return true;
    }
}

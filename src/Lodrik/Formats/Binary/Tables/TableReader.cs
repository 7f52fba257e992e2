using System.Numerics;
using System.Runtime.CompilerServices;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Gives the tokens of a table row by row, from its columns.</summary>
internal ref partial struct TableReader : IRowReader
{
    private readonly ReadOnlySpan<byte> _bytes;
    private readonly int _start;
    private readonly int _outerDepth;
    private readonly ColumnReader[] _columns;

    // Where things come from is kept as numbers of columns, as it is when writing.
    private Frame[] _frames;
    private int _frameCount;
    private int _at;
    private int _containerAt;
    private int _next;
    private BinaryStateReader _plain;
    private int _plainDepth;
    private bool _isPlain;

    // While many objects are read at once.
    private int _rowsAt;
    private int _rowCount;
    private RowShape? _rows;
    private ulong _ready;
    private Stack<(int, int, RowShape?, ulong, int)>? _outerRows;
    private RowScratch? _values;

    private TableReader(ReadOnlySpan<byte> bytes, int start, int outerDepth, ColumnReader[] columns)
    {
        _bytes = bytes;
        _start = start;
        _outerDepth = outerDepth;
        _frames = new Frame[8];
        _columns = columns;
        _at = _containerAt = 1;
    }

    private readonly ColumnReader Column => _columns[_at];

    private readonly ColumnReader Container => _columns[_containerAt];

    public ReadContext? Context { get; private init; }

    public string UnknownKey { get; private set; } = "";

    /// <summary>Opens the table whose column begins at an offset.</summary>
    /// <param name="bytes">The section.</param>
    /// <param name="start">The offset after the table's tag.</param>
    /// <param name="outerDepth">How deep the table is in the section.</param>
    /// <param name="end">The offset after the table.</param>
    /// <param name="context">What goes along with the section.</param>
    public static TableReader Open(ReadOnlySpan<byte> bytes, int start, int outerDepth, out int end, ReadContext? context = null)
    {
        var parser = new TableParser(bytes, start);
        var columns = parser.Parse();
        end = parser.End;
        return new TableReader(bytes[..end], start, outerDepth, columns) { Context = context };
    }

    /// <summary>Reads the next value of a column as a tree, wherever its columns stand.</summary>
    public static SaveValue ReadRow(ReadOnlySpan<byte> bytes, ColumnReader[] columns, ColumnReader column)
    {
        var reader = new TableReader(bytes, 0, 0, columns) { _at = column.Id };
        if (column.Kind is ColumnKind.Choice or ColumnKind.Items)
            reader.Choose();
        return SaveValueCodec.ReadTree(ref reader);
    }

    public readonly SaveList? TakeTable() => null;

    public readonly bool TryReadParts<T, TCodec>(ref List<T>? items) where TCodec : IStateCodec<T> => false;

    public readonly bool TryReadTable<T, TCodec>(ref T value) where TCodec : IStateCodec<T> => false;

    public readonly SaveValueKind Peek() => _isPlain ? _plain.Peek() : Column.Kind switch
    {
        ColumnKind.Null => SaveValueKind.Null,
        ColumnKind.Bool => SaveValueKind.Bool,
        ColumnKind.Integer => SaveValueKind.Integer,
        ColumnKind.Single => SaveValueKind.Single,
        ColumnKind.Double => SaveValueKind.Double,
        ColumnKind.Text or ColumnKind.Dictionary => SaveValueKind.Text,
        ColumnKind.Bytes => SaveValueKind.Bytes,
        ColumnKind.List => SaveValueKind.List,
        _ => SaveValueKind.Map,
    };

    public bool TryReadNull()
    {
        if (_isPlain)
            return _plain.TryReadNull() && LeavePlainValue();
        if (Column.Kind != ColumnKind.Null)
            return false;
        Column.Index++;
        return true;
    }

    public bool ReadBool()
    {
        if (Column.Kind == ColumnKind.Bool)
            return Column.NextFlag(_bytes);
        TakePlainly();
        return Left(_plain.ReadBool());
    }

    public long ReadInteger(long min, long max)
    {
        var column = Column;
        var index = column.Index;
        if ((uint)index < (uint)column.Longs.Length)
        {
            var number = column.Longs[index];
            column.Index = index + 1;
            return number >= min && number <= max ? number : throw OutOfRange(number, min, max);
        }
        return ReadIntegerSlowly(min, max);
    }

    public BigInteger ReadBigInteger()
    {
        if (Column.Kind == ColumnKind.Integer)
            return Column.NextLong(_bytes);
        TakePlainly();
        return Left(_plain.ReadBigInteger());
    }

    public float ReadSingle() => Column.Kind == ColumnKind.Single ? Column.NextSingle(_bytes) : Narrowed<float>(ReadDouble());

    private T Narrowed<T>(double number)
        where T : INumber<T> => T.CreateTruncating(number) is var taken && NumberText.IsTooLarge(taken, number)
        ? throw Wrong(NumberText.TooLargeFor<T>(NumberText.Of(number)))
        : taken;

    public double ReadDouble()
    {
        switch (Column.Kind)
        {
            case ColumnKind.Double:
                return Column.NextDouble(_bytes);
            case ColumnKind.Single:
                return Column.NextSingle(_bytes);
            default:
                TakePlainly();
                return Left(_plain.ReadDouble());
        }
    }

    public decimal ReadDecimal()
    {
        TakePlainly();
        return Left(_plain.ReadDecimal());
    }

    public string ReadText()
    {
        var column = Column;
        var index = column.Index;
        if ((uint)index < (uint)column.Texts.Length)
        {
            column.Index = index + 1;
            return column.Texts[index];
        }
        if (column.Kind is ColumnKind.Text or ColumnKind.Dictionary)
            return NextText(column);
        TakePlainly();
        return Left(_plain.ReadText());
    }

    public byte[] ReadBytes()
    {
        if (Column.Kind == ColumnKind.Bytes)
            return Column.NextBytes(_bytes).ToArray();
        TakePlainly();
        return Left(_plain.ReadBytes());
    }

    public T[] ReadNumbers<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        if (Column.Kind != ColumnKind.List)
        {
            TakePlainly();
            return Left(_plain.ReadNumbers<T>());
        }
        var outerAt = _at;
        var outer = Column;
        var numbers = new T[outer.NextLength(_bytes)];
        var child = outer.Children[0];
        if (!child.CanTake<T>() || !TryTake(child, numbers.AsSpan()))
        {
            foreach (ref var number in numbers.AsSpan())
            {
                _at = child.Id;
                if (child.Kind is ColumnKind.Choice or ColumnKind.Items)
                    Choose();
                number = ReadNumber<T>();
            }
        }
        _at = outerAt;
        return numbers;
    }

    public int BeginList()
    {
        if (Column.Kind != ColumnKind.List)
        {
            TakePlainly();
            var items = _plain.BeginList();
            _plainDepth++;
            return items;
        }
        Push(Column.NextLength(_bytes));
        return _next;
    }

    public bool NextItem()
    {
        if (_plainDepth > 0)
            return _plain.NextItem() || LeavePlainContainer();
        if (_next == 0)
            return Pop();
        _next--;
        var item = Container.Children[0];
        _at = item.Id;
        if (item.Kind is ColumnKind.Choice or ColumnKind.Items)
            Choose();
        return true;
    }

    public void BeginObject()
    {
        if (Column.Kind == ColumnKind.Object)
        {
            Column.Index++;
            Push(0);
            return;
        }
        if (Column.Kind == ColumnKind.Map)
        {
            Push(Column.NextLength(_bytes));
            return;
        }
        TakePlainly();
        _plain.BeginObject();
        _plainDepth++;
    }

    public bool ReadKey(KeyTable keys, ref int key)
    {
        var container = Container;
        if (container.Kind == ColumnKind.Object && _plainDepth == 0)
        {
            var children = container.Children;
            var index = _next;
            if ((uint)index >= (uint)children.Length)
                return Pop();
            _next = index + 1;
            var child = children[index];
            _at = child.Id;
            if (child.Kind is ColumnKind.Choice or ColumnKind.Items)
                Choose();
            key = container.KeysIn(keys)[index];
            if (key < 0)
                UnknownKey = container.Names[index];
            return true;
        }
        if (_plainDepth > 0)
        {
            if (!_plain.ReadKey(keys, ref key))
                return LeavePlainContainer();
            UnknownKey = _plain.UnknownKey;
            return true;
        }
        if (!ReadKey(out var name))
            return false;
        key = keys.Find(name, key + 1);
        if (key < 0)
            UnknownKey = name;
        return true;
    }

    public bool ReadKey(out string key)
    {
        key = "";
        if (_plainDepth > 0)
            return _plain.ReadKey(out key) || LeavePlainContainer();
        if (Container.Kind == ColumnKind.Object)
        {
            if (_next >= Container.Children.Length)
                return Pop();
            key = Container.Names[_next];
            _at = Container.FirstChild + _next++;
        }
        else
        {
            if (_next == 0)
                return Pop();
            _next--;
            key = NextText(Container.Children[0]);
            _at = Container.FirstChild + 1;
        }
        if (Column.Kind is ColumnKind.Choice or ColumnKind.Items)
            Choose();
        return true;
    }

    public void Skip()
    {
        if (!_isPlain)
        {
            Column.Skip(_bytes, 1);
            return;
        }
        _plain.Skip();
        LeavePlainValue();
    }

    public readonly Exception Wrong(string problem) => new ContentException(SaveErrorCode.WrongContent, problem, Place);

    public readonly long Mark() => _isPlain ? -1 - _plain.Mark() : ((long)Column.Id << 32) | (uint)Column.Position;

    public readonly Exception Invalid(long mark, string problem) => new ContentException(
        SaveErrorCode.Invalid, problem, mark < 0 ? new ContentPlace(-1 - mark) : new ContentPlace(_start, (int)(mark >> 32), (int)mark));

    /// <summary>Where the value is that was read last: in the table at an offset, by its column and its row there.</summary>
    public readonly ContentPlace Place => _isPlain ? _plain.Place : new(_start, Column.Id, Math.Max(Column.Position - 1, 0));

    /// <summary>Whether the next value is the one at that place, or begins after it.</summary>
    public readonly bool IsAt(ContentPlace place) => _isPlain
        ? place.Line == 0 && _plain.Position >= place.Offset
        : place.Line == Column.Id && Column.Position >= place.Column;

    /// <summary>Whether the key that was read last is at that place.</summary>
    public readonly bool KeyIsAt(ContentPlace place) => _plainDepth == 0 && Container.Kind == ColumnKind.Map
        && place.Line == Container.Children[0].Id && Container.Children[0].Position > place.Column;

    private readonly ContentException OutOfRange(long number, long min, long max) =>
        new(SaveErrorCode.WrongContent, $"{number} is out of range: it must be between {min} and {max}.", Place);

    private long ReadIntegerSlowly(long min, long max)
    {
        if (Column.Kind != ColumnKind.Integer)
        {
            TakePlainly();
            return Left(_plain.ReadInteger(min, max));
        }
        var number = Column.NextLong(_bytes);
        return number >= min && number <= max ? number : throw OutOfRange(number, min, max);
    }

    private readonly string NextText(ColumnReader column)
    {
        try
        {
            return column.NextText(_bytes);
        }
        catch (InvalidDataException problem)
        {
            throw new ContentException(SaveErrorCode.WrongContent, problem.Message, new ContentPlace(_start, column.Id, column.Position));
        }
    }

    private T ReadNumber<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        if (typeof(T) == typeof(decimal))
            return T.CreateChecked(ReadDecimal());
        if (typeof(T) == typeof(ulong))
        {
            var number = ReadBigInteger();
            return number >= 0 && number <= ulong.MaxValue
                ? T.CreateChecked(number)
                : throw Wrong($"{number} is out of range: it must be between {T.MinValue} and {T.MaxValue}.");
        }
        return NumberText.IsWholeType<T>()
            ? T.CreateTruncating(ReadInteger(long.CreateTruncating(T.MinValue), long.CreateTruncating(T.MaxValue)))
            : Narrowed<T>(ReadDouble());
    }

    /// <summary>Enters the next value, of which so many parts are to come.</summary>
    private void Push(int next)
    {
        if (_outerDepth + _frameCount >= StateLimits.MaxDepth)
            throw new ContentException(SaveErrorCode.LimitExceeded, StateLimits.TooDeepToRead, Place);
        if (_frameCount == _frames.Length)
            Array.Resize(ref _frames, 2 * _frameCount);
        _frames[_frameCount++] = new Frame(_containerAt, _next);
        _containerAt = _at;
        _next = next;
    }

    /// <summary>Leaves the container, whose last value was read; false, for the caller to return.</summary>
    private bool Pop()
    {
        var frame = _frames[--_frameCount];
        _containerAt = frame.Container;
        _next = frame.Next;
        return false;
    }

    /// <summary>Goes on to the column that the row chooses, and into its plain item where it has one.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private void Choose()
    {
        _at = Column.Chosen(_bytes).Id;
        if (Column.Kind != ColumnKind.Items)
            return;
        _plain = new BinaryStateReader(_bytes, Column.NextItem(_bytes), _outerDepth + _frameCount) { Context = Context };
        _isPlain = true;
    }

    private readonly record struct Frame(int Container, int Next);
}

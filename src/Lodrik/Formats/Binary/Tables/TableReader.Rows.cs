using System.Numerics;
using System.Runtime.InteropServices;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Many objects of one type at once: their code takes plain values straight from the decoded chunks of the columns.</summary>
internal ref partial struct TableReader
{
    /// <summary>Reads a table without rows, only to have the code for rows of this type ready.</summary>
    /// <param name="table">A table after its tag.</param>
    public static void TryOut<T, TCodec>(ReadOnlySpan<byte> table) where TCodec : IStateCodec<T>
    {
        var reader = Open(table, 0, 0, out _);
        reader.BeginList();
        reader.ReadItems<T, TCodec>([]);
        reader._at = reader.Container.Children[0].Id;
        TCodec.TryReadRows(ref reader, []);
    }

    public void ReadItems<T, TCodec>(List<T> items) where TCodec : IStateCodec<T>
    {
        if (_plainDepth > 0 || Container.Kind != ColumnKind.List || Container.Children[0].Kind == ColumnKind.Items)
            return;
        while (_next >= TableFormat.LeastItems)
        {
            var count = Math.Min(_next, TableFormat.Block);
            var before = items.Count;
            CollectionsMarshal.SetCount(items, before + count);
            var block = CollectionsMarshal.AsSpan(items).Slice(before, count);
            block.Fill(TCodec.Initial);
            _at = Container.Children[0].Id;
            if (!TCodec.TryReadRows(ref this, block))
            {
                CollectionsMarshal.SetCount(items, before);
                return;
            }
            _next -= count;
        }
    }

    public bool TryBeginRows(RowShape shape, int count)
    {
        var objects = Column;
        // Read one by one, a member that is not known is noted.
        if (objects.Kind != ColumnKind.Object || Context?.Unknown is not null || shape.Members.Count > 64
            || _outerDepth + _frameCount >= StateLimits.MaxDepth)
            return false;
        var columns = objects.ColumnsOf(shape.Keys);
        // Read one by one, a member that is there twice is an error.
        if (objects.HasTwins)
            return false;
        foreach (var required in shape.Required)
        {
            if (columns[required] < 0)
                return false;
        }
        Outer().Push((_rowsAt, _rowCount, _rows, _ready, _at));
        Push(0);
        _rowsAt = objects.Id;
        _rowCount = count;
        _rows = shape;
        _ready = 0;
        return true;
    }

    public readonly bool HasRows(int member) => RowColumn(member) is not null;

    public RowTexts TextRows(int member)
    {
        if (RowColumn(member) is not { HasTexts: true } column)
            return default;
        try
        {
            var texts = column.PeekRows(_bytes, _rowCount);
            _ready |= 1UL << member;
            return texts;
        }
        catch (InvalidDataException)
        {
            return default;
        }
    }

    public Span<T> RentValues<T>(int count) => (_values ??= new RowScratch()).Take<T>(count);

    public readonly void ReturnValues<T>(Span<T> values) => _values!.GiveBack(values);

    public bool ReadRows<T, TCodec>(int member, Span<T> values) where TCodec : IStateCodec<T>
    {
        if (RowColumn(member) is not { } column)
            return false;
        ReadValues<T, TCodec>(column.Id, values);
        return true;
    }

    public bool TryReadTexts(Span<string?> values)
    {
        if (Column is not { HasTexts: true } column)
            return false;
        try
        {
            var texts = column.PeekRows(_bytes, values.Length);
            for (var i = 0; i < values.Length; i++)
                values[i] = texts[i];
            column.Skip(_bytes, values.Length);
            return true;
        }
        catch (InvalidDataException)
        {
            return false;
        }
    }

    public readonly bool TryReadNumbers<T>(Span<T> values) where T : unmanaged, INumber<T>, IMinMaxValue<T> =>
        TryTake(Column, values);

    public readonly bool TryReadFlags(Span<bool> values) => Column.TryTakeFlags(_bytes, values);

    public bool TryReadNumberLists<T>(int count, int each, out ReadOnlySpan<long> lengths)
        where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        lengths = default;
        if (Column is not { Kind: ColumnKind.List } column || !column.Children[0].CanTake<T>()
            || (each >= 0 && column.PeekLengths(_bytes, count).ContainsAnyExcept(each)))
            return false;
        lengths = column.TakeLengths(_bytes, count);
        _at = column.Children[0].Id;
        return true;
    }

    public readonly void TakeNumbers<T>(Span<T> numbers) where T : unmanaged, INumber<T>, IMinMaxValue<T>
    {
        if (!TryTake(Column, numbers))
            throw Wrong(NumberText.NotAll<T>());
    }

    public bool TryBeginLists(int count, out ReadOnlySpan<long> lengths)
    {
        lengths = default;
        if (Column is not { Kind: ColumnKind.List } column || _outerDepth + _frameCount >= StateLimits.MaxDepth)
            return false;
        lengths = column.TakeLengths(_bytes, count);
        Push(0);
        return true;
    }

    public void ReadListItems<T, TCodec>(Span<T> items) where TCodec : IStateCodec<T> =>
        ReadValues<T, TCodec>(Container.Children[0].Id, items);

    public void EndLists()
    {
        _at = _containerAt;
        Pop();
    }

    public bool TryBeginVariants(KeyTable variants, Span<short> numbers)
    {
        var column = Column;
        if (_outerDepth + _frameCount >= StateLimits.MaxDepth)
            return false;
        if (column.Kind == ColumnKind.Object)
        {
            var only = VariantOf(column, variants);
            if (only < 0)
                return false;
            numbers.Fill(only);
            column.Index += numbers.Length;
        }
        else if (column.Kind == ColumnKind.Choice)
        {
            foreach (var child in column.Children)
            {
                if (child.Kind != ColumnKind.Object || VariantOf(child, variants) < 0)
                    return false;
            }
            var choices = column.TakeLengths(_bytes, numbers.Length);
            for (var i = 0; i < choices.Length; i++)
            {
                var child = column.Children[choices[i]];
                numbers[i] = VariantOf(child, variants);
                child.Index++;
            }
        }
        else
        {
            return false;
        }
        Push(0);
        return true;
    }

    public void ReadVariant<T, TCodec>(KeyTable variants, int number, Span<T> objects) where TCodec : IStateCodec<T>
    {
        var outer = Container;
        var column = outer.Kind == ColumnKind.Object ? outer
            : Array.Find(outer.Children, child => VariantOf(child, variants) == number)!;
        ReadValues<T, TCodec>(column.FirstChild, objects);
    }

    public void EndVariants() => EndLists();

    public void EndRows()
    {
        var objects = _columns[_rowsAt];
        var columns = objects.ColumnsOf(_rows!.Keys);
        for (var member = 0; member < columns.Length; member++)
        {
            if ((_ready & (1UL << member)) != 0)
                objects.Children[columns[member]].Skip(_bytes, _rowCount);
        }
        var keys = objects.KeysIn(_rows.Keys);
        for (var i = 0; i < keys.Length; i++)
        {
            if (keys[i] < 0)
                objects.Children[i].Skip(_bytes, _rowCount);
        }
        objects.Index += _rowCount;
        Pop();
        (_rowsAt, _rowCount, _rows, _ready, _at) = Outer().Pop();
    }

    /// <summary>Reads many values from one column.</summary>
    private void ReadValues<T, TCodec>(int column, Span<T> values) where TCodec : IStateCodec<T>
    {
        _at = column;
        if (values.IsEmpty || TCodec.TryReadRows(ref this, values))
            return;
        foreach (ref var value in values)
        {
            _at = column;
            if (Column.Kind is ColumnKind.Choice or ColumnKind.Items)
                Choose();
            TCodec.Read(ref this, ref value);
        }
    }

    private readonly bool TryTake<T>(ColumnReader column, Span<T> numbers) where T : unmanaged, INumber<T>, IMinMaxValue<T> =>
        typeof(T) == typeof(float) ? column.Kind == ColumnKind.Single && column.TryTakeSame(_bytes, numbers)
        : typeof(T) == typeof(double) ? column.Kind == ColumnKind.Double && column.TryTakeSame(_bytes, numbers)
        : column.TryTakeIntegers(_bytes, numbers);

    /// <summary>The number of the variant whose objects a column has; -1 where it has others.</summary>
    private static short VariantOf(ColumnReader column, KeyTable variants) =>
        column.Kind == ColumnKind.Object && column.Names.Length == 1 ? (short)column.KeysIn(variants)[0] : (short)-1;

    private readonly ColumnReader? RowColumn(int member)
    {
        var objects = _columns[_rowsAt];
        var column = objects.ColumnsOf(_rows!.Keys)[member];
        return column < 0 ? null : objects.Children[column];
    }

    private Stack<(int, int, RowShape?, ulong, int)> Outer() => _outerRows ??= [];
}

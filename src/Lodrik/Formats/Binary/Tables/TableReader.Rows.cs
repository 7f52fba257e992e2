using System.Runtime.InteropServices;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Many objects of one type at once: their code takes plain values straight from the decoded chunks of the columns.</summary>
internal ref partial struct TableReader
{
    public void ReadItems<T, TCodec>(List<T> items) where TCodec : IStateCodec<T>
    {
        if (_plainDepth > 0 || Container.Kind != ColumnKind.List || Container.Children[0].Kind != ColumnKind.Object)
            return;
        while (_next >= TableFormat.LeastItems)
        {
            var count = Math.Min(_next, TableFormat.Chunk);
            var before = items.Count;
            CollectionsMarshal.SetCount(items, before + count);
            if (!TCodec.TryReadRows(ref this, CollectionsMarshal.AsSpan(items).Slice(before, count)))
            {
                CollectionsMarshal.SetCount(items, before);
                return;
            }
            _next -= count;
        }
    }

    public bool TryBeginRows(RowShape shape, int count)
    {
        var objects = Container.Children[0];
        // Read one by one, a member that is not known is noted.
        if (Context?.Unknown is not null || shape.Members.Count > 64 || _outerDepth + _frameCount >= StateLimits.MaxDepth)
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
        _rowsAt = objects.Id;
        _rowCount = count;
        _rows = shape;
        _ready = 0;
        return true;
    }

    public ReadOnlySpan<long> IntegerRows(int member, long min, long max)
    {
        if (RowColumn(member) is not { Kind: ColumnKind.Integer } column)
            return default;
        var numbers = column.PeekLongs(_bytes, _rowCount);
        foreach (var number in numbers)
        {
            // Read one by one, the one that does not fit is named.
            if (number < min || number > max)
                return default;
        }
        _ready |= 1UL << member;
        return numbers;
    }

    public ReadOnlySpan<float> SingleRows(int member)
    {
        if (RowColumn(member) is not { Kind: ColumnKind.Single } column)
            return default;
        _ready |= 1UL << member;
        return column.PeekSingles(_bytes, _rowCount);
    }

    public ReadOnlySpan<double> DoubleRows(int member)
    {
        if (RowColumn(member) is not { Kind: ColumnKind.Double } column)
            return default;
        _ready |= 1UL << member;
        return column.PeekDoubles(_bytes, _rowCount);
    }

    public ReadOnlySpan<bool> BoolRows(int member)
    {
        if (RowColumn(member) is not { Kind: ColumnKind.Bool } column)
            return default;
        _ready |= 1UL << member;
        return column.PeekFlags(_bytes, _rowCount);
    }

    public ReadOnlySpan<string> TextRows(int member)
    {
        if (RowColumn(member) is not { Kind: ColumnKind.Text or ColumnKind.Dictionary } column)
            return default;
        try
        {
            var texts = column.PeekTexts(_bytes, _rowCount);
            _ready |= 1UL << member;
            return texts;
        }
        catch (InvalidDataException)
        {
            return default;
        }
    }

    public bool AtRow(int member)
    {
        if (RowColumn(member) is not { } column)
            return false;
        _at = column.Id;
        if (column.Kind is ColumnKind.Choice or ColumnKind.Items)
            Choose();
        return true;
    }

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
        (_rowsAt, _rowCount, _rows, _ready, _at) = Outer().Pop();
    }

    private readonly ColumnReader? RowColumn(int member)
    {
        var objects = _columns[_rowsAt];
        var column = objects.ColumnsOf(_rows!.Keys)[member];
        return column < 0 ? null : objects.Children[column];
    }

    private Stack<(int, int, RowShape?, ulong, int)> Outer() => _outerRows ??= [];
}

using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Many objects of one type at once: their code puts plain values straight into the chunks of the columns.</summary>
internal partial struct TableWriter
{
    public bool TryWriteItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T>
    {
        while (items.Length > 0)
        {
            var block = items[..Math.Min(items.Length, TableFormat.Chunk)];
            items = items[block.Length..];
            if (block.Length >= TableFormat.LeastItems && TCodec.TryWriteRows(ref this, block))
                continue;
            foreach (var item in block)
                TCodec.Write(ref this, item);
        }
        return true;
    }

    public bool TryBeginRows(RowShape shape, int count)
    {
        if (_plainDepth > 0 || MustBePlain())
            return false;
        var objects = Column;
        if (objects.Kind == ColumnKind.Empty)
            objects.For(ColumnKind.Object, _scratch.Tally, shape.Keys);
        if (objects.Kind != ColumnKind.Object || !ReferenceEquals(objects.Shape, shape.Keys))
            return false;
        for (var member = 0; member < shape.Members.Count; member++)
        {
            objects.Children[member].Expected = objects.Expected;
            if (KindOf(shape.Members[member]) is { } kind && !objects.Children[member].TryMakeRoom(kind, count, _scratch.Tally))
                return false;
        }
        Enter();
        objects.AddSlots(count);
        _object = objects.Id;
        _shape = shape.Keys.Id;
        _firstMember = objects.FirstChild;
        // Rows of rows: the outer ones are gone on with when the inner ones end.
        _scratch.Rows.Push((_rows, _rowCount));
        _rows = shape;
        _rowCount = count;
        return true;
    }

    public readonly Span<long> IntegerRows(int member) =>
        Row(member) is var column ? column.Longs.AsSpan(column.Count, _rowCount) : default;

    public readonly Span<float> SingleRows(int member) =>
        Row(member) is var column ? column.Singles.AsSpan(column.Count, _rowCount) : default;

    public readonly Span<double> DoubleRows(int member) =>
        Row(member) is var column ? column.Doubles.AsSpan(column.Count, _rowCount) : default;

    public readonly Span<bool> BoolRows(int member) => Row(member) is var column ? column.Flags.AsSpan(column.Count, _rowCount) : default;

    public readonly void WriteTextRow(int member, string? value) => Row(member).AddText(value, _scratch.Tally);

    public void AtRow(int member) => _column = _firstMember + member;

    public void EndRows()
    {
        for (var member = 0; member < _rows!.Members.Count; member++)
        {
            if (KindOf(_rows.Members[member]) is not null)
                Row(member).AddSlots(_rowCount);
        }
        (_rows, _rowCount) = _scratch.Rows.Pop();
        Leave();
    }

    private readonly ColumnWriter Row(int member) => _scratch.At(_firstMember + member);

    private static ColumnKind? KindOf(RowMember member) => member switch
    {
        RowMember.Integer => ColumnKind.Integer,
        RowMember.Single => ColumnKind.Single,
        RowMember.Double => ColumnKind.Double,
        RowMember.Bool => ColumnKind.Bool,
        _ => null,
    };
}

using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics.X86;
using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Many objects of one type at once: their code puts plain values straight into the chunks of the columns.</summary>
internal partial struct TableWriter
{
    /// <summary>Writes a table without rows, only to have the code for rows of this type ready.</summary>
    public static void TryOut<T, TCodec>(BinaryStateWriter target) where TCodec : IStateCodec<T>
    {
        var scratch = Scratch.Rent();
        try
        {
            var writer = new TableWriter(scratch, 0);
            writer.BeginList(0);
            writer.TryWriteItems<T, TCodec>([]);
            TCodec.TryWriteRows(ref writer, []);
            if (default(T) is null || !TCodec.CallsGame)
                TCodec.Write(ref writer, default!);
            scratch.Root.Return();
            scratch.Tally.Reset();
            scratch.Begin();
            writer = new TableWriter(scratch, 0);
            writer.BeginList(0);
            TCodec.TryWriteRows(ref writer, []);
            writer.EndList();
            target.WriteTag(TableFormat.Tag);
            scratch.Root.WriteTo(target, scratch.Tally);
        }
        finally
        {
            scratch.Return();
        }
    }

    public bool TryWriteItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T>
    {
        var column = _column;
        while (items.Length > 0)
        {
            var block = items[..Math.Min(items.Length, TableFormat.Block)];
            items = items[block.Length..];
            _column = column;
            Prefetch(items[..Math.Min(items.Length, TableFormat.Block)]);
            if (_plainDepth == 0 && block.Length >= TableFormat.LeastItems && TCodec.TryWriteRows(ref this, block))
                continue;
            foreach (var item in block)
            {
                TCodec.Write(ref this, item);
                _column = column;
            }
        }
        return true;
    }

    /// <summary>Asks for the next objects ahead of time, where the processor takes such requests: they are all over the memory.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static unsafe void Prefetch<T>(ReadOnlySpan<T> items)
    {
        if (typeof(T).IsValueType || !Sse.IsSupported)
            return;
        ref var first = ref Unsafe.As<T, nint>(ref MemoryMarshal.GetReference(items));
        for (var i = 0; i < items.Length; i++)
        {
            // If the collector has moved the object by then, the request has no effect.
            var address = (byte*)Unsafe.Add(ref first, i);
            Sse.Prefetch1(address);
            Sse.Prefetch1(address + 64);
        }
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

    public readonly Span<T> RentValues<T>(int count) => _scratch.Values.Take<T>(count);

    public readonly void ReturnValues<T>(Span<T> values) => _scratch.Values.GiveBack(values);

    public readonly void WriteTextRows(int member, Span<string?> values)
    {
        Row(member).AddTexts(values, _scratch.Tally);
        _scratch.Values.GiveBack(values);
    }

    public void WriteRows<T, TCodec>(int member, Span<T> values) where TCodec : IStateCodec<T>
    {
        WriteValues<T, TCodec>(_firstMember + member, values);
        _scratch.Values.GiveBack(values);
    }

    public readonly bool TryWriteTexts(ReadOnlySpan<string?> values)
    {
        Column.AddTexts(values, _scratch.Tally);
        return true;
    }

    public bool TryWriteNumberLists<T>(ReadOnlySpan<int> lengths, ReadOnlySpan<T> numbers) where T : unmanaged, INumber<T>
    {
        StateLimits.RequireRoom(_outerDepth + _depth);
        if (Lists() is not { } list)
            return false;
        list.AddLengths(lengths);
        AddNumbers(list, numbers);
        return true;
    }

    public bool TryWriteNumberArrays<T>(ReadOnlySpan<T[]?> arrays) where T : unmanaged, INumber<T>
    {
        StateLimits.RequireRoom(_outerDepth + _depth);
        if (HasNull(arrays) || Lists() is not { } list)
            return false;
        var taken = list.AddArrays(arrays, _scratch.Tally);
        foreach (var array in arrays[taken..])
        {
            list.AddLength(array!.Length);
            AddNumbers<T>(list, array);
        }
        return true;
    }

    public bool TryBeginLists(ReadOnlySpan<int> lengths)
    {
        if (MustBePlain() || Lists() is not { } list)
            return false;
        Enter();
        list.AddLengths(lengths);
        foreach (var length in lengths)
            list.Children[0].Expected += length;
        _column = list.FirstChild;
        return true;
    }

    public void WriteListItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T> => WriteValues<T, TCodec>(_column, items);

    public void EndLists() => Leave();

    public bool TryBeginVariants(KeyTable variants, ReadOnlySpan<short> numbers)
    {
        var outer = Column;
        if (MustBePlain() || outer.Children.Count + variants.Count >= TableFormat.MaxChoices)
            return false;
        foreach (var number in numbers)
            outer.For(ColumnKind.Object, _scratch.Tally, variants.Only(number)).AddSlot();
        Enter();
        _object = _column;
        _shape = 0;
        return true;
    }

    public void WriteVariant<T, TCodec>(KeyTable variants, int number, Span<T> objects) where TCodec : IStateCodec<T>
    {
        var outer = _scratch.At(_object);
        var shape = variants.Only(number);
        var column = outer.Kind == ColumnKind.Object ? outer : outer.Children.Find(child => ReferenceEquals(child.Shape, shape))!;
        WriteValues<T, TCodec>(column.FirstChild, objects);
        _scratch.Values.GiveBack(objects);
    }

    public void EndVariants() => Leave();

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

    /// <summary>Writes many values into one column.</summary>
    private void WriteValues<T, TCodec>(int column, ReadOnlySpan<T> values) where TCodec : IStateCodec<T>
    {
        _column = column;
        if (values.IsEmpty || TCodec.TryWriteRows(ref this, values))
            return;
        foreach (var value in values)
        {
            _column = column;
            TCodec.Write(ref this, value);
        }
    }

    private static bool HasNull<T>(ReadOnlySpan<T[]?> arrays)
    {
        foreach (var array in arrays)
        {
            if (array is null)
                return true;
        }
        return false;
    }

    /// <summary>The column of lists that this is or can become; null if it holds other values too.</summary>
    private readonly ColumnWriter? Lists() =>
        Column is { Kind: ColumnKind.Empty or ColumnKind.List } column ? column.For(ColumnKind.List, _scratch.Tally) : null;

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

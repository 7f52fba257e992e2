using System.Runtime.CompilerServices;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>Values that are in the table as plain items, and values of columns that are wanted as such.</summary>
internal ref partial struct TableReader
{
    /// <summary>Writes the next value as the same value in plain items.</summary>
    public void CopyTo(ref BinaryStateWriter writer)
    {
        if (_isPlain)
        {
            var start = _plain.Position;
            _plain.Skip();
            writer.WriteRaw(_bytes[start.._plain.Position]);
            LeavePlainValue();
            return;
        }
        switch (Column.Kind)
        {
            case ColumnKind.List:
                writer.BeginList(BeginList());
                while (NextItem())
                    CopyTo(ref writer);
                writer.EndList();
                break;
            case ColumnKind.Object or ColumnKind.Map:
                BeginObject();
                writer.BeginObject(Container.Kind == ColumnKind.Map ? _next : Container.Children.Length);
                while (ReadKey(out var key))
                {
                    writer.WriteKey(key);
                    CopyTo(ref writer);
                }
                writer.EndObject();
                break;
            default:
                TakePlainly();
                writer.WriteRaw(_plain.Rest);
                LeavePlainValue();
                break;
        }
    }

    /// <summary>
    /// Makes sure that the next value can be read plainly. A value of a column is written down plainly for it, so that reading it as
    /// another kind than it has gives what it always gives, a value or an error.
    /// </summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private void TakePlainly()
    {
        if (_isPlain)
            return;
        using var copy = new PooledBuffer(256);
        var writer = new BinaryStateWriter(copy);
        switch (Column.Kind)
        {
            case ColumnKind.Bool:
                writer.WriteBool(Column.NextFlag(_bytes));
                break;
            case ColumnKind.Integer:
                writer.WriteInteger(Column.NextLong(_bytes));
                break;
            case ColumnKind.Single:
                writer.WriteSingle(Column.NextSingle(_bytes));
                break;
            case ColumnKind.Double:
                writer.WriteDouble(Column.NextDouble(_bytes));
                break;
            case ColumnKind.Text or ColumnKind.Dictionary:
                writer.WriteText(NextText(Column));
                break;
            case ColumnKind.Bytes:
                writer.WriteBytes(Column.NextBytes(_bytes));
                break;
            case ColumnKind.List:
                // What is wanted is not a list or map, or it would have been entered: an empty one stands for it in the error.
                writer.BeginList(0);
                break;
            case ColumnKind.Null:
                Column.Index++;
                writer.WriteNull();
                break;
            default:
                writer.BeginObject(0);
                break;
        }
        _plain = new BinaryStateReader(copy.Written.ToArray(), Place) { Context = Context };
        _isPlain = true;
    }

    private T Left<T>(T value)
    {
        LeavePlainValue();
        return value;
    }

    private bool LeavePlainValue()
    {
        if (_plainDepth == 0)
            _isPlain = false;
        return true;
    }

    private bool LeavePlainContainer()
    {
        _plainDepth--;
        LeavePlainValue();
        return false;
    }
}

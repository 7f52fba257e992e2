using System.Runtime.InteropServices;

namespace Lodrik.Formats.Binary.Tables;

// What a column becomes in the file.
internal sealed partial class ColumnWriter
{
    /// <summary>Writes the column and notes how many slots it has.</summary>
    public void WriteTo(BinaryStateWriter writer, TableTally tally)
    {
        tally.Note(Slots);
        switch (Kind)
        {
            case ColumnKind.Integer:
                _integers.WriteTo(writer, Longs.AsSpan(0, Count));
                break;
            case ColumnKind.Single:
                WriteArray(writer, Cbor.TypedArrayTag<float>(), MemoryMarshal.AsBytes(Singles.AsSpan(0, Count)));
                break;
            case ColumnKind.Double:
                WriteArray(writer, Cbor.TypedArrayTag<double>(), MemoryMarshal.AsBytes(Doubles.AsSpan(0, Count)));
                break;
            case ColumnKind.Bool:
                WriteHead(writer, 2);
                WriteFlags(writer);
                break;
            case ColumnKind.Text:
                Text!.WriteTo(writer, tally);
                break;
            case ColumnKind.Bytes:
                WriteHead(writer, 3);
                _lengths!.WriteTo(writer, tally);
                writer.WriteBytes(_bytes!.Written);
                break;
            case ColumnKind.List or ColumnKind.Map:
                WriteHead(writer, 2 + Children.Count);
                _lengths!.WriteTo(writer, tally);
                WriteChildren(writer, tally);
                break;
            case ColumnKind.Object:
                WriteHead(writer, 1 + (2 * Children.Count));
                for (var i = 0; i < Children.Count; i++)
                {
                    writer.WriteKey(Shape!, i);
                    Children[i].WriteTo(writer, tally);
                }
                break;
            case ColumnKind.Choice:
                WriteHead(writer, 2 + Children.Count);
                WriteChoices(writer);
                WriteChildren(writer, tally);
                break;
            case ColumnKind.Items:
                WriteHead(writer, 1 + Slots);
                writer.WriteRaw(_bytes!.Written);
                break;
            default:
                // A column without values may be of any kind.
                writer.WriteHead(Cbor.Array, 1);
                writer.WriteInteger((int)ColumnKind.Null);
                break;
        }
    }

    private void WriteFlags(BinaryStateWriter writer)
    {
        writer.WriteHead(Cbor.ByteString, (uint)((Slots + 7) / 8));
        if (_bytes is not null)
            writer.WriteRaw(_bytes.Written);
        PackFlags(writer.Buffer);
    }

    private void WriteArray(BinaryStateWriter writer, ulong tag, ReadOnlySpan<byte> chunk)
    {
        var before = _bytes is null ? default : _bytes.Written;
        writer.WriteTag(tag);
        writer.WriteHead(Cbor.ByteString, (uint)(before.Length + chunk.Length));
        writer.WriteRaw(before);
        writer.WriteRaw(chunk);
    }

    /// <summary>Which of the columns each slot is in: a bit where there are two.</summary>
    private void WriteChoices(BinaryStateWriter writer)
    {
        _lengths!._integers.WriteTo(writer, _lengths.Longs.AsSpan(0, _lengths.Count), asBits: Children.Count == 2);
    }

    private void WriteChildren(BinaryStateWriter writer, TableTally tally)
    {
        foreach (var child in Children)
            child.WriteTo(writer, tally);
    }

    private void WriteHead(BinaryStateWriter writer, int parts)
    {
        writer.WriteHead(Cbor.Array, (uint)parts);
        writer.WriteInteger((int)Kind);
    }
}

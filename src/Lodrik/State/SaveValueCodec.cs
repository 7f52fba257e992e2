using System.ComponentModel;
using System.Numerics;

namespace Lodrik.State;

#pragma warning disable CS1591 // Named by generated code only.

/// <summary>The value tree itself, as a member that keeps whatever it is given.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct SaveValueCodec : IStateCodec<SaveValue?>
{
    public static void Write<TWriter>(ref TWriter writer, SaveValue? value) where TWriter : IStateWriter, allows ref struct
    {
        switch (value)
        {
            case null:
                writer.WriteNull();
                break;
            case SaveScalar scalar:
                WriteScalar(ref writer, scalar);
                break;
            case SaveList list when TryWriteNumbers(ref writer, list):
                break;
            case SaveList list when (list.IsTable || AreRows(list)) && writer.TryWriteTable<SaveValue?, SaveValueCodec>(list, list.Count):
                break;
            case SaveList list:
                writer.BeginList(list.Count);
                foreach (var item in list)
                    Write(ref writer, item);
                writer.EndList();
                break;
            case SaveMap map when AreRows(map.Select(entry => entry.Value))
                && writer.TryWriteTable<SaveValue?, SaveValueCodec>(map, map.Count):
                break;
            case SaveMap map:
                WriteMap(ref writer, map);
                break;
        }
    }

    public static void Read<TReader>(ref TReader reader, ref SaveValue? value) where TReader : IStateReader, allows ref struct =>
        value = ReadTree(ref reader);

    /// <summary>Reads any value as a tree; a null becomes <see cref="SaveValue.Null"/>.</summary>
    public static SaveValue ReadTree<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
    {
        var kind = reader.Peek();
        reader.Context?.Allowance?.Take(kind == SaveValueKind.Map ? Allowance.Map : Allowance.Value);
        switch (kind)
        {
            case SaveValueKind.Null:
                reader.TryReadNull();
                return SaveValue.Null;
            case SaveValueKind.Bool:
                return reader.ReadBool();
            case SaveValueKind.Integer:
                return reader.ReadBigInteger();
            case SaveValueKind.Single:
                return reader.ReadSingle();
            case SaveValueKind.Double:
                return reader.ReadDouble();
            case SaveValueKind.Decimal:
                return reader.ReadDecimal();
            case SaveValueKind.Text:
                return reader.ReadText();
            case SaveValueKind.Bytes:
                return reader.ReadBytes();
            case SaveValueKind.List:
                if (reader.TakeTable() is { } table)
                    return table;
                var list = new SaveList();
                reader.BeginList();
                while (reader.NextItem())
                    list.Add(ReadTree(ref reader));
                return list;
            default:
                SaveValue? entries = null;
                if (reader.TryReadTable<SaveValue?, SaveValueCodec>(ref entries))
                    return entries!;
                var map = new SaveMap();
                reader.BeginObject();
                while (reader.ReadKey(out var key))
                {
                    if (!map.TryAdd(key, ReadTree(ref reader)))
                        throw reader.Wrong($"The key \"{Shorten.Text(key)}\" appears twice.");
                }
                return map;
        }
    }

    /// <summary>Whether these are many things of the same kind, rather than the different members of one.</summary>
    private static bool AreRows(IEnumerable<SaveValue> values)
    {
        var some = false;
        foreach (var value in values)
        {
            if (value is SaveMap or SaveList)
                some = true;
            else if (value.Kind != SaveValueKind.Null)
                return false;
        }
        return some;
    }

    private static void WriteMap<TWriter>(ref TWriter writer, SaveMap map) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginObject(map.Count);
        var shape = writer.ShapeOf(map);
        var index = 0;
        foreach (var (key, entry) in map)
        {
            if (shape is null)
                writer.WriteKey(key);
            else
                writer.WriteKey(shape, index++);
            Write(ref writer, entry);
        }
        writer.EndObject();
    }

    /// <summary>Writes a list that is nothing but numbers of one kind as such: on one line in text, as one block in binary.</summary>
    private static bool TryWriteNumbers<TWriter>(ref TWriter writer, SaveList list) where TWriter : IStateWriter, allows ref struct
    {
        var kind = list.Count == 0 ? SaveValueKind.Null : list[0].Kind;
        if (kind is not (SaveValueKind.Integer or SaveValueKind.Single or SaveValueKind.Double) || list.Any(item => item.Kind != kind))
            return false;
        var numbers = list.Cast<SaveScalar>();
        if (kind == SaveValueKind.Single)
            writer.WriteNumbers<float>(numbers.Select(number => number.Single).ToArray());
        else if (kind == SaveValueKind.Double)
            writer.WriteNumbers<double>(numbers.Select(number => number.Double).ToArray());
        else
            return TryWriteIntegers(ref writer, numbers.Select(number => number.Integer).ToArray());
        return true;
    }

    /// <summary>Writes whole numbers in the narrowest type that holds them all; false if 64 bits do not.</summary>
    private static bool TryWriteIntegers<TWriter>(ref TWriter writer, BigInteger[] numbers) where TWriter : IStateWriter, allows ref struct
    {
        var (min, max) = (numbers.Min(), numbers.Max());
        if (min >= long.MinValue && max <= long.MaxValue)
            NumberItems.WriteWhole(ref writer, Array.ConvertAll(numbers, number => (long)number));
        else if (min >= 0 && max <= ulong.MaxValue)
            writer.WriteNumbers<ulong>(Array.ConvertAll(numbers, number => (ulong)number));
        else
            return false;
        return true;
    }

    private static void WriteScalar<TWriter>(ref TWriter writer, SaveScalar scalar) where TWriter : IStateWriter, allows ref struct
    {
        switch (scalar.Kind)
        {
            case SaveValueKind.Bool:
                writer.WriteBool(scalar.Bool);
                break;
            case SaveValueKind.Integer:
                writer.WriteBigInteger(scalar.Integer);
                break;
            case SaveValueKind.Single:
                writer.WriteSingle(scalar.Single);
                break;
            case SaveValueKind.Double:
                writer.WriteDouble(scalar.Double);
                break;
            case SaveValueKind.Decimal:
                writer.WriteDecimal(scalar.Decimal);
                break;
            case SaveValueKind.Text:
                writer.WriteText(scalar.Text);
                break;
            case SaveValueKind.Bytes:
                writer.WriteBytes(scalar.Bytes.Span);
                break;
            default:
                writer.WriteNull();
                break;
        }
    }

    static SaveValue? IStateCodec<SaveValue?>.Copy(SaveValue? value, SaveValue? into, CopyContext? context) => Copy(value);

    /// <summary>A tree of the same content that shares nothing with this one.</summary>
    public static SaveValue? Copy(SaveValue? value)
    {
        switch (value)
        {
            case SaveList list:
                var items = new SaveList();
                foreach (var item in list)
                    items.Add(Copy(item)!);
                return items;
            case SaveMap map:
                var entries = new SaveMap();
                foreach (var (key, entry) in map)
                    entries[key] = Copy(entry)!;
                return entries;
            default:
                return value;
        }
    }
}

using System.ComponentModel;

namespace Lodrik.State;

#pragma warning disable CS1591 // Named by generated code only.

/// <summary>Dictionary, SortedDictionary, SortedList, OrderedDictionary.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct DictionaryCodec<TDictionary, TKey, TValue, TKeyCodec, TCodec> : IStateCodec<TDictionary?>
    where TDictionary : class, IDictionary<TKey, TValue>, new()
    where TKey : notnull
    where TKeyCodec : IKeyCodec<TKey>
    where TCodec : IStateCodec<TValue>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<TValue, TCodec>();
        if (CollectionTypes.IsOfPlatform<TDictionary>())
            visitor.VisitEmpty<TDictionary?, DictionaryCodec<TDictionary, TKey, TValue, TKeyCodec, TCodec>>(new TDictionary());
    }

    public static void Write<TWriter>(ref TWriter writer, TDictionary? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
        {
            writer.WriteNull();
            return;
        }
        KeyTexts.Check<TKey, TKeyCodec>(value.Keys);
        if (TCodec.HasColumns
            && writer.TryWriteTable<TDictionary?, DictionaryCodec<TDictionary, TKey, TValue, TKeyCodec, TCodec>>(value, value.Count))
            return;
        var (count, written) = (value.Count, 0);
        writer.BeginObject(count);
        foreach (var (key, entry) in value)
        {
            writer.WriteKey(TKeyCodec.ToText(key));
            TCodec.Write(ref writer, entry);
            written++;
        }
        ChangingCollection.Refuse(count, written);
        writer.EndObject();
    }

    public static void Read<TReader>(ref TReader reader, ref TDictionary? value) where TReader : IStateReader, allows ref struct
    {
        if (reader.TryReadNull())
        {
            value = null;
            return;
        }
        if (reader.TryReadTable<TDictionary?, DictionaryCodec<TDictionary, TKey, TValue, TKeyCodec, TCodec>>(ref value))
            return;
        value ??= new TDictionary();
        value.Clear();
        reader.BeginObject();
        while (reader.ReadKey(out var text))
        {
            if (!TKeyCodec.TryParse(text, out var key))
                throw reader.Wrong($"The key \"{Shorten.Text(text)}\" is not a valid {typeof(TKey).Name}.");
            if (value.ContainsKey(key))
                throw reader.Wrong($"The key \"{Shorten.Text(text)}\" appears twice.");
            var entry = TCodec.Initial;
            TCodec.Read(ref reader, ref entry);
            value.Add(key, entry);
            if ((value.Count & (CollectionSize.AtOnce - 1)) == 0)
                reader.Context?.Allowance?.Take(CollectionSize.AtOnce * CollectionSize.Of<TValue>());
        }
    }

    public static TDictionary? Copy(TDictionary? value, TDictionary? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = into is null || ReferenceEquals(into, value) ? EmptyCollections.NewLike<TDictionary, TKey, TValue>(value) : into;
        copy.Clear();
        foreach (var (key, entry) in value)
            copy.Add(key, TCodec.Copy(entry, TCodec.Initial, context));
        return copy;
    }

    public static TDictionary? MoveInto(TDictionary? read, TDictionary? initial)
    {
        if (read is null || initial is null || ReferenceEquals(read, initial))
            return read;
        initial.Clear();
        foreach (var (key, entry) in read)
        {
            if (!initial.TryAdd(key, entry))
                throw new ArgumentException($"The key \"{Shorten.Text(TKeyCodec.ToText(key))}\" appears twice.");
        }
        return initial;
    }

    public static bool AreEqual(TDictionary? one, TDictionary? other, CompareContext? context)
    {
        if (one is null || other is null || one.Count != other.Count)
            return ReferenceEquals(one, other);
        foreach (var (key, entry) in one)
        {
            if (!other.TryGetValue(key, out var theirs) || !TCodec.AreEqual(entry, theirs, context))
                return false;
        }
        return true;
    }
}

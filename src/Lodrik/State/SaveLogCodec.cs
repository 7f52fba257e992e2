using System.ComponentModel;

namespace Lodrik.State;

#pragma warning disable CS1591 // Named by generated code only.

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct SaveLogCodec<T, TCodec> : IStateCodec<SaveLog<T>?> where TCodec : IStateCodec<T>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<List<T>?, ListCodec<T, TCodec>>();
        visitor.VisitEmpty<SaveLog<T>?, SaveLogCodec<T, TCodec>>([]);
    }

    public static void Write<TWriter>(ref TWriter writer, SaveLog<T>? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null || !writer.TryWriteLog<T, TCodec>(value))
            ListCodec<T, TCodec>.Write(ref writer, value?.Entries);
    }

    public static void Read<TReader>(ref TReader reader, ref SaveLog<T>? value) where TReader : IStateReader, allows ref struct
    {
        // The entries that were there are another content, whatever comes.
        var entries = value?.Entries;
        value?.Clear();
        ListCodec<T, TCodec>.Read(ref reader, ref entries);
        value = entries is null ? null : value is not null && ReferenceEquals(entries, value.Entries) ? value : new(entries, new());
    }

    public static SaveLog<T>? Copy(SaveLog<T>? value, SaveLog<T>? into, CopyContext? context)
    {
        if (value is null)
            return null;
        var copy = ReferenceEquals(into, value) ? [] : into ?? [];
        copy.Clear();
        ListCodec<T, TCodec>.Copy(value.Entries, copy.Entries, context);
        return copy;
    }

    public static bool AreEqual(SaveLog<T>? one, SaveLog<T>? other, CompareContext? context) =>
        ListCodec<T, TCodec>.AreEqual(one?.Entries, other?.Entries, context);
}

using System.ComponentModel;

namespace Lodrik.State;

#pragma warning disable CS1591 // Named by generated code only.

/// <summary>A type that is saved as another. The adapter's methods are known when this is compiled, so they cost what they do.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct AdapterCodec<TForeign, TSaved, TCodec, TAdapter> : IStateCodec<TForeign?>
    where TCodec : IStateCodec<TSaved> where TAdapter : struct, ISaveAdapter<TForeign, TSaved>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static bool CallsGame => default(TForeign) is not null;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.Visit<TSaved, TCodec>();

    public static void Write<TWriter>(ref TWriter writer, TForeign? value) where TWriter : IStateWriter, allows ref struct
    {
        if (value is null)
            writer.WriteNull();
        else
            TCodec.Write(ref writer, TAdapter.ToSaved(value));
    }

    public static void Read<TReader>(ref TReader reader, ref TForeign? value) where TReader : IStateReader, allows ref struct
    {
        if (default(TForeign) is null && reader.TryReadNull())
        {
            value = default;
            return;
        }
        var saved = TCodec.Initial;
        TCodec.Read(ref reader, ref saved);
        value = TAdapter.FromSaved(saved);
    }

    public static TForeign? Copy(TForeign? value, TForeign? into, CopyContext? context) =>
        value is null ? value : TAdapter.FromSaved(TCodec.Copy(TAdapter.ToSaved(value), TCodec.Initial, context));

    public static bool AreEqual(TForeign? one, TForeign? other, CompareContext? context) =>
        one is null || other is null
            ? one is null == other is null
            : TCodec.AreEqual(TAdapter.ToSaved(one), TAdapter.ToSaved(other), context);
}

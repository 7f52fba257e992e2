using System.ComponentModel;
using System.Runtime.CompilerServices;

namespace Lodrik.State;

#pragma warning disable CS1591 // Named by generated code only.

/// <summary>An array of a type parameter, which has the form that an array of its argument has.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct OpenArrayCodec<T, TCodec> : IStateCodec<T[]?> where TCodec : IStateCodec<T>
{
    public static bool HasColumns => typeof(T) != typeof(byte) && TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.Visit<T[]?, ArrayCodec<T, TCodec>>();

    public static void Write<TWriter>(ref TWriter writer, T[]? value) where TWriter : IStateWriter, allows ref struct
    {
        if (typeof(T) == typeof(byte))
            BytesCodec.Write(ref writer, (byte[]?)(object?)value);
        else
            ArrayCodec<T, TCodec>.Write(ref writer, value);
    }

    public static void Read<TReader>(ref TReader reader, ref T[]? value) where TReader : IStateReader, allows ref struct
    {
        if (typeof(T) == typeof(byte))
            BytesCodec.Read(ref reader, ref Unsafe.As<T[]?, byte[]?>(ref value));
        else
            ArrayCodec<T, TCodec>.Read(ref reader, ref value);
    }

    public static T[]? Copy(T[]? value, T[]? into, CopyContext? context) => ArrayCodec<T, TCodec>.Copy(value, into, context);

    public static bool AreEqual(T[]? one, T[]? other, CompareContext? context) => ArrayCodec<T, TCodec>.AreEqual(one, other, context);
}

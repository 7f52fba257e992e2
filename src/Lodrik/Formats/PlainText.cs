using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Lodrik.Formats;

/// <summary>Text that a readable form writes unchanged, a byte for each character: most of it.</summary>
internal static class PlainText
{
    /// <summary>How much room a text takes, because eight characters are written at a time.</summary>
    public static int RoomFor(scoped ReadOnlySpan<char> text) => text.Length + 8;

    /// <summary>What a form has to escape, beside control characters and everything that takes more than a byte.</summary>
    public interface IEscapes
    {
        static abstract bool Has(ushort one);

        static abstract Vector128<ushort> In(Vector128<ushort> eight);
    }

    public readonly struct InJson : IEscapes
    {
        public static bool Has(ushort one) => one is '"' or '\\';

        public static Vector128<ushort> In(Vector128<ushort> eight) =>
            Vector128.Equals(eight, Vector128.Create((ushort)'"')) | Vector128.Equals(eight, Vector128.Create((ushort)'\\'));
    }

    public readonly struct InXml : IEscapes
    {
        public static bool Has(ushort one) => one is '&' or '<' or '>';

        public static Vector128<ushort> In(Vector128<ushort> eight) =>
            Vector128.Equals(eight, Vector128.Create((ushort)'&')) | Vector128.Equals(eight, Vector128.Create((ushort)'<'))
                | Vector128.Equals(eight, Vector128.Create((ushort)'>'));
    }

    /// <summary>Writes a byte for each character.</summary>
    /// <param name="text">The text.</param>
    /// <param name="to">Room for <see cref="RoomFor"/> bytes.</param>
    /// <returns>False where a character has to be escaped or takes more than a byte; what was written is of no use then.</returns>
    public static bool TryNarrow<TEscapes>(scoped ReadOnlySpan<char> text, ref byte to) where TEscapes : struct, IEscapes
    {
        ref var from = ref Unsafe.As<char, ushort>(ref MemoryMarshal.GetReference(text));
        var length = text.Length;
        if (length < 8)
        {
            for (var i = 0; i < length; i++)
            {
                var one = Unsafe.Add(ref from, i);
                if (one is < 0x20 or > 0x7E || TEscapes.Has(one))
                    return false;
                Unsafe.Add(ref to, i) = (byte)one;
            }
            return true;
        }
        var others = Vector128<ushort>.Zero;
        for (nuint i = 0; i < (nuint)length; i += 8)
        {
            // The last eight may overlap those before.
            var at = Math.Min(i, (nuint)length - 8);
            var eight = Vector128.LoadUnsafe(ref from, at);
            others |= Vector128.LessThan(eight, Vector128.Create((ushort)0x20))
                | Vector128.GreaterThan(eight, Vector128.Create((ushort)0x7E)) | TEscapes.In(eight);
            Vector128.Narrow(eight, eight).GetLower().StoreUnsafe(ref to, at);
        }
        return others == Vector128<ushort>.Zero;
    }
}

using System.Runtime.CompilerServices;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Formats;

/// <summary>Copies state so that no object is shared between the copy and the original.</summary>
internal static class StateCopy
{
    public static T Of<T>(T value) where T : IStateType<T>
    {
        // A struct without references is a copy already.
        if (value is null || !RuntimeHelpers.IsReferenceOrContainsReferences<T>())
            return value!;
        using var buffer = new PooledBuffer(256);
        try
        {
            var writer = new BinaryStateWriter(buffer);
            T.WriteState(ref writer, value);
        }
        catch (ContentException content)
        {
            throw new UnsavableStateException(content.Code, content.Message, new SaveLocation { Path = BinaryPlace.PointerAt(buffer.Written, BinaryPlace.End) });
        }
        var copy = T.CreateState();
        var reader = new BinaryStateReader(buffer.Written);
        T.ReadState(ref reader, ref copy);
        return copy;
    }
}

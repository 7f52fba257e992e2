using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>Single values as binary content in memory, and back: for whatever is kept, moved or compared without a file.</summary>
internal static class BinaryEncoding
{
    /// <summary>A value as bytes.</summary>
    public static byte[] Of<T, TCodec>(T value) where TCodec : IStateCodec<T>
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        TCodec.Write(ref writer, value);
        return buffer.Written.ToArray();
    }

    /// <summary>What writes itself, as bytes.</summary>
    public static byte[] Of<TValue>(TValue value) where TValue : IValueWriter
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        value.Write(ref writer);
        return buffer.Written.ToArray();
    }

    /// <summary>A section of a group as bytes.</summary>
    public static byte[] Of(ISectionGroup group, string section)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        group.WriteSection(section, ref writer);
        return buffer.Written.ToArray();
    }

    /// <summary>What writes itself, as a tree.</summary>
    public static SaveValue ToTree<TValue>(TValue value) where TValue : IValueWriter
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        value.Write(ref writer);
        var reader = new BinaryStateReader(buffer.Written);
        return SaveValueCodec.ReadTree(ref reader);
    }

    /// <summary>A state as a tree.</summary>
    public static SaveValue ToTreeOf<T>(T state) where T : IStateType<T> => ToTree(new StateWriting<T>(state));

    private readonly struct StateWriting<T>(T state) : IValueWriter where T : IStateType<T>
    {
        public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct => T.WriteState(ref writer, state);
    }
}

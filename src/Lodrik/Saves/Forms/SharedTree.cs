using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>What is written beside a section that has shared objects: their contents by their numbers.</summary>
internal static class SharedTree
{
    /// <summary>What the name of such a section ends with.</summary>
    public const string Suffix = "#shared";

    /// <summary>Writes what the shared objects of a section hold, those included that they lead to.</summary>
    /// <exception cref="UnsavableStateException">One of them cannot be saved as it is.</exception>
    public static SaveMap ToTree(SharedWriting objects, string name, WriteContext context)
    {
        var tree = new SaveMap();
        using var buffer = new PooledBuffer();
        context.Shared = objects;
        try
        {
            for (var i = 0; i < objects.Entries.Count; i++)
            {
                buffer.Reset();
                var writer = new BinaryStateWriter(buffer, context, StateLimits.CheckpointDepth + 1);
                try
                {
                    objects.Entries[i].Write(ref writer);
                }
                catch (ContentException content)
                {
                    throw Unsavable.At(content, name, $"/{i + 1}{BinaryPlace.PointerAt(buffer.Written, BinaryPlace.End)}");
                }
                var reader = new BinaryStateReader(buffer.Written);
                tree[$"{i + 1}"] = SaveValueCodec.ReadTree(ref reader);
            }
        }
        finally
        {
            context.Shared = null;
        }
        return tree;
    }
}

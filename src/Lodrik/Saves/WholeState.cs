using System.Buffers;
using Lodrik.Inspection;
using Lodrik.Saves.Writing;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>One object as the whole of a save, and back.</summary>
internal static class WholeState
{
    public static ReadOnlySequence<byte> Encode<T>(SaveWriter writer, T state, SaveForm form, bool indented = true)
        where T : IStateRoot<T> => Encode(writer, state, Guid.CreateVersion7(), DateTimeOffset.UtcNow, new SaveTerms(form, indented));

    private static ReadOnlySequence<byte> Encode<T>(SaveWriter writer, T state, Guid id, DateTimeOffset saved, SaveTerms terms)
        where T : IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(state);
        var header = new SaveHeader
        {
            Game = T.Root.Game,
            Version = T.Root.Version,
            Shape = T.Root.Shape.Length > 0 ? T.Root.Shape : null,
            SaveId = id,
            Saved = saved,
        };
        return writer.Write(state, header, terms);
    }

    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static byte[] ToBytes<T>(T state, SaveForm form) where T : IStateRoot<T>
    {
        using var writer = new SaveWriter();
        return Encode(writer, state, form).ToArray();
    }

    /// <summary>Bytes that are the same for objects of the same content, whenever they are made.</summary>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static byte[] ContentOf<T>(T state) where T : IStateRoot<T>
    {
        using var writer = new SaveWriter();
        return Encode(writer, state, default, default, new SaveTerms(SaveForm.Binary, false)).ToArray();
    }

    /// <summary>Reads into the object in two passes: whatever does not fit shows in the first, on an object of its own.</summary>
    public static void DecodeInto<T>(SavedFile file, T state, IReadOnlyCollection<string>? sections = null) where T : class, IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(state);
        var rehearsal = T.BeginReading();
        file.ReadInto(ref rehearsal, sections);
        file.ReadInto(ref state, sections);
    }

    public static T Decode<T>(SavedFile file, IReadOnlyCollection<string>? sections = null, Action<int>? decoded = null)
        where T : IStateRoot<T>
    {
        var state = T.BeginReading();
        file.ReadInto(ref state, sections, decoded);
        return state ?? T.CreateState();
    }
}

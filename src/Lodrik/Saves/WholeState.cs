using System.Buffers;
using Lodrik.Inspection;
using Lodrik.Saves.Writing;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>One object as the whole of a save, and back.</summary>
internal static class WholeState
{
    public static ReadOnlySequence<byte> Encode<T>(SaveWriter writer, T state, SaveForm form, bool indented = true)
        where T : IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(state);
        var header = new SaveHeader
        {
            Game = T.Root.Game,
            Version = T.Root.Version,
            Shape = T.Root.Shape.Length > 0 ? T.Root.Shape : null,
            SaveId = Guid.CreateVersion7(),
            Saved = DateTimeOffset.UtcNow,
        };
        return writer.Write(state, header, new SaveTerms(form, indented));
    }

    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static byte[] ToBytes<T>(T state, SaveForm form) where T : IStateRoot<T>
    {
        using var writer = new SaveWriter();
        return Encode(writer, state, form).ToArray();
    }

    /// <summary>Reads into the object in two passes: whatever does not fit shows in the first, on its own object.</summary>
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

using System.Buffers;
using System.Text;
using Lodrik.Inspection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik;

/// <summary>
/// The smallest case: one object and one file. Write a state type (or a whole save root) to a path, a stream, bytes or text, and
/// read it into a new object or an existing one. No store, no slots, no scene.
/// </summary>
/// <remarks>
/// Writing to a path is all or nothing: the file is written beside its final name, flushed to the disk and renamed. Reading
/// recognises the form from the bytes. Reading into an existing object empties its collections first, and leaves members
/// alone that the file does not mention; where anything in the file does not fit, the object is not touched at all.
/// </remarks>
public static class StateFile
{
    /// <summary>Writes the object to a file as JSON. The file is replaced if it is there; its folder is created.</summary>
    /// <param name="path">The file.</param>
    /// <param name="state">The object.</param>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    /// <exception cref="StorageException">The file cannot be written.</exception>
    public static void Write<T>(string path, T state) where T : IStateRoot<T> => Write(path, state, SaveForm.Json);

    /// <summary>Writes the object to a file, which is replaced if it is there; its folder is created.</summary>
    /// <param name="path">The file.</param>
    /// <param name="state">The object.</param>
    /// <param name="form">The form of the content; readable ones are laid out for people.</param>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    /// <exception cref="StorageException">The file cannot be written.</exception>
    public static void Write<T>(string path, T state, SaveForm form) where T : IStateRoot<T> => Write(path, state, form, indented: true);

    /// <summary>Writes the object to a file, instead of the one that is there.</summary>
    /// <param name="path">The file.</param>
    /// <param name="state">The object.</param>
    /// <param name="form">The form of the file.</param>
    /// <param name="indented">Whether a readable form has one member per line; otherwise it is as compact as possible.</param>
    /// <exception cref="StorageException">The file cannot be written; the one that was there before still is.</exception>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static void Write<T>(string path, T state, SaveForm form, bool indented) where T : IStateRoot<T>
    {
        using var writer = new SaveWriter();
        Replace(path, WholeState.Encode(writer, state, form, indented));
    }

    /// <summary>
    /// Writes the object alone as JSON (RFC 8259), without the header of a save. Use it for files that people edit. The file has no version
    /// and cannot hold shared objects. All calls that read a save read it too.
    /// </summary>
    /// <param name="path">The file, which is replaced.</param>
    /// <param name="state">The object.</param>
    /// <exception cref="StorageException">The file cannot be written; the one that was there before still is.</exception>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static void WritePlain<T>(string path, T state) where T : IStateType<T> =>
        Replace(path, new ReadOnlySequence<byte>(JsonFile.Plain(state)));

    /// <summary>The object alone as JSON (RFC 8259), without the header of a save.</summary>
    /// <inheritdoc cref="WritePlain{T}(string, T)" path="/exception[@cref='UnsavableStateException']"/>
    public static string ToPlainText<T>(T state) where T : IStateType<T> => Encoding.UTF8.GetString(JsonFile.Plain(state));

    private static void Replace(string path, ReadOnlySequence<byte> bytes)
    {
        var (folder, name) = WholeFile.PlaceOf(path);
        folder.Write(name, bytes, replace: true);
    }

    /// <summary>Writes the object to a stream as JSON. The stream stays open.</summary>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static void Write<T>(Stream stream, T state) where T : IStateRoot<T> => Write(stream, state, SaveForm.Json);

    /// <summary>Writes the object to a stream, which stays open.</summary>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static void Write<T>(Stream stream, T state, SaveForm form) where T : IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(stream);
        using var writer = new SaveWriter();
        foreach (var segment in WholeState.Encode(writer, state, form))
            stream.Write(segment.Span);
    }

    /// <summary>
    /// Writes the object to a stream, which stays open. The object is taken before the first byte is written: it may change while
    /// the returned task still runs.
    /// </summary>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static async Task WriteAsync<T>(
        Stream stream, T state, SaveForm form = SaveForm.Json, CancellationToken cancellationToken = default) where T : IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(stream);
        using var writer = new SaveWriter();
        foreach (var segment in WholeState.Encode(writer, state, form))
            await stream.WriteAsync(segment, cancellationToken).ConfigureAwait(false);
    }

    /// <summary>The object as the bytes of a save.</summary>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static byte[] ToBytes<T>(T state, SaveForm form = SaveForm.Json) where T : IStateRoot<T>
    {
        using var writer = new SaveWriter();
        return WholeState.Encode(writer, state, form).ToArray();
    }

    /// <summary>The object as text.</summary>
    /// <param name="state">The object.</param>
    /// <param name="form">A readable form.</param>
    /// <param name="indented">Whether the text has one member per line; otherwise it is as compact as possible.</param>
    /// <exception cref="ArgumentOutOfRangeException">The form is not readable.</exception>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public static string ToText<T>(T state, SaveForm form = SaveForm.Json, bool indented = true) where T : IStateRoot<T>
    {
        if (!FileForms.Of(form).IsText)
            throw new ArgumentOutOfRangeException(nameof(form), form, $"The {form.DisplayName()} form is not text. Use ToBytes.");
        using var writer = new SaveWriter();
        return Encoding.UTF8.GetString(WholeState.Encode(writer, state, form, indented));
    }

    /// <summary>Reads a file into a new object.</summary>
    /// <exception cref="StorageException">There is no such file, or it cannot be read.</exception>
    /// <exception cref="SaveException">The file is damaged, of another game or version, or its content does not fit.</exception>
    public static T Read<T>(string path) where T : IStateRoot<T> => WholeState.Decode<T>(SavedFile.Open(path));

    /// <summary>Reads a file into a new object and lists its unknown members. In a hand-written file they are usually typos.</summary>
    /// <inheritdoc cref="Read{T}(string)"/>
    public static T Read<T>(string path, out IReadOnlyList<UnknownMember> unknown) where T : IStateRoot<T> =>
        DecodeNoting<T>(SavedFile.Open(path), out unknown);

    /// <summary>Reads a text into a new object and lists its unknown members. In a hand-written text they are usually typos.</summary>
    /// <inheritdoc cref="FromText{T}(string)"/>
    public static T FromText<T>(string text, out IReadOnlyList<UnknownMember> unknown) where T : IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(text);
        return DecodeNoting<T>(SavedFile.FromBytes(Encoding.UTF8.GetBytes(text)), out unknown);
    }

    /// <summary>Reads a file into a new object; where there is no file, gives a new object with its initial values.</summary>
    /// <exception cref="SaveException">There is a file, and it cannot be read; it is left as it is.</exception>
    public static T ReadOrNew<T>(string path) where T : IStateRoot<T> => ReadOrNew(path, file => WholeState.Decode<T>(file));

    /// <summary>
    /// Reads a file into a new object. If the file is missing or damaged, returns a new object with its initial values.
    /// </summary>
    /// <param name="path">The file. It is not changed.</param>
    /// <param name="problem">Why the file could not be read; null if it was read or does not exist.</param>
    /// <exception cref="StorageException">The file exists, but the system does not allow reading it.</exception>
    public static T ReadOrNew<T>(string path, out SaveException? problem) where T : IStateRoot<T> =>
        ReadOrNew(path, file => WholeState.Decode<T>(file), out problem);

    internal static T ReadOrNew<T>(string path, Func<SavedFile, T> decode) where T : IStateRoot<T> =>
        WholeFile.Find(path) is { } bytes ? decode(SavedFile.FromBytes(bytes, new SaveLocation { File = path })) : T.CreateState();

    internal static T ReadOrNew<T>(string path, Func<SavedFile, T> decode, out SaveException? problem) where T : IStateRoot<T>
    {
        problem = null;
        try
        {
            return ReadOrNew(path, decode);
        }
        catch (SaveException exception) when (exception is not StorageException)
        {
            problem = exception;
            return T.CreateState();
        }
    }

    /// <summary>
    /// Keeps an object in a file: it is read now, and saved when what is returned is disposed of and when the process ends. If there is no
    /// file, the object has its initial values; a file that cannot be read is put aside, and <see cref="KeptFile{T}.Notices"/> says so.
    /// </summary>
    /// <param name="path">The file. Its folder is created when it is first saved.</param>
    /// <param name="options">The form and delays; null for the defaults.</param>
    /// <remarks>If the file may have an older version, call <c>Keep</c> on the migration chain.</remarks>
    /// <exception cref="StorageException">The file exists and the system does not allow reading it; or it is kept already.</exception>
    public static KeptFile<T> Keep<T>(string path, KeptFileOptions? options = null) where T : class, IStateRoot<T> =>
        new(path, options ?? new KeptFileOptions(), file => WholeState.Decode<T>(file));

    /// <summary>Reads a file into an existing object.</summary>
    /// <exception cref="SaveException">The file cannot be read or does not fit; the object is as it was.</exception>
    public static void ReadInto<T>(string path, T state) where T : class, IStateRoot<T> =>
        WholeState.DecodeInto(SavedFile.Open(path), state);

    /// <summary>Reads a stream to its end into a new object.</summary>
    /// <exception cref="SaveException">The content is damaged, of another game or version, or does not fit.</exception>
    public static T Read<T>(Stream stream) where T : IStateRoot<T> => FromBytes<T>(ToEnd(stream));

    /// <summary>Reads a stream to its end into an existing object.</summary>
    /// <exception cref="SaveException">The content cannot be read or does not fit; the object is as it was.</exception>
    public static void ReadInto<T>(Stream stream, T state) where T : class, IStateRoot<T> => ReadInto(ToEnd(stream), state);

    /// <summary>Reads a stream to its end into a new object.</summary>
    /// <exception cref="SaveException">The content is damaged, of another game or version, or does not fit.</exception>
    public static async Task<T> ReadAsync<T>(Stream stream, CancellationToken cancellationToken = default) where T : IStateRoot<T> =>
        FromBytes<T>(await ToEndAsync(stream, cancellationToken).ConfigureAwait(false));

    /// <summary>
    /// Reads a stream to its end into an existing object. Where the caller's thread has a <see cref="SynchronizationContext"/>, the
    /// object is changed there.
    /// </summary>
    /// <exception cref="SaveException">The content cannot be read or does not fit; the object is as it was.</exception>
    public static async Task ReadIntoAsync<T>(Stream stream, T state, CancellationToken cancellationToken = default)
        where T : class, IStateRoot<T> => ReadInto(await ToEndAsync(stream, cancellationToken).ConfigureAwait(true), state);

    /// <summary>Reads the bytes of a save into a new object.</summary>
    /// <exception cref="SaveException">The content is damaged, of another game or version, or does not fit.</exception>
    public static T FromBytes<T>(ReadOnlyMemory<byte> bytes) where T : IStateRoot<T> => WholeState.Decode<T>(SavedFile.FromBytes(bytes));

    /// <summary>Reads the bytes of a save into an existing object.</summary>
    /// <exception cref="SaveException">The content cannot be read or does not fit; the object is as it was.</exception>
    public static void ReadInto<T>(ReadOnlyMemory<byte> bytes, T state)
        where T : class, IStateRoot<T> => WholeState.DecodeInto(SavedFile.FromBytes(bytes), state);

    /// <summary>Reads text into a new object.</summary>
    /// <exception cref="SaveException">The content is damaged, of another game or version, or does not fit.</exception>
    public static T FromText<T>(string text) where T : IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(text);
        return FromBytes<T>(Encoding.UTF8.GetBytes(text));
    }

    /// <summary>Reads text into an existing object.</summary>
    /// <exception cref="SaveException">The content cannot be read or does not fit; the object is as it was.</exception>
    public static void ReadTextInto<T>(string text, T state) where T : class, IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(text);
        ReadInto(Encoding.UTF8.GetBytes(text), state);
    }

    private static byte[] ToEnd(Stream stream)
    {
        ArgumentNullException.ThrowIfNull(stream);
        using var bytes = new MemoryStream();
        stream.CopyTo(bytes);
        return bytes.ToArray();
    }

    private static async Task<byte[]> ToEndAsync(Stream stream, CancellationToken cancellationToken)
    {
        ArgumentNullException.ThrowIfNull(stream);
        using var bytes = new MemoryStream();
        await stream.CopyToAsync(bytes, cancellationToken).ConfigureAwait(false);
        return bytes.ToArray();
    }

    private static T DecodeNoting<T>(SavedFile file, out IReadOnlyList<UnknownMember> unknown) where T : IStateRoot<T>
    {
        file.NotesUnknown = true;
        var state = WholeState.Decode<T>(file);
        unknown = file.UnknownMembers;
        return state;
    }
}

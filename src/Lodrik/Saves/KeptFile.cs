using System.Collections.Concurrent;
using System.Security.Cryptography;
using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik.Saves;

/// <summary>
/// One object that keeps itself in a file: settings, a profile, the statistics of all runs. It is read when this is made, and saved when
/// this is disposed of and when the process ends, whether its program returns or a signal ends it (SIGTERM, SIGINT, SIGHUP, SIGQUIT).
/// </summary>
/// <typeparam name="T">The state type, or save root.</typeparam>
/// <remarks>
/// <para>Nothing is ever overwritten that has not been read: a file that cannot be read, and one that another program has changed since,
/// are kept beside it under another name, and <see cref="Notices"/> says so.</para>
/// <para>Use it from one thread. Only a signal saves from another; what is changed by <see cref="Change"/> is never half saved then.</para>
/// </remarks>
public sealed class KeptFile<T> : IDisposable where T : class, IStateRoot<T>
{
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(2);

    private readonly KeptFileOptions _options;
    private readonly Func<SavedFile, T> _decode;
    private readonly DirectoryStorage _storage;
    private readonly string _name;
    private readonly ITimer _timer;
    private readonly List<KeptFileNotice> _notices = [];

    // Held while the state changes or is encoded, and while anything is written. The same thread may take it again.
    private readonly object _busy = new();

    // The object as it was read or saved last.
    private T _baseline;

    // There is no file with that: it is written even if nothing has changed.
    private bool _isMissing = true;

    // What the file was when it was read or written last; null if there was none.
    private byte[]? _digest;
    private (byte[] Bytes, T Copy)? _waiting;
    private DateTimeOffset _firstWaiting;
    private bool _isDisposed;

    internal KeptFile(string path, KeptFileOptions options, Func<SavedFile, T> decode)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        Path = System.IO.Path.GetFullPath(path);
        (_options, _decode) = (options, decode);
        (_storage, _name) = WholeFile.PlaceOf(path);
        if (!KeptPaths.All.TryAdd(Path, true))
        {
            throw new StorageException(
                $"This program already keeps \"{path}\".", new SaveLocation { File = Path },
                remedy: "Use the object that keeps it, or dispose of that first.");
        }
        try
        {
            State = Open();
            _baseline = StateContent.Copy(State);
        }
        catch
        {
            KeptPaths.All.TryRemove(Path, out _);
            throw;
        }
        _timer = options.Time.CreateTimer(_ => WriteWaiting(), null, Timeout.InfiniteTimeSpan, Timeout.InfiniteTimeSpan);
        ProcessEnd.Add(SaveAtEnd);
    }

    /// <summary>The file, as a full path.</summary>
    public string Path { get; }

    /// <summary>The object. It is the same one as long as this is used, also after <see cref="Reset"/> and <see cref="Refresh"/>.</summary>
    public T State { get; }

    /// <summary>
    /// What happened to the file that the player or you should know: it could not be read, another program changed it, or it could not be
    /// written. The latest is last.
    /// </summary>
    public IReadOnlyList<KeptFileNotice> Notices
    {
        get
        {
            lock (_notices)
                return [.. _notices];
        }
    }

    /// <summary>
    /// Something new is in <see cref="Notices"/>. It is raised on the thread that found it, after everything has been done. A handler that
    /// throws harms nothing.
    /// </summary>
    public event EventHandler<KeptFileNotice>? Noticed;

    /// <summary>Whether the object differs from what was read or saved last.</summary>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public bool HasUnsavedChanges
    {
        get
        {
            lock (_busy)
                return !IsSaved;
        }
    }

    /// <summary>Whether another program has changed, created or deleted the file since it was read or saved last.</summary>
    /// <exception cref="StorageException">The file cannot be read.</exception>
    public bool IsChangedOutside
    {
        get
        {
            lock (_busy)
                return !IsKnown(WholeFile.Find(Path));
        }
    }

    /// <summary>Changes the object, and saves it soon. A signal that ends the process meanwhile waits for the change.</summary>
    /// <param name="change">Changes the object.</param>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is now.</exception>
    public void Change(Action<T> change)
    {
        ArgumentNullException.ThrowIfNull(change);
        lock (_busy)
        {
            RefuseDisposed();
            change(State);
            SaveSoon();
        }
    }

    /// <summary>
    /// Copies the object as it is now, and writes it in the background when nothing more has come for <see cref="KeptFileOptions.Delay"/>:
    /// call it as often as you like. A failure becomes a notice, and the next save tries again.
    /// </summary>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    public void SaveSoon()
    {
        lock (_busy)
        {
            RefuseDisposed();
            if (IsSaved)
            {
                _waiting = null;
                return;
            }
            if (_waiting is var (_, former) && StateContent.AreEqual(State, former))
                return;
            var now = _options.Time.GetUtcNow();
            if (_waiting is null)
                _firstWaiting = now;
            _waiting = (WholeState.ToBytes(State, _options.Form), StateContent.Copy(State));
            // Changes that never cease must not put the saving off for ever.
            var left = _firstWaiting + _options.LongestDelay - now;
            _timer.Change(left < _options.Delay ? Max(left, TimeSpan.Zero) : _options.Delay, Timeout.InfiniteTimeSpan);
        }
    }

    /// <summary>Saves the object now, if it has changed.</summary>
    /// <returns>Whether anything was written.</returns>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is.</exception>
    /// <exception cref="StorageException">The file cannot be written; the one that was there before still is.</exception>
    public bool Save()
    {
        KeptFileNotice? notice;
        bool isWritten;
        lock (_busy)
        {
            RefuseDisposed();
            isWritten = SaveNow(out notice);
        }
        Tell(notice);
        return isWritten;
    }

    /// <summary>
    /// Reads what another program has written, into the same object. What is unsaved here wins: then the other program's file is kept
    /// beside it under another name, and a notice says so.
    /// </summary>
    /// <returns>Whether the object was changed.</returns>
    /// <exception cref="StorageException">The file cannot be read, or nothing can be written beside it.</exception>
    public bool Refresh()
    {
        KeptFileNotice? notice = null;
        var isChanged = false;
        lock (_busy)
        {
            RefuseDisposed();
            var bytes = WholeFile.Find(Path);
            if (bytes is not null && !IsKnown(bytes))
            {
                if (!IsSaved)
                    notice = PutAside(bytes, KeptFileChange.Conflict, null);
                else if (TryRead(bytes, out var problem) is { } read)
                {
                    StateContent.CopyInto(read, State);
                    (_baseline, _digest, _isMissing, isChanged) = (read, Digest(bytes), false, true);
                    notice = new KeptFileNotice(KeptFileChange.ChangedOutside, null, null);
                }
                else
                    notice = PutAside(bytes, KeptFileChange.Unreadable, problem);
            }
        }
        Tell(notice);
        return isChanged;
    }

    /// <summary>Gives the object its initial values. It stays the same object; the file changes with the next save.</summary>
    public void Reset()
    {
        lock (_busy)
        {
            RefuseDisposed();
            StateContent.CopyInto(T.CreateState(), State);
        }
    }

    /// <summary>Saves the object if it has changed, and lets go of the file.</summary>
    /// <exception cref="UnsavableStateException">The object cannot be saved as it is. It is no longer kept.</exception>
    /// <exception cref="StorageException">The file cannot be written; the one that was there before still is.</exception>
    public void Dispose()
    {
        KeptFileNotice? notice = null;
        lock (_busy)
        {
            if (_isDisposed)
                return;
            _isDisposed = true;
            ProcessEnd.Remove(SaveAtEnd);
            _timer.Dispose();
            try
            {
                SaveNow(out notice);
            }
            finally
            {
                KeptPaths.All.TryRemove(Path, out _);
            }
        }
        Tell(notice);
    }

    private T Open()
    {
        if (WholeFile.Find(Path) is not { } bytes)
            return T.CreateState();
        if (TryRead(bytes, out var problem) is { } read)
        {
            (_isMissing, _digest) = (false, Digest(bytes));
            return read;
        }
        _notices.Add(PutAside(bytes, KeptFileChange.Unreadable, problem));
        return T.CreateState();
    }

    private T? TryRead(byte[] bytes, out SaveException? problem)
    {
        problem = null;
        try
        {
            var file = SavedFile.FromBytes(bytes, new SaveLocation { File = Path });
            return _decode(file);
        }
        catch (SaveException exception)
        {
            problem = exception;
            return null;
        }
    }

    private bool SaveNow(out KeptFileNotice? notice)
    {
        (notice, _waiting) = (null, null);
        return !IsSaved && Write(WholeState.ToBytes(State, _options.Form), StateContent.Copy(State), out notice);
    }

    /// <summary>Writes what is new here. What another program has written since is kept beside it.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="copy">A copy of the object that was encoded.</param>
    /// <param name="notice">What is to be told.</param>
    private bool Write(byte[] bytes, T copy, out KeptFileNotice? notice)
    {
        (notice, _waiting) = (null, null);
        if (WholeFile.Find(Path) is { } there && !IsKnown(there))
        {
            // Nothing was changed here: initial values replace nobody's file.
            if (StateContent.AreEqual(copy, _baseline))
                return false;
            notice = PutAside(there, KeptFileChange.Conflict, null);
        }
        _storage.Write(_name, new(bytes), replace: true);
        (_baseline, _digest, _isMissing) = (copy, Digest(bytes), false);
        return true;
    }

    /// <summary>The timer's turn, on its own thread.</summary>
    private void WriteWaiting()
    {
        KeptFileNotice? notice = null;
        lock (_busy)
        {
            if (_waiting is not var (bytes, copy) || _isDisposed)
                return;
            try
            {
                Write(bytes, copy, out notice);
            }
            catch (SaveException problem)
            {
                notice = new KeptFileNotice(KeptFileChange.NotSaved, null, problem);
            }
        }
        Tell(notice);
    }

    /// <summary>The process ends. After a signal the game's own thread still runs, and may be changing the object.</summary>
    private void SaveAtEnd()
    {
        if (!Monitor.TryEnter(_busy, LongestWait))
            return;
        try
        {
            var waiting = _waiting;
            for (var attempt = 0; attempt < 20 && !_isDisposed; attempt++)
            {
                try
                {
                    SaveNow(out _);
                    return;
                }
                catch (Exception exception) when (exception is not (OutOfMemoryException or StorageException))
                {
                    // It changed while it was copied.
                }
            }
            if (waiting is var (bytes, copy))
                Write(bytes, copy, out _);
        }
        finally
        {
            Monitor.Exit(_busy);
        }
    }

    /// <summary>Keeps a file beside the one that it would be lost with, under the first name that is free.</summary>
    private KeptFileNotice PutAside(byte[] bytes, KeptFileChange why, SaveException? problem)
    {
        var word = why == KeptFileChange.Conflict ? "other" : "unreadable";
        var (stem, extension) = (System.IO.Path.GetFileNameWithoutExtension(_name), System.IO.Path.GetExtension(_name));
        for (var number = 1; ; number++)
        {
            var name = number == 1 ? $"{stem}.{word}{extension}" : $"{stem}.{word}-{number}{extension}";
            var former = WholeFile.Find(_storage.Locate(name));
            if (former is not null && !former.AsSpan().SequenceEqual(bytes))
                continue;
            try
            {
                if (former is null)
                    _storage.Write(name, new(bytes), replace: false, like: _name);
            }
            catch (StorageException) when (WholeFile.Find(_storage.Locate(name)) is not null)
            {
                // Another program puts something aside as well, and was faster.
                number--;
                continue;
            }
            (_digest, _isMissing) = (Digest(bytes), true);
            return new KeptFileNotice(why, _storage.Locate(name), problem);
        }
    }

    private bool IsSaved => !_isMissing && StateContent.AreEqual(State, _baseline);

    private bool IsKnown(byte[]? bytes) =>
        bytes is null ? _digest is null : _digest is not null && Digest(bytes).AsSpan().SequenceEqual(_digest);

    private static byte[] Digest(byte[] bytes) => SHA256.HashData(bytes);

    private static TimeSpan Max(TimeSpan one, TimeSpan other) => one > other ? one : other;

    private void RefuseDisposed() => ObjectDisposedException.ThrowIf(_isDisposed, this);

    private void Tell(KeptFileNotice? notice)
    {
        if (notice is null)
            return;
        lock (_notices)
            _notices.Add(notice);
        try
        {
            Noticed?.Invoke(this, notice);
        }
        catch (Exception exception) when (exception is not OutOfMemoryException)
        {
            // What the game makes of it does not undo what was done.
        }
    }
}

/// <summary>The files that objects of this process keep.</summary>
internal static class KeptPaths
{
    public static ConcurrentDictionary<string, bool> All { get; } = new(StringComparer.Ordinal);
}

using System.Buffers;
using Lodrik.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>A storage whose changes wait until a test lets them go, one by one or all; a test also says which of them fail.</summary>
internal sealed class GatedStorage : ISaveStorage
{
    private readonly MemoryStorage _inner = new();
    private readonly Queue<TaskCompletionSource> _waiting = [];
    private bool _isOpen = true;

    /// <summary>Says of each change, by its number, what it fails with; null for none.</summary>
    public Func<int, Exception?> Failure { get; set; } = _ => null;

    public int Changes { get; private set; }

    public string Description => _inner.Description;

    /// <summary>From here on changes wait.</summary>
    public void Shut()
    {
        lock (_waiting)
            _isOpen = false;
    }

    /// <summary>Lets all go that wait, and those that come.</summary>
    public void Open()
    {
        lock (_waiting)
        {
            _isOpen = true;
            while (_waiting.TryDequeue(out var next))
                next.SetResult();
        }
    }

    /// <summary>Lets the one go that has waited longest, if one does.</summary>
    public void LetOneGo()
    {
        lock (_waiting)
        {
            if (_waiting.TryDequeue(out var next))
                next.SetResult();
        }
    }

    public IReadOnlyList<StoredFile> List(string folder) => _inner.List(folder);

    public byte[]? ReadRange(string name, long offset, int count) => _inner.ReadRange(name, offset, count);

    public byte[]? Read(string name) => _inner.Read(name);

    public void Write(string name, ReadOnlySequence<byte> bytes, bool replace)
    {
        Pass().GetAwaiter().GetResult();
        _inner.Write(name, bytes, replace);
    }

    public bool Delete(string name)
    {
        Pass().GetAwaiter().GetResult();
        return _inner.Delete(name);
    }

    public async ValueTask WriteAsync(string name, ReadOnlySequence<byte> bytes, bool replace, CancellationToken cancellationToken = default)
    {
        await Pass().ConfigureAwait(false);
        _inner.Write(name, bytes, replace);
    }

    public async ValueTask<bool> DeleteAsync(string name, CancellationToken cancellationToken = default)
    {
        await Pass().ConfigureAwait(false);
        return _inner.Delete(name);
    }

    public StorageHold TryHold() => StorageHold.Held(new MemoryStream());

    public string Locate(string name) => _inner.Locate(name);

    private async Task Pass()
    {
        TaskCompletionSource? gate = null;
        Exception? failure;
        lock (_waiting)
        {
            failure = Failure(++Changes);
            if (!_isOpen)
                _waiting.Enqueue(gate = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously));
        }
        if (gate is not null)
            await gate.Task.ConfigureAwait(false);
        if (failure is not null)
            throw failure;
    }
}

using System.Buffers;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>One player's part of a storage: everything lies below <c>profiles/name</c>.</summary>
internal sealed class ProfileStorage(ISaveStorage storage, SlotName profile) : ISaveStorage
{
    public const string Folder = "profiles";

    private readonly string _prefix = $"{Folder}/{profile}/";

    public string Description => storage.Locate(_prefix.TrimEnd('/'));

    /// <summary>The storage that the profiles share.</summary>
    public ISaveStorage Whole => storage;

    public IReadOnlyList<StoredFile> List(string folder) => WithoutPrefix(storage.List(Below(folder)));

    public byte[]? ReadRange(string name, long offset, int count) => storage.ReadRange(_prefix + name, offset, count);

    public byte[]? Read(string name) => storage.Read(_prefix + name);

    public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => storage.Write(_prefix + name, bytes, replace);

    public void WriteAll(IReadOnlyList<StoredContent> files) => storage.WriteAll(WithPrefix(files));

    public bool Delete(string name) => storage.Delete(_prefix + name);

    public string Locate(string name) => storage.Locate(_prefix + name);

    // All profiles of a place have one writer.
    public object Place => storage.Place;

    public StorageHold TryHold() => storage.TryHold();

    public async ValueTask<IReadOnlyList<StoredFile>> ListAsync(string folder, CancellationToken cancellationToken = default) =>
        WithoutPrefix(await storage.ListAsync(Below(folder), cancellationToken).ConfigureAwait(false));

    public ValueTask<byte[]?> ReadRangeAsync(string name, long offset, int count, CancellationToken cancellationToken = default) =>
        storage.ReadRangeAsync(_prefix + name, offset, count, cancellationToken);

    public ValueTask<byte[]?> ReadAsync(string name, CancellationToken cancellationToken = default) =>
        storage.ReadAsync(_prefix + name, cancellationToken);

    public ValueTask WriteAsync(string name, ReadOnlySequence<byte> bytes, bool replace, CancellationToken cancellationToken = default) =>
        storage.WriteAsync(_prefix + name, bytes, replace, cancellationToken);

    public ValueTask WriteAllAsync(IReadOnlyList<StoredContent> files, CancellationToken cancellationToken = default) =>
        storage.WriteAllAsync(WithPrefix(files), cancellationToken);

    public ValueTask<bool> DeleteAsync(string name, CancellationToken cancellationToken = default) =>
        storage.DeleteAsync(_prefix + name, cancellationToken);

    public ValueTask<StorageHold> TryHoldAsync(CancellationToken cancellationToken = default) => storage.TryHoldAsync(cancellationToken);

    private string Below(string folder) => $"{_prefix}{folder}".TrimEnd('/');

    private List<StoredContent> WithPrefix(IReadOnlyList<StoredContent> files) =>
        [.. files.Select(file => file with { Name = _prefix + file.Name })];

    private List<StoredFile> WithoutPrefix(IReadOnlyList<StoredFile> files) =>
        [.. files.Select(file => file with { Name = file.Name[_prefix.Length..] })];
}

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

    public IReadOnlyList<StoredFile> List(string folder) =>
        [.. storage.List($"{_prefix}{folder}".TrimEnd('/')).Select(file => file with { Name = file.Name[_prefix.Length..] })];

    public byte[]? Read(string name, long offset, int count) => storage.Read(_prefix + name, offset, count);

    public byte[]? Read(string name) => storage.Read(_prefix + name);

    public void Write(string name, ReadOnlyMemory<byte> bytes, bool replace) => storage.Write(_prefix + name, bytes, replace);

    public bool Delete(string name) => storage.Delete(_prefix + name);

    public string Locate(string name) => storage.Locate(_prefix + name);

    // All profiles of a place have one writer.
    public object Place => storage.Place;

    public StorageHold TryHold() => storage.TryHold();
}

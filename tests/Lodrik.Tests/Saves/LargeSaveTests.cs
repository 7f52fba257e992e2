using System.Buffers;
using System.Security.Cryptography;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Storage;
using Lodrik.Tests.Slots;

namespace Lodrik.Tests.Saves;

/// <summary>A large save is in memory once while it is written.</summary>
public sealed class LargeSaveTests
{
    /// <summary>Sizes around that from which on a section is not copied, small and large ones beside each other.</summary>
    private static readonly int[] Sizes = [0, 40_000, 65_530, 65_535, 65_536, 100_000];

    public static TheoryData<SaveForm, string> Forms => new(
        from form in Enum.GetValues<SaveForm>() from how in new[] { "plain", "sealed", "signed", "encrypted" } select (form, how));

    private static readonly SaveKey Secret = SaveKey.FromBytes("secret", RandomNumberGenerator.GetBytes(32));

    [Theory, MemberData(nameof(Forms))]
    public void A_save_of_small_and_large_sections_is_read_as_it_was(SaveForm form, string how)
    {
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var protection = how switch
        {
            "sealed" => SaveProtection.With(Secret),
            "signed" => SaveProtection.With(SaveKey.Signing("studio", pair.ExportPkcs8PrivateKeyPem())),
            "encrypted" => SaveProtection.Encrypted(Secret),
            _ => null,
        };
        var storage = new SegmentStorage();
        using var store = SaveStore<MarshMapSave>.Open(new SaveStoreOptions { Storage = storage, Form = form, Protection = protection });
        foreach (var size in Sizes)
        {
            var map = MarshMapSave.Of(size, 70_000, 10, size);
            var receipt = store.Save("evening", map);
            Assert.Equal(storage.Segments.Sum(), receipt.ByteCount);
            Assert.True(storage.Segments.Count > 1);
            var file = SavedFile.FromBytes(storage.Read($"slots/evening/{receipt.Generation:D8}{(how == "encrypted" ? ".lodrik" : form.FileExtension())}")!);
            Assert.Equal(SectionHealth.Intact, file.Health);
            if (protection is not null)
                file.CheckSeal(protection);
            var loaded = store.Load("evening").State;
            Assert.Equal(
                [map.North.Tiles, map.East.Tiles, map.South.Tiles, map.West.Tiles],
                [loaded.North.Tiles, loaded.East.Tiles, loaded.South.Tiles, loaded.West.Tiles]);
        }
    }

    [Fact]
    public void A_file_of_several_segments_is_written_to_the_disk_and_to_streams_as_it_is()
    {
        var map = MarshMapSave.Of(100_000, 0, 70_000, 5);
        var folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
        try
        {
            var path = Path.Combine(folder, "map.lodrik");
            StateFile.Write(path, map, SaveForm.Binary);
            Assert.Equal(map.North.Tiles, StateFile.Read<MarshMapSave>(path).North.Tiles);
            using var stream = new MemoryStream();
            StateFile.Write(stream, map, SaveForm.Xml);
            Assert.Equal(map.South.Tiles, StateFile.FromBytes<MarshMapSave>(stream.ToArray()).South.Tiles);
            Assert.Equal(map.North.Tiles, StateFile.FromText<MarshMapSave>(StateFile.ToText(map)).North.Tiles);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Theory]
    [InlineData(1)]
    [InlineData(64)]
    public void The_second_save_allocates_no_more_than_its_own_size(int sections)
    {
        using var store = SaveStore<MarshMapSave>.Open(new SaveStoreOptions { Storage = new SegmentStorage(), Form = SaveForm.Binary });
        var map = MarshMapSave.Of(0, 0, 0, 0);
        map.Logs.Lines.AddRange(Enumerable.Range(0, 300_000).Select(i => RandomNumberGenerator.GetHexString(32) + (i % sections)));
        var size = store.Save("evening", map).ByteCount;
        Assert.True(size > 9 << 20);
        var before = GC.GetAllocatedBytesForCurrentThread();
        store.Save("evening", map);
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, (long)(1.3 * size));
    }

    [Fact]
    public void The_first_save_after_a_load_allocates_no_more_than_its_own_size()
    {
        var storage = new MemoryStorage();
        var map = MarshMapSave.Of(0, 0, 0, 0);
        map.Logs.Lines.AddRange(Enumerable.Range(0, 300_000).Select(_ => RandomNumberGenerator.GetHexString(32)));
        using (var before = SaveStore<MarshMapSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary }))
            before.Save("evening", map);
        using var store = SaveStore<MarshMapSave>.Open(new SaveStoreOptions { Storage = storage, Form = SaveForm.Binary });
        var loaded = store.Load("evening").State;
        var allocated = GC.GetAllocatedBytesForCurrentThread();
        var size = store.Save("evening", loaded).ByteCount;
        // The storage keeps a copy of the file, as a disk would.
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - allocated, 0, (long)(2.3 * size));
    }

    /// <summary>A storage that notes in how many pieces a file came.</summary>
    private sealed class SegmentStorage : ISaveStorage
    {
        private readonly MemoryStorage _inner = new();

        public List<int> Segments { get; private set; } = [];

        public string Description => "pieces";

        public IReadOnlyList<StoredFile> List(string folder) => _inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count) => _inner.ReadRange(name, offset, count);

        public byte[]? Read(string name) => _inner.Read(name);

        public void Write(string name, ReadOnlySequence<byte> bytes, bool replace)
        {
            Segments = [];
            foreach (var segment in bytes)
                Segments.Add(segment.Length);
            if (bytes.Length < 8 << 20)
                _inner.Write(name, bytes, replace);
        }

        public bool Delete(string name) => _inner.Delete(name);

        public string Locate(string name) => _inner.Locate(name);
    }
}

[SaveFile("marsh-map")]
public sealed partial class MarshMapSave
{
    public MarshMap North { get; set; } = new();

    public MarshMap East { get; set; } = new();

    public MarshMap South { get; set; } = new();

    public MarshMap West { get; set; } = new();

    public Log Logs { get; set; } = new();

    public static MarshMapSave Of(int north, int east, int south, int west) =>
        new() { North = MarshMap.Of(north), East = MarshMap.Of(east), South = MarshMap.Of(south), West = MarshMap.Of(west) };
}

[StateType]
public sealed partial class MarshMap
{
    public byte[] Tiles { get; set; } = [];

    public static MarshMap Of(int size)
    {
        var map = new MarshMap { Tiles = new byte[size] };
        new Random(size).NextBytes(map.Tiles);
        return map;
    }
}

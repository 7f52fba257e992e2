using System.Security.Cryptography;
using Lodrik.Protection;
using Lodrik.Storage;
using Lodrik.Tests.Migrations;

namespace Lodrik.Tests.Protection;

/// <summary>Stores and saves of the ferry game, and the keys that they are protected by.</summary>
internal static class SampleFerries
{
    public static byte[] Secret { get; } = SHA256.HashData("of the tests"u8);

    public static SaveKey Key(string id = "secret") => SaveKey.FromBytes(id, SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(id)));

    public static SaveStore<FerryV1> Open(
        ISaveStorage storage, SaveProtection? protection, SaveForm form = SaveForm.Json, SaveCompression compression = SaveCompression.None, int keep = 5,
        SaveTreatment tampered = SaveTreatment.Refuse, SaveTreatment replayed = SaveTreatment.Mark) =>
        SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = storage, Form = form, Compression = compression, Protection = protection, KeepGenerations = keep, TamperedSaves = tampered, ReplayedSaves = replayed });

    public static FerryV1 Sample(int hp = 7) => new() { Pilot = { Hp = hp, Hold = [new CargoV1 { What = "salt", Number = 3 }] }, Route = { Crossings = 12 }, Log = ["cast off"] };

    public static SaveLabel Label(string title = "On the river") => new() { Title = title, Summary = [new("place", "weir"), new("day", 3)] };

    /// <summary>The files of saves in a storage, in order.</summary>
    public static List<string> Files(ISaveStorage storage) => [.. storage.List("slots").Select(file => file.Name).Order(StringComparer.Ordinal)];

    /// <summary>The one save of a store that was just made.</summary>
    public static byte[] Save(SaveProtection? protection, SaveForm form = SaveForm.Json, SaveCompression compression = SaveCompression.None, int hp = 7)
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, protection, form, compression);
        store.Save("evening", Sample(hp), Label());
        return storage.Read(Files(storage).Single())!;
    }
}

using System.IO.Compression;
using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>A slot as one file: out, and in again, from anybody.</summary>
public sealed class SlotFileTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
    private readonly MemoryStorage _memory = new();
    private readonly SaveStore<LogSave> _store;

    public SlotFileTests() => _store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _memory });

    private string Zip => Path.Combine(_folder, "evening.zip");

    public void Dispose()
    {
        _store.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task A_slot_goes_out_and_comes_in_with_its_history_its_pictures_and_its_name()
    {
        _store.Save("evening", At(1), Label(1, "雪山"));
        _store.Save("evening", At(2), Label(2) with { Attachments = new Dictionary<string, ReadOnlyMemory<byte>> { ["recording.bin"] = "tide"u8.ToArray() } });
        await _store.ExportSlotAsync("evening", Zip, cancellationToken: TestContext.Current.CancellationToken);
        using (var zip = ZipFile.OpenRead(Zip))
            Assert.Equal(["evening/name.txt", "evening/00000001.json", "evening/00000001.png", "evening/00000002.json", "evening/00000002.png", "evening/00000002.recording.bin"], zip.Entries.Select(entry => entry.FullName));

        using var other = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() });
        var imported = await other.ImportSlotAsync(Zip, cancellationToken: TestContext.Current.CancellationToken);
        Assert.Equal(("evening", 2, 0), (imported.Slot.ToString(), imported.GenerationCount, imported.PassedOver.Count));
        Assert.Equal("雪山", other.List()[0].Name);
        Assert.Equal(2, other.Load("evening").State.Log.Day);
        Assert.Equal(1, other.LoadGeneration("evening", 1).State.Log.Day);
        Assert.Equal(_store.ReadThumbnail("evening", 1), other.ReadThumbnail("evening", 1));
        Assert.Equal("tide"u8.ToArray(), other.ReadAttachment("evening", "recording.bin"));

        // Once more it becomes a slot of its own, which the player can tell from the first.
        Assert.Equal("evening-2", other.ImportSlot(Zip).Slot.ToString());
        Assert.Equal(["雪山", "雪山 (2)"], other.List().Select(slot => slot.Name).Order());
        Assert.Equal("late", other.ImportSlot(Zip, "late").Slot.ToString());
        Assert.Throws<SlotTakenException>(() => other.ImportSlot(Zip, "late"));
    }

    [Fact]
    public async Task A_file_that_is_there_is_replaced_only_if_that_is_allowed()
    {
        _store.Save("evening", At(1));
        File.WriteAllText(Zip, "something else");
        Assert.Throws<StorageException>(() => _store.ExportSlot("evening", Zip));
        Assert.Equal("something else", File.ReadAllText(Zip));
        _store.ExportSlot("evening", Zip, Overwrite.Allowed);
        Assert.Equal("evening-2", _store.ImportSlot(Zip).Slot.ToString());
        Assert.Equal(SaveErrorCode.NoSuchSlot, Assert.Throws<SlotException>(() => _store.ExportSlot("morning", Zip)).Code);
        using var slots = SaveSlots.Open(_memory);
        slots.ExportSlot("evening", Zip, Overwrite.Allowed);
        await slots.ExportSlotAsync("evening", Zip, Overwrite.Allowed, TestContext.Current.CancellationToken);
        Assert.Equal("evening-3", slots.ImportSlot(Zip).Slot.ToString());
        Assert.Equal("evening-4", (await slots.ImportSlotAsync(Zip, cancellationToken: TestContext.Current.CancellationToken)).Slot.ToString());
    }

    [Fact]
    public void What_is_damaged_or_another_games_stays_out()
    {
        _store.Save("evening", At(1));
        _store.Save("evening", At(2));
        _store.ExportSlot("evening", Zip);
        Change(Zip, zip =>
        {
            var entry = zip.GetEntry("evening/00000002.json")!;
            var bytes = Read(entry);
            entry.Delete();
            Write(zip, "evening/00000002.json", bytes.AsSpan(0, bytes.Length / 2).ToArray());
            Write(zip, "evening/00000003.json", StateFile.ToBytes(new Log()));
            Write(zip, "__MACOSX/evening/._00000001.json", [1, 2, 3]);
            Write(zip, "evening/readme.txt", "for support"u8.ToArray());
        });
        var imported = _store.ImportSlot(Zip, "from-support");
        Assert.Equal((1, 2), (imported.GenerationCount, imported.PassedOver.Count));
        Assert.Contains(imported.PassedOver, problem => problem.Location.Generation == 2);
        Assert.Equal(1, _store.Load("from-support").State.Log.Day);
        Assert.All(_memory.List("slots/from-support"), file => Assert.EndsWith(".json", file.Name, StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("not a zip", "The file is not a ZIP archive")]
    [InlineData("cut", "The file is not a ZIP archive")]
    [InlineData("empty", "contains no save")]
    [InlineData("two slots", "several slots")]
    [InlineData("one number twice", "have the same number")]
    [InlineData("only damaged", "")]
    [InlineData("another game", "It is a save of \"other-log\"")]
    [InlineData("bomb", "far larger than a file of this size should")]
    [InlineData("encrypted", "is encrypted")]
    public void A_strangers_file_is_refused_with_a_reason_and_changes_nothing(string kind, string reason)
    {
        var save = StateFile.ToBytes(At(1));
        switch (kind)
        {
            case "not a zip":
                File.WriteAllText(Zip, "PK, or so");
                break;
            case "another game":
                using (var other = SaveStore<OtherLogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage() }))
                {
                    other.Save("evening", new OtherLogSave());
                    other.ExportSlot("evening", Zip);
                }
                break;
            default:
                using (var zip = ZipFile.Open(Zip, ZipArchiveMode.Create))
                {
                    foreach (var (name, bytes) in kind switch
                    {
                        "empty" => [("evening/readme.txt", save)],
                        "two slots" => [("evening/00000001.json", save), ("late/00000002.json", save)],
                        "one number twice" => [("evening/00000001.json", save), ("evening/00000001.xml", save)],
                        "only damaged" => [("evening/00000001.json", save.AsSpan(0, 20).ToArray())],
                        "bomb" => [("evening/00000001.json", new byte[300 << 20])],
                        _ => new (string, byte[])[] { ("evening/00000001.json", save) },
                    })
                        Write(zip, name, bytes);
                }
                var all = File.ReadAllBytes(Zip);
                if (kind == "cut")
                    File.WriteAllBytes(Zip, all.AsSpan(0, all.Length - 30).ToArray());
                if (kind == "encrypted")
                {
                    // The flag of an encrypted entry, in the entry and in the directory (APPNOTE 4.4.4).
                    all[6] |= 1;
                    all[all.AsSpan().LastIndexOf("PK\u0001\u0002"u8) + 8] |= 1;
                    File.WriteAllBytes(Zip, all);
                }
                break;
        }
        var problem = Assert.ThrowsAny<SaveException>(() => _store.ImportSlot(Zip));
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
        Assert.Empty(_memory.List(""));
    }

    [Theory]
    [InlineData("../../../etc/00000001.json"), InlineData("/00000001.json"), InlineData("C:\\saves\\..\\00000001.json"), InlineData("00000001.exe"), InlineData("con/00000001.json")]
    public void Names_in_a_strangers_file_lead_nowhere_but_to_the_slot(string name)
    {
        using (var zip = ZipFile.Open(Zip, ZipArchiveMode.Create))
            Write(zip, name, StateFile.ToBytes(At(1), SaveForm.Json));
        var slot = _store.ImportSlot(Zip).Slot;
        Assert.Equal($"slots/{slot}/00000001.json", Assert.Single(_memory.List("")).Name);
    }

    [Fact]
    public void A_picture_that_is_not_the_saves_own_stays_out()
    {
        _store.Save("evening", At(1), Label(1));
        _store.ExportSlot("evening", Zip);
        Change(Zip, zip =>
        {
            zip.GetEntry("evening/00000001.png")!.Delete();
            Write(zip, "evening/00000001.png", [.. Label(9).Thumbnail.ToArray()]);
        });
        Assert.Equal("slots/evening-2/00000001.json", Assert.Single(_memory.List($"slots/{_store.ImportSlot(Zip).Slot}")).Name);
    }

    [Fact]
    public void Random_changes_of_a_file_end_in_a_slot_or_in_an_error_of_ours()
    {
        _store.Save("evening", At(1), Label(1));
        _store.Save("evening", At(2), Label(2, "Evening"));
        _store.ExportSlot("evening", Zip);
        var whole = File.ReadAllBytes(Zip);
        var random = new Random(7);
        var imported = 0;
        for (var i = 0; i < 400; i++)
        {
            var bytes = whole.ToArray();
            for (var change = random.Next(1, 4); change > 0; change--)
                bytes[random.Next(bytes.Length)] = (byte)random.Next(256);
            File.WriteAllBytes(Zip, bytes);
            var memory = new MemoryStorage();
            using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = memory });
            SlotName slot;
            try
            {
                slot = store.ImportSlot(Zip).Slot;
                imported++;
            }
            catch (SaveException)
            {
                Assert.Empty(store.List());
                continue;
            }
            // Only a save that was edited by hand holds anything else, or values that do not fit; what says so is its digest.
            var file = store.History(slot)[0].File;
            var isEdited = Lodrik.Inspection.SavedFile.FromBytes(memory.Read(file)!).Opened.IsEdited;
            try
            {
                Assert.True(store.Load(slot).State.Log.Day is 1 or 2 || isEdited, $"change {i}: another day, in a save that is not edited");
            }
            catch (SaveException problem)
            {
                Assert.True(isEdited, $"change {i}: {problem}");
                // Another version in the header is imported as such: the list says what is wrong with it.
                Assert.Contains(problem.Code, new[] { SaveErrorCode.WrongContent, SaveErrorCode.MissingMigration, SaveErrorCode.NewerVersion });
            }
        }
        Assert.InRange(imported, 10, 399);
    }

    [Fact]
    public void A_store_that_counts_takes_an_import_for_no_old_save_and_fixed_places_stay_fixed()
    {
        _store.Save("evening", At(1));
        _store.ExportSlot("evening", Zip);
        var key = SaveKey.FromBytes("secret", System.Security.Cryptography.RandomNumberGenerator.GetBytes(32));
        var options = new SaveStoreOptions
        {
            Storage = new MemoryStorage(),
            Places = ["one", "two"],
            Protection = SaveProtection.With(key) with { HasCounter = true },
        };
        using var counting = SaveStore<LogSave>.Open(options);
        counting.Save("one", At(5));
        var sealed1 = Path.Combine(_folder, "one.zip");
        counting.ExportSlot("one", sealed1);
        counting.Save("one", At(6));
        Assert.Equal(SaveErrorCode.BadSlotName, Assert.Throws<SlotException>(() => counting.ImportSlot(sealed1)).Code);
        counting.ImportSlot(sealed1, "two");
        var loaded = counting.Load("two");
        Assert.Equal((5, null), (loaded.State.Log.Day, loaded.Replay));
    }

    private static void Change(string file, Action<ZipArchive> change)
    {
        using var zip = ZipFile.Open(file, ZipArchiveMode.Update);
        change(zip);
    }

    private static byte[] Read(ZipArchiveEntry entry)
    {
        using var stream = entry.Open();
        using var bytes = new MemoryStream();
        stream.CopyTo(bytes);
        return bytes.ToArray();
    }

    private static void Write(ZipArchive zip, string name, byte[] bytes)
    {
        using var stream = zip.CreateEntry(name).Open();
        stream.Write(bytes);
    }

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    private static SaveLabel Label(int day, string? name = null) => new()
    {
        Title = $"day {day}",
        Name = name,
        Thumbnail = new byte[] { 0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, (byte)day },
    };
}

[SaveFile("other-log")]
public sealed partial class OtherLogSave
{
    public Log Log { get; set; } = new();
}

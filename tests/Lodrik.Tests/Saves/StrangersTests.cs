using System.Globalization;
using System.Numerics;
using System.Security.Cryptography;
using System.Text;
using Lodrik.Codes;
using Lodrik.Formats.Binary.Tables;
using Lodrik.Fuzz;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.Scenes;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Slots;

namespace Lodrik.Tests.Saves;

/// <summary>What strangers put into a folder, a header, a key or a scene; and that nobody writes what nobody reads.</summary>
public sealed class StrangersTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public static TheoryData<SaveForm> Forms => [.. Enum.GetValues<SaveForm>()];

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    // Links.

    [Fact]
    public void A_slot_that_is_a_link_is_neither_listed_read_written_nor_deleted()
    {
        var (store, elsewhere) = (Path.Combine(_folder, "store"), Path.Combine(_folder, "elsewhere"));
        using (var other = SaveStore<LogSave>.Open(elsewhere))
            other.Save("evening", new LogSave { Log = { Day = 7 } });
        using var saves = SaveStore<LogSave>.Open(store);
        saves.Save("morning", new LogSave { Log = { Day = 1 } });
        Directory.CreateSymbolicLink(Path.Combine(store, "slots", "evening"), Path.Combine(elsewhere, "slots", "evening"));
        Assert.Equal(["morning"], saves.List().Select(slot => slot.Slot.ToString()));
        Assert.False(saves.Load("evening").Found);
        Assert.False(saves.Delete("evening"));
        Assert.Contains("A link has the name of the folder", Assert.Throws<StorageException>(() => saves.Save("evening", new LogSave())).Message, StringComparison.Ordinal);
        using var untouched = SaveStore<LogSave>.Open(elsewhere);
        Assert.Equal(7, untouched.Load("evening").State.Log.Day);
    }

    [Fact]
    public void A_save_that_is_a_link_is_a_strangers()
    {
        using var saves = SaveStore<LogSave>.Open(_folder);
        saves.Save("morning", new LogSave { Log = { Day = 1 } });
        var other = Path.Combine(_folder, "other.json");
        File.WriteAllBytes(other, StateFile.ToBytes(new LogSave { Log = { Day = 9 } }));
        File.CreateSymbolicLink(Path.Combine(_folder, "slots", "morning", "00000002.json"), other);
        Assert.Equal([1], saves.History("morning").Select(one => one.Number));
        Assert.Equal(1, saves.Load("morning").State.Log.Day);
        var storage = new DirectoryStorage(_folder);
        Assert.Null(storage.Read("slots/morning/00000002.json"));
        Assert.Null(storage.ReadRange("slots/morning/00000002.json", 0, 10));
    }

    [Fact]
    public void No_file_of_the_store_is_written_through_a_link()
    {
        var victim = Path.Combine(_folder, "victim");
        File.WriteAllText(victim, "mine");
        var store = Path.Combine(_folder, "store");
        Directory.CreateDirectory(store);
        foreach (var name in new[] { "lock.holder", "settings.json", "counter.jws" })
            File.CreateSymbolicLink(Path.Combine(store, name), victim);
        using (var saves = SaveStore<LogSave>.Open(store))
        {
            saves.Save("morning", new LogSave());
            saves.Settings<Log>().Save(new Log { Day = 3 });
            Assert.Equal(3, saves.Settings<Log>().LoadOrNew().Value.Day);
        }
        Assert.Equal("mine", File.ReadAllText(victim));
    }

    [Fact]
    public void The_folder_of_the_store_itself_may_be_a_link()
    {
        var real = Directory.CreateDirectory(Path.Combine(_folder, "other disk")).FullName;
        var link = Path.Combine(_folder, "saves");
        Directory.CreateSymbolicLink(link, real);
        using var saves = SaveStore<LogSave>.Open(link);
        saves.Save("morning", new LogSave { Log = { Day = 4 } });
        Assert.Equal(4, saves.Load("morning").State.Log.Day);
        Assert.True(File.Exists(Path.Combine(real, "slots", "morning", "00000001.json")));
    }

    [Fact]
    public void What_replaces_a_file_is_for_the_same_people()
    {
        if (OperatingSystem.IsWindows())
            return;
        var storage = new DirectoryStorage(_folder);
        storage.Write("a", "one"u8.ToArray(), replace: false);
        const UnixFileMode OwnersOnly = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        File.SetUnixFileMode(Path.Combine(_folder, "a"), OwnersOnly);
        storage.Write("a", "two"u8.ToArray(), replace: true);
        Assert.Equal(OwnersOnly, File.GetUnixFileMode(Path.Combine(_folder, "a")));
    }

    // Limits.

    [Theory, MemberData(nameof(Forms))]
    public void A_number_that_could_not_be_read_is_not_written(SaveForm form)
    {
        foreach (var sign in new[] { 1, -1 })
        {
            var largest = sign * (BigInteger.Pow(10, 4095) - 1);
            var fits = new Numbers { Number = largest };
            Assert.Equal(largest, StateFile.FromBytes<Numbers>(StateFile.ToBytes(fits, form)).Number);
            foreach (var number in new[] { largest + sign, sign * BigInteger.Pow(10, 5000) })
            {
                var problem = Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(new Numbers { Number = number }, form));
                Assert.Equal((SaveErrorCode.LimitExceeded, "/number"), (problem.Code, problem.Location.Path));
            }
        }
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_number_that_could_not_be_written_is_not_read(SaveForm form)
    {
        var digits = new string('7', 4096);
        byte[] bytes = form switch
        {
            SaveForm.Json => Encoding.UTF8.GetBytes($"{{\"number\":{digits}}}"),
            SaveForm.Xml => Encoding.UTF8.GetBytes($"<save><number>{digits}</number></save>"),
            _ => RawSave.Packed(("number", [0xC2, 0x59, 0x06, 0xA5, .. BigInteger.Parse(digits, CultureInfo.InvariantCulture).ToByteArray(isUnsigned: true, isBigEndian: true)])),
        };
        var problem = Assert.ThrowsAny<SaveException>(() => SavedFile.FromBytes(bytes).ReadTree());
        Assert.Contains("4095 digits", problem.Message, StringComparison.Ordinal);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_header_that_no_list_would_read_is_not_written(SaveForm form)
    {
        using var saves = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), Form = form });
        var problem = Assert.Throws<UnsavableStateException>(() => saves.Save("morning", new LogSave(), new SaveLabel { Title = new string('x', 1 << 20) }));
        Assert.Equal(SaveErrorCode.LimitExceeded, problem.Code);
        saves.Save("morning", new LogSave(), new SaveLabel { Title = new string('x', 500_000) });
        Assert.Equal(500_000, Assert.Single(saves.List()).Title.Length);
    }

    [Fact]
    public void A_list_reads_no_more_of_a_file_than_a_header_may_take()
    {
        var storage = new CountingStorage();
        using var saves = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage });
        saves.Save("morning", new LogSave());
        // No header at all, and eight megabytes of it.
        storage.Write("slots/morning/00000002.json", Encoding.UTF8.GetBytes("{\"log\":{\"lines\":[\"" + new string('x', 8 << 20) + "\"]}}"), replace: false);
        storage.Count = 0;
        saves.List();
        Assert.InRange(storage.Count, 1, 3 << 20);
        Assert.Equal(2, saves.History("morning").Count);
    }

    // Headers.

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    public void An_edited_title_is_told(SaveForm form)
    {
        var storage = new MemoryStorage();
        using var saves = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Form = form, EditedSaves = SaveTreatment.Refuse });
        saves.Save("morning", new LogSave(), new SaveLabel { Title = "By the mill" });
        var name = $"slots/morning/00000001{form.FileExtension()}";
        var bytes = storage.Read(name)!;
        Assert.Equal((SectionHealth.Intact, SectionHealth.Intact), (SavedFile.FromBytes(bytes).Health, SavedFile.FromBytes(bytes).HeaderHealth));
        var text = Encoding.UTF8.GetString(bytes);
        foreach (var edited in new[] { text.Replace("By the mill", "By the weir", StringComparison.Ordinal), text.Replace("\"game\": ", "\"game\":  ", StringComparison.Ordinal).Replace("<game>", "<game >", StringComparison.Ordinal), WithoutDigest(text, form) })
        {
            Assert.NotEqual(text, edited);
            var file = SavedFile.FromBytes(Encoding.UTF8.GetBytes(edited));
            Assert.Equal((SectionHealth.EditedByHand, SectionHealth.EditedByHand), (file.Health, file.HeaderHealth));
            Assert.All(file.Sections, section => Assert.Equal(SectionHealth.Intact, section.Health));
            storage.Write(name, Encoding.UTF8.GetBytes(edited), replace: true);
            Assert.Equal(SaveErrorCode.EditedByHand, Assert.ThrowsAny<SaveException>(() => saves.Load("morning")).Code);
        }

        static string WithoutDigest(string text, SaveForm form)
        {
            var start = text.IndexOf(form == SaveForm.Json ? "\"headerDigest\"" : "<headerDigest>", StringComparison.Ordinal);
            return text.Remove(start, text.IndexOf('\n', start) - start);
        }
    }

    [Fact]
    public void Marks_that_turn_the_direction_of_writing_are_shown_as_escapes()
    {
        var marks = "\u061C\u200E\u200F\u2028\u2029\u202A\u202B\u202C\u202D\u202E\u2066\u2067\u2068\u2069\u001B\u0085";
        var shown = ContentOutline.Visible("a" + marks + "é→家👩‍🌾");
        Assert.Equal("a" + string.Concat(marks.Select(c => $"\\u{(int)c:x4}")) + "é→家👩‍🌾", shown);
        Assert.DoesNotContain('\u202E', SavedFile.FromBytes(StateFile.ToBytes(new LogSave { Log = { Lines = ["\u202Eexe.txt"] } })).Print());
    }

    [Fact]
    public void Half_of_a_character_pair_is_no_text_and_no_name_in_any_form()
    {
        foreach (var text in new[]
        {
            "{\"log\":{\"\\uD800\":1}}", "{\"\\uDC00x\":1}", "{\"log\":\"\\uD83D\"}", "<save><entry escapedKey=\"\\uD800\">1</entry></save>",
            "<save><log><entry escapedKey=\"\\uDC00\">1</entry></log></save>", "<save><log escaped=\"true\">\\uD83D</log></save>",
        })
        {
            var problem = Record.Exception(() => SavedFile.FromBytes(Encoding.UTF8.GetBytes(text)).ReadTree());
            Assert.True(problem is SaveException, $"{text}: {problem?.Message ?? "read"}");
            Assert.ThrowsAny<SaveException>(() => SavedFile.FromBytes(Encoding.UTF8.GetBytes(text)).ToForm(SaveForm.Json));
        }
        Assert.Equal("😀", SavedFile.FromBytes("<save><log escaped=\"true\">\\uD83D\\uDE00</log></save>"u8.ToArray()).ReadTree()["log"].AsText());
    }

    // Keys.

    [Fact]
    public void A_list_makes_one_key_of_a_passphrase_and_no_more()
    {
        var storage = new MemoryStorage();
        for (var i = 1; i <= 4; i++)
        {
            // Each key of its own has a salt of its own, as strangers' saves would.
            using var saves = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Protection = Passphrase() });
            saves.Save($"slot-{i}", new LogSave { Log = { Day = i } }, new SaveLabel { Title = $"Night {i}" });
        }
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Protection = Passphrase() });
        for (var times = 0; times < 2; times++)
            Assert.Single(store.List(), slot => slot.Title.Length > 0);
        // What is loaded is worth a key, and is shown from then on.
        Assert.Equal(2, store.Load("slot-2").State.Log.Day);
        Assert.Equal(3, store.Load("slot-3").State.Log.Day);
        Assert.InRange(store.List().Count(slot => slot.Title.Length > 0), 2, 3);

        static SaveProtection Passphrase() => SaveProtection.Encrypted(SaveKey.FromPassphrase("pass", "salt and reed", 100_000)) with { HasHiddenTitles = true };
    }

    [Fact]
    public void A_save_that_asks_for_more_rounds_than_the_game_does_is_refused_unread()
    {
        var storage = new MemoryStorage();
        using (var saves = Open(700_000))
            saves.Save("morning", new LogSave());
        using (var same = Open(700_000))
            Assert.True(same.Load("morning").Found);
        using var less = Open(100_000);
        Assert.ThrowsAny<TamperedSaveException>(() => less.Load("morning"));

        SaveStore<LogSave> Open(int rounds) => SaveStore<LogSave>.Open(new SaveStoreOptions
        {
            Storage = storage,
            Protection = SaveProtection.With(SaveKey.FromPassphrase("pass", "salt and reed", rounds)),
        });
    }

    [Theory, MemberData(nameof(Forms))]
    public void Settings_can_have_a_seal_of_their_own(SaveForm form)
    {
        var secret = SaveKey.FromBytes("secret", RandomNumberGenerator.GetBytes(32));
        var storage = new MemoryStorage();
        using var store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, Form = form });
        foreach (var protection in new[] { SaveProtection.With(secret), SaveProtection.Encrypted(secret) })
        {
            store.Settings<Log>(protection).Save(new Log { Day = 3, Lines = { "the mill" } });
            Assert.Equal(3, store.Settings<Log>(protection).Load().Day);
            var name = Assert.Single(storage.List(""), file => file.Name.StartsWith("settings", StringComparison.Ordinal)).Name;
            Assert.Equal(protection.IsEncrypted ? ".lodrik" : form.FileExtension(), Path.GetExtension(name));
            var bytes = storage.Read(name)!;
            bytes[bytes.Length / 2] ^= 1;
            storage.Write(name, bytes, replace: true);
            Assert.ThrowsAny<SaveException>(() => store.Settings<Log>(protection).Load());
            var loaded = store.Settings<Log>(protection).LoadOrNew();
            Assert.Equal((new Log().Day, true), (loaded.Value.Day, loaded.Problem is not null));
            // Without a seal they are not what is asked for.
            storage.Write(name, StateFile.ToBytes(new Log { Day = 99 }, form), replace: true);
            Assert.Equal(SaveErrorCode.Unprotected, Assert.ThrowsAny<SaveException>(() => store.Settings<Log>(protection).Load()).Code);
            store.Settings<Log>(protection).Reset();
        }
        Assert.Throws<ArgumentException>(() => store.Settings<Log>(SaveProtection.With(SaveKey.Verifying("studio", PublicPem()))));
    }

    private static string PublicPem()
    {
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        return pair.ExportSubjectPublicKeyInfoPem();
    }

    // Documents beside saves.

    [Theory]
    [InlineData("{\"ledger\":1,\"game\":\"g\",\"version\":1,\"root\":\"A.B\",\"types\":{\"A.B\":{\"members\":{\"x\":\"list<\"}}}}")]
    [InlineData("{\"ledger\":1,\"game\":\"g\",\"version\":1,\"root\":\"A.B\",\"types\":{\"A.B\":{\"members\":{\"x\":\"DEEP\"}}}}")]
    public void A_type_that_is_none_is_told_when_the_ledger_is_read(string ledger)
    {
        ledger = ledger.Replace("DEEP", string.Concat(Enumerable.Repeat("list<", 50_000)) + "int32" + new string('>', 50_000), StringComparison.Ordinal);
        File.WriteAllText(Path.Combine(_folder, "1.json"), ledger);
        Assert.Contains("1.json", Assert.Throws<LedgerException>(() => Lodrik.Migrations.Ledger.Open(_folder).Read(1)).Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("\"set\":[\"heron\",null]")]
    [InlineData("\"choices\":[null]")]
    public void A_code_layout_with_null_for_a_word_is_refused(string choices) => Assert.Throws<CodeException>(() =>
        CodeLayoutFile.Read($"{{\"name\":\"marsh\",\"version\":1,\"fields\":[{{\"name\":\"found\",{choices}}}]}}"));

    [Fact]
    public void The_number_of_the_tag_in_the_format_page_is_that_of_the_code()
    {
        var page = File.ReadAllText(Path.Combine(Repository(), "docs", "format.md"));
        Assert.Contains($"tag {TableFormat.Tag.ToString(CultureInfo.InvariantCulture)} (`{TableFormat.Tag:X8}`", page, StringComparison.Ordinal);
        Assert.Contains($"tag {TableFormat.PartsTag.ToString(CultureInfo.InvariantCulture)} (`{TableFormat.PartsTag:X8}`", page, StringComparison.Ordinal);
        Assert.Contains($"once it has {LogBlocks.Size:N0} items", page, StringComparison.Ordinal);
        Assert.Contains($"more than {TableFormat.MaxRowsPerByte} slots for each byte of the table, and a table of more than {TableFormat.MaxSlotsPerByte} slots", page, StringComparison.Ordinal);
        Assert.Contains($"{StateLimits.MostDigits - 1:N0} digits", page, StringComparison.Ordinal);
        Assert.Contains($"{StateLimits.MostCharacters:N0} characters", page, StringComparison.Ordinal);
        Assert.Contains($"| {StateLimits.MaxDepth}; a store writes {StateLimits.MaxDepth - StateLimits.CheckpointDepth} |", page, StringComparison.Ordinal);
    }

    // Scenes.

    [Fact]
    public void A_spawner_that_gives_an_object_of_another_id_is_told_at_once_and_the_scene_is_as_before()
    {
        var bindings = new SceneBindings<List<Lamp>>().Kind("lamp", scene => scene, kind => kind
            .Id(lamp => lamp.Id)
            .Spawn((scene, id) =>
            {
                // The name is lost here.
                var lamp = new Lamp(EntityId.Spawned(id.IsSpawned ? id.Number : 1));
                scene.Add(lamp);
                return lamp;
            })
            .Remove((scene, lamp) => scene.Remove(lamp)));
        var record = bindings.Begin([]).Capture();
        var carried = bindings.Begin([new Lamp(EntityId.Placed("heron"))]);
        var named = new List<Lamp>();
        var live = bindings.Begin(named);
        var from = bindings.Begin([]);
        from.Scene.Add(new Lamp(EntityId.Placed("lamp")));
        var problem = Assert.Throws<SceneException>(() => live.Restore(from.Capture()));
        Assert.Contains("spawned as lamp", problem.Message, StringComparison.Ordinal);
        Assert.Empty(named);
        live.Capture();
        Assert.NotNull(record);
        Assert.NotNull(carried);
    }

    private static string Repository([System.Runtime.CompilerServices.CallerFilePath] string here = "") => Path.GetFullPath(Path.Combine(here, "..", "..", "..", ".."));

    private sealed class Lamp(EntityId id)
    {
        public EntityId Id { get; } = id;
    }

    /// <summary>A storage that counts the bytes that are read of it.</summary>
    private sealed class CountingStorage : ISaveStorage
    {
        private readonly MemoryStorage _inner = new();

        public long Count { get; set; }

        public string Description => "counted";

        public IReadOnlyList<StoredFile> List(string folder) => _inner.List(folder);

        public byte[]? ReadRange(string name, long offset, int count)
        {
            var bytes = _inner.ReadRange(name, offset, count);
            Count += bytes?.Length ?? 0;
            return bytes;
        }

        public byte[]? Read(string name)
        {
            var bytes = _inner.Read(name);
            Count += bytes?.Length ?? 0;
            return bytes;
        }

        public void Write(string name, System.Buffers.ReadOnlySequence<byte> bytes, bool replace) => _inner.Write(name, bytes, replace);

        public bool Delete(string name) => _inner.Delete(name);

        public string Locate(string name) => _inner.Locate(name);
    }
}

[SaveFile("numbers-tests")]
public sealed partial class NumbersSave
{
    public Numbers Numbers { get; set; } = new();
}

[StateType]
public sealed partial class Numbers
{
    public BigInteger Number { get; set; }
}

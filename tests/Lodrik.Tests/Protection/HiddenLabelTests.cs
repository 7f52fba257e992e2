using System.Formats.Cbor;
using System.Security.Cryptography;
using System.Text;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;
using static Lodrik.Tests.Protection.SampleFerries;

namespace Lodrik.Tests.Protection;

/// <summary>Titles and summaries that only those can read who have the key.</summary>
public sealed class HiddenLabelTests
{
    private static readonly SaveProtection Hiding = SaveProtection.Encrypted(Key()) with { HasHiddenTitles = true };

    [Fact]
    public void A_title_is_nowhere_in_the_file_and_the_slot_list_shows_it_with_the_key()
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, Hiding);
        store.Save("evening", Sample(), Label() with { Played = TimeSpan.FromHours(2) });
        var bytes = storage.Read(Files(storage).Single())!;
        foreach (var hidden in new[] { "On the river", "weir", "place" })
            Assert.True(bytes.AsSpan().IndexOf(Encoding.UTF8.GetBytes(hidden)) < 0, hidden);

        var shown = Assert.Single(store.List());
        Assert.Equal(("On the river", "weir", 3), (shown.Title, shown.Header!.Summary["place"].AsText(), shown.Header.Summary["day"].AsInt64()));
        Assert.False(shown.Header.HasHiddenTitles);
        Assert.Equal("On the river", Assert.Single(store.History("evening")).Header!.Title);
        Assert.Equal("On the river", store.Load("evening").Header!.Title);
        Assert.Equal("On the river", Assert.Single(SaveSlots.Open(storage, Hiding).List()).Title);

        // Without the key, and with another, it is a slot like any other that shows no title.
        foreach (var keys in new[] { null, SaveProtection.With(Key("other")), SaveProtection.With(SaveKey.FromBytes("secret", Secret)) })
        {
            var closed = Assert.Single(SaveSlots.Open(storage, keys).List());
            Assert.Equal(("", SlotHealth.Readable, TimeSpan.FromHours(2)), (closed.Title, closed.Health, closed.Played));
            Assert.True(closed.Header!.HasHiddenTitles);
            Assert.Empty(closed.Header.Summary);
        }
    }

    [Fact]
    public void A_hidden_title_stays_hidden_when_the_save_is_written_again()
    {
        var file = SavedFile.FromBytes(SampleFerries.Save(Hiding));
        Assert.True(file.HasHiddenTitles);
        file.CheckSeal(Hiding);
        Assert.Equal("On the river", file.Header!.Title);
        foreach (var again in new[] { file.Protect(Hiding), file.ToForm(SaveForm.Binary, protection: Hiding), SalvagedSave.FromBytes(file.Protect(Hiding), Hiding).ToBytes(Hiding) })
        {
            Assert.True(again.AsSpan().IndexOf("On the river"u8) < 0);
            var reopened = SavedFile.FromBytes(again);
            reopened.CheckSeal(Hiding);
            Assert.Equal("On the river", reopened.Header!.Title);
        }
        Assert.True(file.Protect(null).AsSpan().IndexOf("On the river"u8) > 0);
    }

    [Fact]
    public void A_passphrase_hides_titles_too_and_no_title_of_another_save_takes_its_place()
    {
        var protection = SaveProtection.Encrypted(SaveKey.FromPassphrase("pass", "salt and reed", 100_000)) with { HasHiddenTitles = true };
        var storage = new MemoryStorage();
        using (var store = Open(storage, protection))
            store.Save("evening", Sample(), Label());
        using var again = Open(storage, SaveProtection.Encrypted(SaveKey.FromPassphrase("pass", "salt and reed", 100_000)) with { HasHiddenTitles = true });
        Assert.Equal("On the river", Assert.Single(again.List()).Title);

        // The id of the save is authenticated with its label.
        var header = SavedFile.FromBytes(storage.Read(Files(storage).Single())!).Header!;
        header.SaveId = Guid.CreateVersion7();
        Lodrik.Protection.HiddenLabel.Reveal(header, protection.Keys);
        Assert.True(header.HasHiddenTitles);
    }

    [Fact]
    public void A_spoilt_label_stays_hidden_and_harms_nothing()
    {
        var random = new Random(3);
        var label = new SlotLabel { Title = "On the river", Summary = { ["place"] = "weir" } };
        var save = Guid.CreateVersion7();
        var keys = new KeyRing(Key(), SaveKey.FromPassphrase("pass", "salt and reed", 100_000));
        var whole = ((SaveScalar)Lodrik.Protection.HiddenLabel.Hide(label, save, Key(), Lodrik.Protection.KeyMaking.None).Rest["hidden"]).Bytes.ToArray();
        for (var run = 0; run < 3000; run++)
        {
            var spoilt = whole.ToArray();
            spoilt[random.Next(spoilt.Length)] ^= (byte)random.Next(1, 256);
            if (run % 3 == 0)
                spoilt = spoilt[..random.Next(spoilt.Length)];
            var header = new SaveHeader { SaveId = save, Slot = new SlotLabel() };
            header.Slot.Rest["hidden"] = spoilt;
            Assert.True(Lodrik.Protection.HiddenLabel.Reveal(header, keys)!.HasHiddenTitles);
        }
        var fine = new SaveHeader { SaveId = save, Slot = new SlotLabel() };
        fine.Slot.Rest["hidden"] = whole;
        Assert.Equal("On the river", Lodrik.Protection.HiddenLabel.Reveal(fine, keys)!.Title);
        Assert.True(fine.HasHiddenTitles);
    }

    [Fact]
    public void A_hidden_label_is_the_COSE_Encrypt0_that_the_document_says()
    {
        var save = Guid.CreateVersion7();
        var hidden = ((SaveScalar)Lodrik.Protection.HiddenLabel.Hide(new SlotLabel { Title = "Dusk" }, save, Key(), Lodrik.Protection.KeyMaking.None).Rest["hidden"]).Bytes;
        var reader = new CborReader(hidden, CborConformanceMode.Strict);
        Assert.Equal((CborTag)16, reader.ReadTag());
        Assert.Equal(3, reader.ReadStartArray());
        var header = reader.ReadByteString();
        Assert.Equal(1, reader.ReadStartMap());
        Assert.Equal(5, reader.ReadInt32());
        Assert.Equal(new byte[12], reader.ReadByteString());
        reader.ReadEndMap();
        var ciphertext = reader.ReadByteString();

        var map = new CborReader(header);
        Assert.Equal(3, map.ReadStartMap());
        Assert.Equal((1, 3, 4, "secret", "label salt"), (map.ReadInt32(), map.ReadInt32(), map.ReadInt32(), Encoding.ASCII.GetString(map.ReadByteString()), map.ReadTextString()));
        var salt = map.ReadByteString();
        var structure = new CborWriter();
        structure.WriteStartArray(3);
        structure.WriteTextString("Encrypt0");
        structure.WriteByteString(header);
        structure.WriteByteString(Encoding.ASCII.GetBytes(save.ToString()));
        structure.WriteEndArray();
        using var key = new AesGcm(HKDF.DeriveKey(HashAlgorithmName.SHA256, SHA256.HashData("secret"u8), 32, salt, "lodrik label"u8.ToArray()), 16);
        var plain = new byte[ciphertext.Length - 16];
        key.Decrypt(new byte[12], ciphertext.AsSpan(0, plain.Length), ciphertext.AsSpan(plain.Length), plain, structure.Encode());
        var content = new CborReader(plain);
        Assert.Equal(2, content.ReadStartMap());
        Assert.Equal(("title", "Dusk", "summary"), (content.ReadTextString(), content.ReadTextString(), content.ReadTextString()));
    }

    [Fact]
    public void Titles_are_hidden_in_encrypted_saves_only() => Assert.Contains(
        "hidden only in encrypted saves", Assert.Throws<ArgumentException>(() => Open(new MemoryStorage(), SaveProtection.With(Key()) with { HasHiddenTitles = true })).Message, StringComparison.Ordinal);
}

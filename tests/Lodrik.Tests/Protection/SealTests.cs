using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Storage;
using Lodrik.Tests.Migrations;
using static Lodrik.Tests.Protection.SampleFerries;

namespace Lodrik.Tests.Protection;

/// <summary>A sealed save loads as it was written, and as nothing else.</summary>
public sealed class SealTests
{
    private static readonly (string Private, string Public) Pair = MakePair();

    public static TheoryData<string, SaveForm, SaveCompression> Kinds
    {
        get
        {
            var kinds = new TheoryData<string, SaveForm, SaveCompression>();
            foreach (var key in new[] { "secret", "signing", "encrypting" })
            {
                foreach (var form in Enum.GetValues<SaveForm>())
                    kinds.Add(key, form, SaveCompression.None);
                kinds.Add(key, SaveForm.Binary, SaveCompression.Fast);
                kinds.Add(key, SaveForm.Json, SaveCompression.Fast);
            }
            return kinds;
        }
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void What_was_sealed_loads_and_is_listed_without_a_key(string key, SaveForm form, SaveCompression compression)
    {
        var storage = new MemoryStorage();
        using (var store = Open(storage, With(key), form, compression))
            store.Save("evening", Sample(), new SaveLabel { Title = "On the river" });
        using var again = Open(storage, With(key == "signing" ? "verifying" : key), form, compression);
        var result = again.Load("evening");
        Assert.Equal((12, null), (result.State.Route.Crossings, result.SealProblem));
        using var keyless = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = storage });
        Assert.Equal("On the river", Assert.Single(keyless.List()).Title);
        Assert.True(SavedFile.FromBytes(File(storage)).HasSeal);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void Every_bit_that_is_flipped_is_found(string key, SaveForm form, SaveCompression compression)
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, With(key), form, compression);
        store.Save("evening", Sample());
        var bytes = File(storage);
        var flipped = 0;
        // A signature costs some hundred times what a seal does; there every eighth byte has its turn.
        for (var at = 0; at < bytes.Length; at += key == "signing" ? 8 : 1)
        {
            for (var bit = 0; bit < 8; bit++)
            {
                bytes[at] ^= (byte)(1 << bit);
                var refused = Refuses(bytes, With(key));
                flipped++;
                Assert.True(refused is DamagedSaveException or TamperedSaveException or SaveMismatchException, $"bit {bit} of byte {at} of {bytes.Length}: {refused?.Message ?? "it loads"}");
                bytes[at] ^= (byte)(1 << bit);
            }
        }
        TestContext.Current.TestOutputHelper!.WriteLine($"{key}, {form}, {compression}: {flipped} bits flipped, none loads");
        Assert.Null(Refuses(bytes, With(key)));
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void Every_cut_is_found(string key, SaveForm form, SaveCompression compression)
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, With(key), form, compression);
        store.Save("evening", Sample());
        var bytes = File(storage);
        for (var length = 0; length < bytes.Length; length++)
            Assert.True(Refuses(bytes[..length], With(key)) is not null, $"cut at {length} of {bytes.Length}");
    }

    [Theory]
    [InlineData(SaveForm.Json, SaveCompression.None)]
    [InlineData(SaveForm.Binary, SaveCompression.Small)]
    public void What_is_encrypted_is_hidden_and_read_with_the_key_only(SaveForm form, SaveCompression compression)
    {
        var storage = new MemoryStorage();
        using (var store = Open(storage, With("encrypting"), form, compression))
            store.Save("evening", Sample(), new SaveLabel { Title = "On the river" });
        var bytes = File(storage);
        Assert.True(bytes.AsSpan().IndexOf("On the river"u8) > 0);
        foreach (var hidden in new[] { "cast off", "Bryn Alder", "crossings" })
            Assert.True(bytes.AsSpan().IndexOf(Encoding.UTF8.GetBytes(hidden)) < 0, hidden);
        var file = SavedFile.FromBytes(bytes);
        Assert.Equal((true, SectionHealth.Intact), (file.IsEncrypted, file.Health));
        Assert.Equal(SaveErrorCode.Encrypted, Assert.Throws<TamperedSaveException>(() => file.ReadSection("log")).Code);
        // One section decrypts without the others.
        using var again = Open(storage, With("encrypting"), form, compression);
        Assert.Equal(["cast off"], again.Load("evening", ["log"]).State.Log);
        Assert.Equal(0, again.Load("evening", ["log"]).State.Route.Crossings);
        using var wrong = Open(storage, SaveProtection.Encrypted(SaveKey.FromBytes("secret", SHA256.HashData("another"u8))), form, compression);
        Assert.Equal(SaveErrorCode.Tampered, Assert.Throws<TamperedSaveException>(() => wrong.Load("evening")).Code);
        using var keyless = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = storage });
        Assert.Equal(SaveErrorCode.Encrypted, Assert.Throws<TamperedSaveException>(() => keyless.Load("evening")).Code);
        // A seal alone is not what was asked for, nor the other way round.
        using var sealing = Open(storage, With("secret"), form, compression);
        Assert.Equal(SaveErrorCode.Unprotected, Assert.Throws<TamperedSaveException>(() => sealing.Load("evening")).Code);
        sealing.Save("sealed", Sample());
        Assert.Equal(SaveErrorCode.Unprotected, Assert.Throws<TamperedSaveException>(() => again.Load("sealed")).Code);
    }

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void A_key_on_the_ring_that_is_meant_for_another_level_is_refused(SaveForm form)
    {
        var (secret, signing) = (SaveKey.FromBytes("secret", Secret), SaveKey.Signing("signing", Pair.Private));
        // Both keys are on both rings; which of them is current says what the game asks for.
        var (seals, signs) = (new SaveProtection(new KeyRing(secret, signing)), new SaveProtection(new KeyRing(signing, secret)));
        foreach (var (written, asked, key) in new[] { (seals, signs, "secret"), (signs, seals, "signing") })
        {
            var bytes = Save(written, form);
            Assert.Null(Refuses(bytes, written));
            var refused = Assert.IsType<TamperedSaveException>(Refuses(bytes, asked));
            Assert.Equal(SaveErrorCode.UnknownKey, refused.Code);
            Assert.Contains($"key {key}", refused.Problem, StringComparison.Ordinal);
        }
    }

    [Fact]
    public void A_key_that_the_platform_keeps_is_asked_for_once_and_only_when_it_is_needed()
    {
        var asked = 0;
        var kept = SaveKey.FromCallback("kept", () =>
        {
            asked++;
            return System.Security.Cryptography.SHA256.HashData("kept"u8);
        });
        var ring = new KeyRing(kept, Key());
        Assert.Equal(["kept", "secret"], ring.Ids);
        Assert.Equal((true, 0), (kept.CanSeal, asked));
        using var pair = System.Security.Cryptography.ECDsa.Create(System.Security.Cryptography.ECCurve.NamedCurves.nistP256);
        Assert.False(SaveKey.Verifying("studio", pair.ExportSubjectPublicKeyInfoPem()).CanSeal);
        var bytes = SampleFerries.Save(SaveProtection.With(kept), SaveForm.Json, SaveCompression.None);
        SavedFile.FromBytes(bytes).CheckSeal(SaveProtection.With(kept));
        Assert.Equal(1, asked);
        Assert.Equal(SavedFile.FromBytes(bytes).Header!.SaveId, SalvagedSave.FromBytes(bytes, SaveProtection.With(kept)).Header.SaveId);
    }

    [Fact]
    public void Each_section_of_a_save_is_encrypted_with_a_nonce_of_its_own()
    {
        var bytes = Save(With("encrypting"), SaveForm.Binary);
        var file = SavedFile.FromBytes(bytes);
        // A COSE_Encrypt0 with the algorithm protected and the IV not: nine bytes, then the twelve of the nonce.
        byte[] prefix = [0xD0, 0x83, 0x43, 0xA1, 0x01, 0x03, 0xA1, 0x05, 0x4C];
        var nonces = new List<string>();
        for (var at = bytes.AsSpan().IndexOf(prefix); at >= 0;)
        {
            nonces.Add(Convert.ToHexString(bytes.AsSpan(at + prefix.Length, 12)));
            var next = bytes.AsSpan(at + 1).IndexOf(prefix);
            at = next < 0 ? -1 : at + 1 + next;
        }
        Assert.Equal(file.Sections.Count, nonces.Count);
        Assert.True(nonces.Count > 2);
        Assert.Equal(nonces.Count, nonces.Distinct().Count());
    }

    [Fact]
    public void No_nonce_comes_twice_under_a_key_also_where_one_save_is_written_twice()
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, With("encrypting"), SaveForm.Binary);
        var state = Sample();
        for (var i = 0; i < 5; i++)
            store.Save("evening", state);
        var files = storage.List("slots").Select(file => SavedFile.FromBytes(storage.Read(file.Name)!)).ToList();
        var sections = files.SelectMany(file => file.Sections.Select(section => section.Name).Select(name => Convert.ToHexString(storage.Read(storage.List("slots")[files.IndexOf(file)].Name)!.AsSpan(file.Opened.Find(name)!.Slice.Offset, file.Opened.Find(name)!.Slice.Length)))).ToList();
        // The same content under the same counted nonce is another ciphertext each time, because the key is.
        Assert.Equal(sections.Count, sections.Distinct().Count());
    }

    [Fact]
    public void Only_a_secret_key_encrypts() => Assert.Contains(
        "cannot encrypt", Assert.Throws<ArgumentException>(() => Open(new MemoryStorage(), SaveProtection.Encrypted(SaveKey.Signing("signing", Pair.Private)))).Message, StringComparison.Ordinal);

    [Fact]
    public void An_edit_whose_checksum_was_made_to_fit_is_told_from_damage()
    {
        var json = Encoding.UTF8.GetString(Sealed(SaveForm.Json));
        // By hand: the checksum fails as well.
        var edited = Encoding.UTF8.GetBytes(json.Replace("\"hp\": 7", "\"hp\": 9", StringComparison.Ordinal));
        var damaged = Assert.IsType<DamagedSaveException>(Refuses(edited, With("secret")));
        Assert.Equal("pilot", damaged.Location.Section);
        // By a program that knows the checksum: of the section in the table, and of the table in the header.
        var file = SavedFile.FromBytes(edited);
        var whole = Encoding.UTF8.GetBytes(json);
        var repaired = RepairChecksums(whole, edited);
        Assert.Equal(SectionHealth.Intact, SavedFile.FromBytes(repaired).Health);
        Assert.IsType<TamperedSaveException>(Refuses(repaired, With("secret")));
        Assert.NotNull(file);
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    public void Sections_cannot_be_added_taken_out_renamed_reordered_or_exchanged(SaveForm form)
    {
        var text = Encoding.UTF8.GetString(Sealed(form));
        var other = Encoding.UTF8.GetString(Sealed(form, hp: 99));
        var (log, otherPilot) = form == SaveForm.Json
            ? ("\"log\": [\n    \"cast off\"\n  ]", other[other.IndexOf("\"pilot\": {", StringComparison.Ordinal)..other.IndexOf("\"route\": {", StringComparison.Ordinal)])
            : ("", "");
        if (form == SaveForm.Json)
        {
            Assert.Contains(log, text, StringComparison.Ordinal);
            Tampered(text.Replace(",\n  " + log, "", StringComparison.Ordinal));
            Tampered(text.Replace(log, log + ",\n  \"extra\": 1", StringComparison.Ordinal));
            Tampered(text.Replace("\"log\": [", "\"lag\": [", StringComparison.Ordinal));
            var pilot = text[text.IndexOf("\"pilot\": {", StringComparison.Ordinal)..text.IndexOf("\"route\": {", StringComparison.Ordinal)];
            Tampered(text.Replace(pilot, otherPilot, StringComparison.Ordinal), orDamaged: true);
            var route = text[text.IndexOf("\"route\": {", StringComparison.Ordinal)..text.IndexOf("\"log\": [", StringComparison.Ordinal)];
            Tampered(text.Replace(pilot + route, route + pilot, StringComparison.Ordinal));
        }
        Tampered(text.Replace("ferry", "fairy", StringComparison.Ordinal).Replace("fairy", "ferry", StringComparison.Ordinal) + " ");
        Tampered(text.Replace("On the river", "On the brook", StringComparison.Ordinal));
        // The header of another save that is as good.
        var (mine, theirs) = (Header(text), Header(other));
        Tampered(text.Replace(mine, theirs, StringComparison.Ordinal));

        string Header(string save) => form == SaveForm.Json
            ? save[..save.IndexOf("\"contents\"", StringComparison.Ordinal)]
            : save[..save.IndexOf("<contents", StringComparison.Ordinal)];

        void Tampered(string changed, bool orDamaged = false)
        {
            Assert.NotEqual(text, changed);
            var refused = Refuses(Encoding.UTF8.GetBytes(changed), With("secret"));
            Assert.True(refused is TamperedSaveException || (orDamaged && refused is DamagedSaveException), $"{refused?.GetType().Name ?? "it loads"}");
        }
    }

    [Fact]
    public void A_seal_that_is_taken_off_exchanged_or_of_another_level_is_refused()
    {
        var json = Encoding.UTF8.GetString(Sealed(SaveForm.Json));
        var seal = json[json.IndexOf(",\n  \"seal\"", StringComparison.Ordinal)..json.LastIndexOf('\n', json.Length - 2)];
        Code(SaveErrorCode.Unprotected, json.Replace(seal, "", StringComparison.Ordinal), With("secret"));
        Code(SaveErrorCode.UnknownKey, json, With("signing"));
        Code(SaveErrorCode.UnknownKey, json, SaveProtection.With(SaveKey.FromBytes("later", Secret)));
        Code(SaveErrorCode.Tampered, json, SaveProtection.With(SaveKey.FromBytes("secret", SHA256.HashData("another"u8))));
        Code(SaveErrorCode.Tampered, json, With("secret") with { Context = "someone else" });
        foreach (var header in new[] { """{"alg":"none","kid":"secret"}""", """{"alg":"HS512","kid":"secret"}""", """{"alg":"HS256"}""", """{"alg":"HS256","kid":"secret","salt":"AA","iterations":2000000000}""", "{", "" })
        {
            var parts = json[(json.IndexOf("\"seal\": \"", StringComparison.Ordinal) + 9)..json.LastIndexOf('"')].Split('.');
            var forged = json.Replace(parts[0], Base64Url.EncodeToString(Encoding.UTF8.GetBytes(header)), StringComparison.Ordinal);
            Assert.IsType<TamperedSaveException>(Refuses(Encoding.UTF8.GetBytes(forged), With("secret")));
            Assert.IsType<TamperedSaveException>(Refuses(Encoding.UTF8.GetBytes(forged.Replace(parts[2], "", StringComparison.Ordinal)), With("secret")));
        }

        void Code(SaveErrorCode code, string save, SaveProtection protection) => Assert.Equal(code, Refuses(Encoding.UTF8.GetBytes(save), protection)?.Code);
    }

    [Fact]
    public void Any_bytes_in_place_of_a_seal_are_refused_as_one_that_does_not_fit()
    {
        var (secret, pass) = (new KeyRing(SaveKey.FromBytes("secret", Secret)), new KeyRing(SaveKey.FromPassphrase("secret", "salt and reed", 100_000)));
        var whole = Lodrik.Protection.SealEnvelope.WriteCose(SaveKey.FromBytes("secret", Secret), new Lodrik.Protection.SealContent(Secret, []));
        var random = new Random(7);
        byte[][] seals =
        [
            [0xD1, 0x84, 0x40, 0xA0, 0x40, 0x40], [0xD1, 0x84, 0x41, 0xA2, 0xA0, 0x40, 0x40], [0xD1, 0x84, 0x42, 0xA2, 0x01, 0xA0, 0x40, 0x40], [0xD1, 0x80], [0xF6], [],
            .. Enumerable.Range(0, 3000).Select(_ =>
            {
                var spoilt = whole.ToArray();
                for (var i = random.Next(1, 5); i > 0; i--)
                    spoilt[random.Next(spoilt.Length)] = (byte)random.Next(256);
                return spoilt.AsSpan().SequenceEqual(whole) ? [] : spoilt[..random.Next(1, spoilt.Length + 1)];
            }),
        ];
        foreach (var seal in seals)
        {
            Assert.Throws<TamperedSaveException>(() => Lodrik.Protection.SealEnvelope.OpenCose(seal, secret, default));
            Assert.Throws<TamperedSaveException>(() => Lodrik.Protection.SealEnvelope.OpenCose(seal, pass, default));
            Assert.Throws<TamperedSaveException>(() => Lodrik.Protection.SealEnvelope.OpenJws(Encoding.Latin1.GetString(seal), secret, default));
        }
        Assert.Equal(Secret, Lodrik.Protection.SealEnvelope.OpenCose(whole, secret, default).Content.Frame);
    }

    [Fact]
    public void What_becomes_of_a_save_that_was_tampered_with_is_the_games_choice()
    {
        var storage = new MemoryStorage();
        using (var store = Open(storage, With("secret")))
        {
            store.Save("evening", Sample());
            store.Save("evening", Sample(hp: 99));
        }
        const string Newest = "slots/evening/00000002.json";
        var bytes = storage.Read(Newest)!;
        storage.Write(Newest, Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(bytes).Replace("\"played\": \"00:00:00\"", "\"played\": \"99:00:00\"", StringComparison.Ordinal)), replace: true);

        using (var strict = Open(storage, With("secret")))
            Assert.Equal(SaveErrorCode.Tampered, Assert.Throws<TamperedSaveException>(() => strict.Load("evening")).Code);
        using (var marking = Open(storage, With("secret"), tampered: SaveTreatment.Mark))
        {
            var marked = marking.Load("evening");
            Assert.Equal((2, 99), (marked.Generation, marked.State.Pilot.Hp));
            Assert.Contains("The header", marked.SealProblem!.Message, StringComparison.Ordinal);
            Assert.Null(marking.LoadGeneration("evening", 1).SealProblem);
        }
        using var passing = Open(storage, With("secret"), tampered: SaveTreatment.PassOver);
        var passed = passing.Load("evening");
        Assert.Equal((1, 7), (passed.Generation, passed.State.Pilot.Hp));
        Assert.IsType<TamperedSaveException>(Assert.Single(passed.PassedOver));
    }

    [Theory]
    [InlineData(SaveForm.Json, "\"hp\": 7", "\"hp\": 8")]
    [InlineData(SaveForm.Xml, ">7<", ">8<")]
    public void An_edit_by_hand_in_a_sealed_save_is_marked_like_any_other_or_an_older_save_is_loaded(SaveForm form, string from, string to)
    {
        var storage = new MemoryStorage();
        using (var store = Open(storage, With("secret"), form))
        {
            store.Save("evening", Sample(hp: 1));
            store.Save("evening", Sample());
        }
        var newest = SampleFerries.Files(storage)[1];
        var text = Encoding.UTF8.GetString(storage.Read(newest)!);
        Assert.Contains(from, text, StringComparison.Ordinal);
        storage.Write(newest, Encoding.UTF8.GetBytes(text.Replace(from, to, StringComparison.Ordinal)), replace: true);
        using (var marking = Open(storage, With("secret"), form, tampered: SaveTreatment.Mark))
        {
            var marked = marking.Load("evening");
            Assert.Equal((2, 8, SaveErrorCode.Tampered), (marked.Generation, marked.State.Pilot.Hp, marked.SealProblem!.Code));
            Assert.Contains("edited by hand", Assert.Single(marked.Warnings), StringComparison.Ordinal);
        }
        using var strict = Open(storage, With("secret"), form);
        var older = strict.Load("evening");
        Assert.Equal((1, 1), (older.Generation, older.State.Pilot.Hp));
        Assert.StartsWith("The newest save could not be loaded, so an older one was:", Assert.Single(older.Warnings), StringComparison.Ordinal);
    }

    [Fact]
    public void An_older_key_is_still_taken_and_new_saves_get_the_current_one()
    {
        var storage = new MemoryStorage();
        var (old, current) = (SaveKey.FromBytes("2030", Secret), SaveKey.FromPassphrase("2031", "salt and reed", 100_000));
        using (var store = Open(storage, SaveProtection.With(old)))
            store.Save("evening", Sample());
        using (var store = Open(storage, new SaveProtection(new KeyRing(current, old))))
        {
            Assert.Equal(7, store.Load("evening").State.Pilot.Hp);
            store.Save("evening", Sample(hp: 8));
        }
        using (var later = Open(storage, SaveProtection.With(SaveKey.FromPassphrase("2031", "salt and reed", 100_000))))
            Assert.Equal(8, later.Load("evening").State.Pilot.Hp);
        using var wrong = Open(storage, SaveProtection.With(SaveKey.FromPassphrase("2031", "reed and salt", 100_000)));
        Assert.Throws<TamperedSaveException>(() => wrong.Load("evening"));
    }

    [Fact]
    public void Keys_that_cannot_be_are_refused_and_no_key_shows_itself()
    {
        Assert.Throws<ArgumentException>(() => SaveKey.FromBytes("a", []));
        Assert.Throws<ArgumentException>(() => SaveKey.FromBase64("a", ""));
        Assert.Throws<ArgumentException>(() => SaveKey.FromJwk("""{"kty":"oct","kid":"a","k":""}"""));
        Assert.Throws<ArgumentException>(() => SaveKey.FromBytes("a", new byte[31]));
        Assert.Throws<ArgumentException>(() => SaveKey.FromBytes("a", new byte[32]));
        Assert.Throws<ArgumentException>(() => SaveKey.FromBytes("", Secret));
        Assert.Throws<ArgumentException>(() => SaveKey.FromBytes("ä", Secret));
        Assert.Throws<ArgumentException>(() => SaveKey.FromBase64("a", "short"));
        Assert.ThrowsAny<ArgumentException>(() => SaveKey.FromPassphrase("a", ""));
        Assert.ThrowsAny<ArgumentException>(() => SaveKey.FromPassphrase("a", "x", 10));
        Assert.Throws<ArgumentException>(() => SaveKey.Signing("a", Pair.Public));
        Assert.Throws<ArgumentException>(() => SaveKey.Verifying("a", "no pem"));
        using var wide = ECDsa.Create(ECCurve.NamedCurves.nistP384);
        Assert.Contains("P-256", Assert.Throws<ArgumentException>(() => SaveKey.Signing("a", wide.ExportPkcs8PrivateKeyPem())).Message, StringComparison.Ordinal);
        Assert.Throws<ArgumentException>(() => new KeyRing(SaveKey.FromBytes("a", Secret), SaveKey.FromBytes("a", Secret)));
        Assert.Equal("key a", SaveKey.FromBase64("a", Convert.ToBase64String(Secret)).ToString());
        Assert.Equal("keys a, b", new KeyRing(SaveKey.FromBytes("a", Secret), SaveKey.FromPassphrase("b", "hush")).ToString());
        Assert.DoesNotContain(Convert.ToBase64String(Secret), SaveProtection.With(SaveKey.FromBytes("a", Secret)).ToString(), StringComparison.Ordinal);
        using var store = Open(new MemoryStorage(), SaveProtection.With(SaveKey.Verifying("signing", Pair.Public)));
        Assert.Throws<InvalidOperationException>(() => store.Save("evening", Sample()));
    }

    private static SaveProtection With(string key) => key == "encrypting" ? SaveProtection.Encrypted(SaveKey.FromBytes("secret", Secret)) : SaveProtection.With(key switch
    {
        "secret" => SaveKey.FromBytes("secret", Secret),
        "signing" => SaveKey.Signing("signing", Pair.Private),
        _ => SaveKey.Verifying("signing", Pair.Public),
    });

    private static byte[] Sealed(SaveForm form, int hp = 7)
    {
        var storage = new MemoryStorage();
        using var store = Open(storage, With("secret"), form);
        store.Save("evening", Sample(hp), new SaveLabel { Title = "On the river" });
        return File(storage);
    }

    /// <summary>Why a store with this protection refuses a save; null where it loads.</summary>
    private static SaveException? Refuses(byte[] bytes, SaveProtection protection)
    {
        try
        {
            var file = SavedFile.FromBytes(bytes);
            file.CheckSeal(protection);
            WholeState.Decode<FerryV1>(file);
            return null;
        }
        catch (SaveException refused)
        {
            return refused;
        }
    }

    /// <summary>Puts the checksums of an edited JSON save right, as a program could that knows how they are made.</summary>
    private static byte[] RepairChecksums(byte[] before, byte[] edited)
    {
        var (old, now) = (SavedFile.FromBytes(before), SavedFile.FromBytes(edited));
        var slice = now.Opened.Find("pilot")!.Slice;
        var oldSlice = old.Opened.Find("pilot")!.Slice;
        var text = Encoding.UTF8.GetString(edited).Replace(
            SectionDigest.ToText(SectionDigest.Of(before.AsSpan(oldSlice.Offset, oldSlice.Length))), SectionDigest.ToText(SectionDigest.Of(edited.AsSpan(slice.Offset, slice.Length))), StringComparison.Ordinal);
        var start = text.IndexOf('{', text.IndexOf("\"contents\"", StringComparison.Ordinal));
        var table = text[start..(text.IndexOf('}', start) + 1)];
        text = text.Replace(old.Header!.ContentsDigest, SectionDigest.ToText(SectionDigest.Of(Encoding.UTF8.GetBytes(table))), StringComparison.Ordinal);
        var digest = text.IndexOf("\"headerDigest\"", StringComparison.Ordinal);
        var header = text[text.IndexOf('{', text.IndexOf("\"lodrik\"", StringComparison.Ordinal))..(text.LastIndexOf('}', digest) + 1)];
        var value = text.IndexOf(": \"", digest, StringComparison.Ordinal) + 3;
        return Encoding.UTF8.GetBytes(text[..value] + SectionDigest.ToText(SectionDigest.Of(Encoding.UTF8.GetBytes(header))) + text[text.IndexOf('"', value)..]);
    }

    private static byte[] File(MemoryStorage storage) => storage.Read(storage.List("slots").Single().Name)!;

    private static (string, string) MakePair()
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        return (key.ExportPkcs8PrivateKeyPem(), key.ExportSubjectPublicKeyInfoPem());
    }
}

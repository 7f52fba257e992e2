using System.Security.Cryptography;
using System.Text;
using Lodrik.Inspection;
using Lodrik.Protection;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>Seals, encryption and salvage from the command line.</summary>
public sealed class ProtectionToolTests(DemoSaves demo) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    private string Secret => Path.Combine(demo.Folder, "keys", "demo.jwk");

    private string Signing => Path.Combine(demo.Folder, "keys", "studio.jwk");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void A_store_is_sealed_locked_and_unlocked_and_is_then_what_it_was()
    {
        var store = CopyOf("json");
        var before = Bytes(store);
        Assert.Contains("sealed with the key demo: 3 generations", Fine("seal", store, "--key", Secret), StringComparison.Ordinal);
        Assert.Contains("5 files, nothing wrong", Fine("check", store, "--key", Secret), StringComparison.Ordinal);
        Assert.Contains("encrypted with the key demo: 1 generation", Fine("lock", store, "--key", Secret, "--from", Secret, "--hide-titles"), StringComparison.Ordinal);
        Assert.All(Directory.GetFiles(store, "*", SearchOption.AllDirectories).Where(IsSave), file => Assert.Equal(".lodrik", Path.GetExtension(file)));
        Assert.Contains("hidden: shown with --key", Fine("slots", store), StringComparison.Ordinal);
        Assert.DoesNotContain("Evening on the marsh", Fine("slots", store), StringComparison.Ordinal);
        Assert.Contains("Evening on the marsh", Fine("slots", store, "--key", Secret), StringComparison.Ordinal);
        Assert.Contains("hidden: shown with --key", Fine("history", store, "auto"), StringComparison.Ordinal);
        Assert.Contains("Third flood", Fine("history", store, "auto", "--key", Secret), StringComparison.Ordinal);
        Assert.Contains("nothing to do", Fine("lock", store, "--key", Secret, "--from", Secret, "--hide-titles"), StringComparison.Ordinal);
        Assert.Contains("without protection", Fine("unlock", store, "--key", Secret), StringComparison.Ordinal);
        Assert.Equal(before, Bytes(store));
    }

    [Fact]
    public void A_save_that_is_bound_to_an_account_is_used_with_it_by_every_command()
    {
        var store = CopyOf("json");
        string[] bound = ["--key", Secret, "--context", "account 7"];
        Fine(["lock", store, .. bound]);
        var evening = Path.Combine(store, "evening");
        Assert.Contains("5 files, nothing wrong", Fine(["check", store, .. bound]), StringComparison.Ordinal);
        Assert.Contains("Isolde Reedmere", Fine(["show", evening, "warden/name", .. bound]), StringComparison.Ordinal);
        Assert.Contains("no differences", Fine(["diff", evening, demo.Evening("xml"), .. bound]), StringComparison.Ordinal);
        Fine(["set", evening, "warden/oil", "9", .. bound]);
        Fine(["weigh", evening, .. bound]);
        Fine(["convert", Directory.GetFiles(Path.Combine(store, "slots", "quick")).Single(IsSave), "--to", "xml", "-o", Path.Combine(_folder, "quick"), .. bound]);
        Fine(["salvage", Path.Combine(_folder, "quick"), "-o", Path.Combine(_folder, "mended"), .. bound]);
        Fine(["check", Path.Combine(_folder, "mended"), .. bound]);
        Assert.Contains("6 files, nothing wrong", Fine(["check", store, .. bound]), StringComparison.Ordinal);
        var other = ProgramRun.Lodrik("check", store, "--key", Secret, "--context", "account 8");
        Assert.Equal(1, other.Exit);
        Assert.Contains("bound to another context", other.Out, StringComparison.Ordinal);
        Wrong(2, "Pass the key with --key", "check", store, "--context", "account 7");
    }

    [Fact]
    public void A_save_is_signed_edited_and_found_out()
    {
        var signed = Path.Combine(_folder, "signed.json");
        Assert.Contains("signed with the key studio", Fine("seal", demo.Evening("json"), "--key", Signing, "-o", signed), StringComparison.Ordinal);
        Assert.Contains("intact, and the seal matches", Fine("check", signed, "--key", Signing + ".pub"), StringComparison.Ordinal);
        File.WriteAllText(signed, File.ReadAllText(signed).Replace("Evening on the marsh", "Morning on the marsh", StringComparison.Ordinal));
        var check = ProgramRun.Lodrik("check", signed, "--key", Signing + ".pub");
        Assert.Equal(1, check.Exit);
        Assert.Contains("tampered with  The header", check.Out, StringComparison.Ordinal);
        var again = ProgramRun.Lodrik("seal", signed, "--key", Secret, "--from", Signing + ".pub", "-o", Path.Combine(_folder, "again.json"));
        Assert.Equal(1, again.Exit);
        Assert.False(File.Exists(Path.Combine(_folder, "again.json")));
    }

    [Fact]
    public void A_key_is_taken_in_every_form_in_which_a_game_has_it()
    {
        var (secret, save) = (RandomNumberGenerator.GetBytes(SaveKey.SecretBytes), SavedFile.Open(demo.Evening("json")));
        secret[0] = (byte)'{'; // As a JSON Web Key begins.
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        string Written(string name, byte[] content)
        {
            File.WriteAllBytes(Path.Combine(_folder, name), content);
            return Path.Combine(_folder, name);
        }
        var raw = Written("secret.key", secret);
        var base64 = Written("secret.b64", Encoding.ASCII.GetBytes(Convert.ToBase64String(secret) + "\n"));
        var phrase = Written("phrase.txt", "salt and reed\n"u8.ToArray());
        var own = Written("own.pem", Encoding.ASCII.GetBytes(pair.ExportPkcs8PrivateKeyPem()));
        var shared = Written("shared.pem", Encoding.ASCII.GetBytes(pair.ExportSubjectPublicKeyInfoPem()));
        foreach (var (key, options) in new (SaveKey, string[])[]
        {
            (SaveKey.FromBytes("2031", secret), [$"2031={raw}", $"2031={base64}"]),
            (SaveKey.FromBytes("secret", secret), [raw, base64]),
            (SaveKey.FromPassphrase("pass", "salt and reed"), [$"pass=passphrase:{phrase}"]),
            (SaveKey.Signing("studio", pair.ExportPkcs8PrivateKeyPem()), [$"studio={shared}", $"studio={own}"]),
        })
        {
            // As the game writes it.
            var file = Written("game.json", save.Protect(SaveProtection.With(key)));
            foreach (var option in options)
                Assert.Contains("intact, and the seal matches", Fine("check", file, "--key", option), StringComparison.Ordinal);
        }
        // And the other way round.
        var locked = Path.Combine(_folder, "locked");
        Fine("lock", demo.Evening("json"), "--key", $"2031={base64}", "-o", locked);
        SavedFile.Open(locked).CheckSeal(SaveProtection.Encrypted(SaveKey.FromBytes("2031", secret)));

        Wrong(2, "The key has the id demo, not 2031.", "key", "show", $"2031={Secret}");
        Wrong(2, "This is not a key", "key", "show", phrase);
        Wrong(2, "This is not a key", "key", "show", Written("short", new byte[31]));
        Wrong(2, "Pass the file that has the key.", "key", "show", "pass=passphrase:");
        Wrong(2, "The passphrase is empty.", "key", "show", $"pass=passphrase:{Written("empty", "\n"u8.ToArray())}");
        Assert.DoesNotContain("salt", ProgramRun.Lodrik("key", "show", phrase).Error, StringComparison.Ordinal);
    }

    [Fact]
    public void What_cannot_be_done_is_said_and_nothing_is_written()
    {
        var (save, output) = (demo.Evening("json"), Path.Combine(_folder, "out.json"));
        Wrong(2, "but not make them", "seal", save, "--key", Signing + ".pub", "-o", output);
        Wrong(2, "cannot encrypt", "lock", save, "--key", Signing, "-o", output);
        Wrong(1, "already sealed", "seal", demo.Evening("sealed"), "--key", Signing, "-o", output);
        Wrong(1, "neither a seal nor encryption", "unlock", save, "--key", Secret, "-o", output);
        Wrong(2, "--output is only for a single save", "seal", Path.Combine(demo.Folder, "json"), "--key", Secret, "-o", output);
        Wrong(1, "not a store of saves", "seal", _folder, "--key", Secret);
        Wrong(1, "A file with this name already exists", "seal", save, "--key", Secret, "-o", demo.Evening("xml"));
        Assert.False(File.Exists(output));
    }

    [Fact]
    public void A_protected_save_is_converted_and_stays_protected_with_its_key()
    {
        foreach (var store in new[] { "sealed", "encrypted" })
        {
            var output = Path.Combine(_folder, store);
            Fine("convert", demo.Evening(store), "--to", "xml", "-o", output, "--key", Secret);
            Assert.Contains("intact, and the seal matches", Fine("check", output, "--key", Secret), StringComparison.Ordinal);
        }
        Assert.Contains("The copy has no seal", Fine("convert", demo.Evening("sealed"), "--to", "xml", "-o", Path.Combine(_folder, "open.xml")), StringComparison.Ordinal);
    }

    [Fact]
    public void Old_saves_that_are_sealed_migrate_with_their_key_and_are_sealed_again()
    {
        var store = Path.Combine(_folder, "old");
        Directory.CreateDirectory(Path.Combine(store, "slots", "night"));
        var save = Path.Combine(store, "slots", "night", "00000001.lodrik");
        File.Copy(Path.Combine(ProgramRun.Repository, "examples", "Tidewarden", "saves", "2", "night.lodrik"), save);
        var game = Path.Combine(AppContext.BaseDirectory, "Tidewarden.dll");
        Fine("lock", store, "--key", Secret, "--hide-titles");
        Assert.Contains("would be migrated", Fine("migrate", store, "--with", game, "--dry-run", "--key", Secret), StringComparison.Ordinal);
        Assert.Equal(1, ProgramRun.Lodrik("migrate", store, "--with", game).Exit);
        Assert.Contains("version 2 became 4", Fine("migrate", store, "--with", game, "--key", Secret), StringComparison.Ordinal);
        Assert.Contains("2 files, nothing wrong", Fine("check", store, "--key", Secret), StringComparison.Ordinal);
        Assert.Contains("hidden", Fine("slots", store), StringComparison.Ordinal);
        Fine("migrate", save, "--with", game, "--key", Secret, "-o", Path.Combine(_folder, "night.lodrik"));
        Assert.Contains("the seal matches", Fine("check", Path.Combine(_folder, "night.lodrik"), "--key", Secret), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("json", "marsh lost")]
    [InlineData("binary", "marsh lost")]
    [InlineData("sealed", "marsh lost")]
    [InlineData("encrypted", "marsh lost")]
    public void What_is_whole_of_a_damaged_save_becomes_a_new_one(string store, string expected)
    {
        var key = store is "sealed" or "encrypted" ? new[] { "--key", Secret } : [];
        var (damaged, output) = (Path.Combine(_folder, "damaged"), Path.Combine(_folder, "mended"));
        var bytes = File.ReadAllBytes(demo.Evening(store));
        // A piece of the large scene is overwritten.
        bytes.AsSpan((int)(bytes.Length * (store == "encrypted" ? 0.55 : 0.6)), 12).Clear();
        File.WriteAllBytes(damaged, bytes);
        var salvage = ProgramRun.Lodrik(["salvage", damaged, "-o", output, .. key]);
        Assert.Equal(1, salvage.Exit);
        Assert.Contains(expected, string.Join(' ', salvage.Out.Split(' ', StringSplitOptions.RemoveEmptyEntries)), StringComparison.Ordinal);
        Assert.Contains("9 of 10 sections", salvage.Out, StringComparison.Ordinal);
        Fine(["check", output, .. key]);
        Assert.Contains("Isolde Reedmere", Fine(["show", output, "warden/name", .. key]), StringComparison.Ordinal);
        Assert.Contains("A file with this name already exists", ProgramRun.Lodrik(["salvage", damaged, "-o", output, .. key]).Error, StringComparison.Ordinal);
    }

    private string CopyOf(string store)
    {
        var target = Path.Combine(_folder, store);
        demo.CopyTo(target, store);
        return target;
    }

    private static bool IsSave(string file) => Path.GetExtension(file) is ".json" or ".lodrik";

    private static SortedDictionary<string, string> Bytes(string store) => new(Directory.GetFiles(store, "*", SearchOption.AllDirectories)
        .Where(IsSave).ToDictionary(file => file, file => Convert.ToHexString(File.ReadAllBytes(file))));

    private static string Fine(params string[] arguments)
    {
        var run = ProgramRun.Lodrik(arguments);
        Assert.True(run.Exit == 0, $"{string.Join(' ', arguments)}: {run.Exit}\n{run.Out}\n{run.Error}");
        return run.Out;
    }

    private static void Wrong(int exit, string problem, params string[] arguments)
    {
        var run = ProgramRun.Lodrik(arguments);
        Assert.Equal(exit, run.Exit);
        Assert.Contains(problem, run.Error, StringComparison.Ordinal);
    }
}

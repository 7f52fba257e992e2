using System.Security.Cryptography;
using Lodrik;
using Lodrik.Protection;
using Lodrik.Storage;
using Tampering;
using Tidewarden;

// A player would like to have more oil. This is what they can do to their save, and how each level of protection answers.
using var studio = ECDsa.Create(ECCurve.NamedCurves.nistP256);
var secret = SaveKey.FromBytes("game", RandomNumberGenerator.GetBytes(SaveKey.SecretBytes));
(string Name, SaveProtection? Protection)[] levels =
[
    ("checksum only", null),
    ("sealed", SaveProtection.With(secret) with { HasCounter = true }),
    ("signed", SaveProtection.With(SaveKey.Signing("studio", studio.ExportPkcs8PrivateKeyPem())) with { HasCounter = true }),
    ("encrypted", SaveProtection.Encrypted(secret) with { HasCounter = true }),
];
var allAnswered = true;
foreach (var (name, protection) in levels)
{
    Console.WriteLine($"-- {name} --");
    foreach (var (attack, change) in Attacks.All)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage, Protection = protection });
        var save = new TidewardenSave { Warden = { Name = "Isolde Reedmere", Oil = 60 }, Season = { Day = 3 } };
        var older = store.Save("evening", save).File;
        save.Warden.Oil = 6;
        store.Save("evening", save);

        var newest = storage.List("slots").Max(file => file.Name)!;
        var oldest = storage.List("slots").Min(file => file.Name)!;
        if (change(storage.Read(newest)!, storage.Read(oldest)!) is not { } forged)
        {
            Console.WriteLine($"  {attack,-52}nothing to take hold of: the content is not readable");
            continue;
        }
        storage.Write(newest, forged, replace: true);
        var answer = Answer(store);
        allAnswered &= protection is null || !answer.StartsWith("loads", StringComparison.Ordinal) || answer.Contains("replay", StringComparison.Ordinal);
        Console.WriteLine($"  {attack,-52}{answer}");
    }
}
Console.WriteLine();
Console.WriteLine(allAnswered ? "Every edit of a protected save was answered." : "AN EDIT WAS NOT ANSWERED.");
return allAnswered ? 0 : 1;

// LoadGeneration takes this save and no other; Load would have said the same where no older generation was left.
static string Answer(SaveStore<TidewardenSave> store)
{
    try
    {
        var loaded = store.LoadGeneration("evening", 2);
        string[] edited = [.. loaded.EditedSections, .. loaded.MissingSections];
        return $"loads with {loaded.State.Warden.Oil} l of oil{(loaded.WasEditedByHand ? $", and says that {(edited.Length > 0 ? string.Join(", ", edited) : "the header")} was edited by hand" : "")}"
            + (loaded.Replay is { } replay ? $", and says that it is a replay: {replay.Reason}" : "");
    }
    catch (TamperedSaveException tampered)
    {
        return $"tampered with{Where(tampered)}: {tampered.Problem}";
    }
    catch (DamagedSaveException damaged)
    {
        return $"damaged{Where(damaged)}: {damaged.Problem}";
    }
}

static string Where(SaveException problem) => problem.Location.Section is { } section ? $" in {section}" : "";

using System.Security.Cryptography;
using Lodrik;
using Lodrik.Http;
using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.Storage;
using TwoShores;

// A keeper plays on two machines, one on each shore of the marsh. Each has its saves in a folder, and plays on without a network; a
// server of the studio brings them together. It accepts only what the game has sealed, and signs it.
var shores = Directory.CreateTempSubdirectory("two-shores-").FullName;
using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
var signing = SaveKey.Signing("studio", pair.ExportPkcs8PrivateKeyPem());          // only the server has it
var checking = SaveKey.Verifying("studio", pair.ExportSubjectPublicKeyInfoPem());  // every game has it
var sealing = SaveKey.FromBytes("tidewarden", RandomNumberGenerator.GetBytes(32)); // every game has it as well

await using var studio = new Studio(Path.Combine(shores, "server"), sealing, signing);
var address = await studio.Open();
Say($"The studio's server is open: {new Uri(address, "players/isolde").AbsolutePath}");

using var harbour = Machine("harbour");
using var mill = Machine("mill");
using var connection = new HttpStorage(new Uri(address, "players/isolde/"), new HttpStorageOptions { Token = _ => new(Studio.Token), MaxRetries = 1 });
using var server = SaveSlots.Open(connection);

Say("Isolde plays at the harbour, and sends her evening.");
harbour.Save("evening", new Night { Oil = 5, BeaconsLit = 1 }, new SaveLabel { Name = "The long evening", Title = "First beacon" });
Tell(await harbour.SendAsync("evening", server));

Say("She rows over to the mill, fetches it there, and plays on.");
Tell(await mill.FetchAsync("evening", server));
var night = mill.Load("evening").State;
night.BeaconsLit++;
mill.SaveToCurrent(night, new SaveLabel { Title = "Second beacon" });
Tell(await mill.SendAsync("evening", server));
Tell(await harbour.FetchAsync("evening", server));

Say("The storm takes the network away, and both machines are played on.");
await studio.Close();
night = harbour.Load("evening").State;
night.Oil = 4;
harbour.SaveToCurrent(night, new SaveLabel { Title = "The storm, seen from the harbour" });
night = mill.Load("evening").State;
night.LettersDelivered = 3;
mill.SaveToCurrent(night, new SaveLabel { Title = "The storm, seen from the mill" });
try
{
    await harbour.SendAsync("evening", server);
}
catch (StorageException exception)
{
    Say($"  harbour: {exception.Problem}");
}

Say("It is back. Both evenings are kept.");
await studio.Open();
Tell(await harbour.SendAsync("evening", server));
Tell(await mill.SendAsync("evening", server));
Tell(await harbour.FetchAsync("evening-2", server));
foreach (var slot in harbour.List())
    Say($"  harbour has {slot.Slot}: \"{slot.Name}\", {slot.Title}");

Say("Isolde burns a litre of oil and saves. Somebody makes a barrel of what is left, with a text editor.");
night = harbour.Load("evening").State;
night.Oil--;
harbour.SaveToCurrent(night, new SaveLabel { Title = "A quiet hour" });
var file = Path.Combine(shores, "harbour", harbour.History("evening")[0].File);
File.WriteAllText(file, File.ReadAllText(file).Replace("\"oil\": 3", "\"oil\": 300", StringComparison.Ordinal));
using var meddled = Machine("harbour");
var refused = await meddled.SendAsync("evening", server);
Say($"  the server says: {refused.PassedOver[0].Message.Split(" (file")[0]}");

Say("A game that trusts nothing but the server's signature loads what the server has seen.");
using var strict = SaveStore<Night>.Open(new SaveStoreOptions { Storage = connection, Protection = Signed(checking) });
var (first, second) = (strict.Load("evening").State, strict.Load("evening-2").State);
Say($"  evening: {first.Oil} l of oil, {first.BeaconsLit} beacons; evening-2: {second.LettersDelivered} letters delivered");
Say($"The folders are in {shores}");
Say(first.Oil == 4 && second.LettersDelivered == 3 ? "Nothing was lost on either shore." : "Something was lost.");
return first.Oil == 4 && second.LettersDelivered == 3 && refused.PassedOver.Count > 0 ? 0 : 1;

SaveStore<Night> Machine(string folder) => SaveStore<Night>.Open(new SaveStoreOptions
{
    Folder = Path.Combine(shores, folder),
    Protection = SaveProtection.With(sealing),  // what the game saves by itself
    OtherProtections = [Signed(checking)],      // what comes from the server
});

static SaveProtection Signed(SaveKey key) => SaveProtection.With(key) with { Context = "isolde" };

static void Say(string text) => Console.WriteLine(text);

static void Tell(SlotTransfer transfer) => Say(
    $"  {transfer.CopiedCount} {(transfer.CopiedCount == 1 ? "save" : "saves")} copied"
    + (transfer.BothWentOn ? $"; both places went on, so they are in {string.Join(", ", transfer.SecondSlots)}" : ""));

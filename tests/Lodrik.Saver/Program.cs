using Lodrik;
using Lodrik.Saver;
using Lodrik.Sqlite;

if (args is ["faults" or "faults-of-sqlite", var library, var place])
{
    System.Runtime.InteropServices.NativeLibrary.SetDllImportResolver(
        typeof(Faults).Assembly, (name, _, _) => name == "faults" ? System.Runtime.InteropServices.NativeLibrary.Load(library) : 0);
    return Faults.Run(place, isSqlite: args[0] != "faults");
}

if (args is ["once", var once])
{
    using var one = SaveStore<Tally>.Open(once);
    try
    {
        one.Save("kept", new Tally(), overwrite: Overwrite.Allowed);
        Console.WriteLine("done");
    }
    catch (Lodrik.Storage.StorageException exception)
    {
        Console.WriteLine($"refused: {exception.Message}");
    }
    return 0;
}

if (args is ["leave", var left])
{
    // A game that forgets to close its store: the process ends in the ordinary way all the same.
    var open = SaveStore<Tally>.Open(left);
    _ = open.SaveAsync("kept", new Tally { Count = new Count { Number = 7, Ballast = new byte[20_000_000] } });
    _ = open.SaveAsync("last", new Tally { Count = new Count { Number = 8 } });
    return 0;
}

if (args is ["wait", var busy])
{
    // A signal ends it while it is saving.
    var open = SaveStore<Tally>.Open(busy);
    _ = open.SaveAsync("kept", new Tally { Count = new Count { Number = 7, Ballast = new byte[20_000_000] } });
    _ = open.SaveAsync("last", new Tally { Count = new Count { Number = 8 } });
    Console.WriteLine("ready");
    Console.In.ReadToEnd();
    return 0;
}

if (args is ["keep", var kept, var how])
{
    var file = StateFile.Keep<Count>(kept);
    file.State.Number++;
    if (how == "return")
        return 0;
    if (how == "exit")
        Environment.Exit(0);
    Console.WriteLine("ready");
    // Until a signal comes, or whoever started it is gone.
    if (how == "wait")
        Console.In.ReadToEnd();
    // Both numbers change, always together.
    while (how == "change")
    {
        file.Change(count =>
        {
            count.Number++;
            count.Ballast = [.. count.Ballast.Take(2), (byte)count.Number];
        });
    }
    return 0;
}

// Saves as fast as it can until it is killed, and says what is done.
using var database = args[0].EndsWith(".db", StringComparison.Ordinal) ? SqliteStorage.Open(args[0]) : null;
using var store = SaveStore<Tally>.Open(new SaveStoreOptions { Folder = database is null ? args[0] : null, Storage = database });
var tally = store.LoadOrNew("kept");
while (true)
{
    tally.Count.Number++;
    tally.Count.Ballast = new byte[tally.Count.Number % 97 * 100];
    store.Save("kept", tally, overwrite: Overwrite.Allowed);
    Console.WriteLine(tally.Count.Number);
    Console.Out.Flush();
}

using Lodrik;
using Lodrik.Saver;

// Saves as fast as it can until it is killed, and says what is done.
using var store = SaveStore<Tally>.Open(args[0]);
var tally = store.LoadOrNew("kept");
while (true)
{
    tally.Count.Number++;
    tally.Count.Ballast = new byte[tally.Count.Number % 97 * 100];
    store.Save("kept", tally, overwrite: Overwrite.Allowed);
    Console.WriteLine(tally.Count.Number);
    Console.Out.Flush();
}

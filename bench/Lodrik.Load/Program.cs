using System.CommandLine;
using Lodrik.Load;

// Simulated players against a server for saves. See docs/scale.md, and bench/load.sh, which starts a PostgreSQL for it.
var folder = new Option<string?>("--folder") { Description = "Keeps saves in SQLite, in this folder." };
var postgres = new Option<string?>("--postgres") { Description = "Keeps saves in PostgreSQL, by this connection string." };
var stored = new Option<int>("--stored") { Description = "How many players have saves when it begins.", DefaultValueFactory = _ => 1000 };
var playing = new Option<int>("--playing") { Description = "How many play at the same time.", DefaultValueFactory = _ => 32 };
var seconds = new Option<int>("--seconds") { Description = "How long it is measured.", DefaultValueFactory = _ => 20 };
var address = new Argument<string>("address");

var serve = new Command("serve", "The server, which a run starts by itself.") { address, folder, postgres };
serve.SetAction((parsed, cancellation) => LoadServer.Run(
    new Uri(parsed.GetRequiredValue(address)), new Place(parsed.GetValue(folder), parsed.GetValue(postgres)), cancellation));

var root = new RootCommand("Lets simulated players connect, list, load, save and quit, and prints what that costs.")
{
    serve,
    folder,
    postgres,
    stored,
    playing,
    seconds,
};
root.SetAction((parsed, cancellation) => LoadRun.Run(
    new Place(parsed.GetValue(folder), parsed.GetValue(postgres)), parsed.GetValue(stored), parsed.GetValue(playing),
    TimeSpan.FromSeconds(parsed.GetValue(seconds)), cancellation));
return await root.Parse(args).InvokeAsync();

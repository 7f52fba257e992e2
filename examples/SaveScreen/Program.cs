using Lodrik;
using Lodrik.Slots;
using SaveScreen;

// A save screen in the terminal. It reads one command a line: from a person, or from a file.
//   light NAME · saves · save [NAME] · load NAME · delete NAME · rename NAME NAME · history NAME · reinstate NAME NUMBER
//   quick · quickload · continue · new · quit
using var store = SaveStore<Round>.Open(args.Length > 0 ? args[0] : Path.Combine(AppContext.BaseDirectory, "saves"));
store.Saved += (_, receipt) => Console.WriteLine($"  [{receipt}]".Replace(receipt.File, Path.GetFileName(receipt.File), StringComparison.Ordinal));
var round = store.HasSaves() ? store.ContinueOrNew() : new Round();
Console.WriteLine(store.HasSaves() ? $"Welcome back: {Describe()}." : "A new evening.");

while (Ask("> ") is { } line)
{
    var words = line.Split(' ', 2, StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
    try
    {
        if (words.Length > 0 && !Act(words[0], words.ElementAtOrDefault(1) ?? ""))
            break;
    }
    catch (SaveException problem)
    {
        // Whatever can go wrong with a save says what happened and what to do; the game goes on.
        Console.WriteLine($"  {problem.Message}");
    }
}
return 0;

bool Act(string command, string rest)
{
    switch (command)
    {
        case "light":
            round.Keeper.BeaconsLit.Add(rest);
            (round.Keeper.Place, round.Keeper.Oil, round.Keeper.Played) = ($"the {rest}", round.Keeper.Oil - 2, round.Keeper.Played + TimeSpan.FromMinutes(7));
            Console.WriteLine($"  {Describe()}.");
            break;
        case "saves":
            foreach (var slot in store.List())
                Console.WriteLine($"  {slot.Slot,-16} {slot.Title,-36} played {slot.Played:h\\:mm}  {string.Join(", ", slot.Header?.Summary.Select(pair => $"{pair.Key} {pair.Value}") ?? [])}{(slot.Health == SlotHealth.Readable ? "" : $"  ({slot.Health})")}");
            break;
        case "save" when rest.Length == 0 && store.CurrentSlot is { } current:
            store.Save(current, round, Label());
            break;
        case "save":
            Save(store.NameFor(rest));
            break;
        case "load" when Leave():
            round = store.Load(rest).State;
            Console.WriteLine($"  {Describe()}.");
            break;
        case "delete" when Ask($"  Delete {rest} for good? (y/n) ") == "y":
            Console.WriteLine(store.Delete(rest) ? "  Deleted." : "  There is no such slot.");
            break;
        case "rename":
            store.Rename(rest.Split(' ')[0], store.FreeName(rest[(rest.IndexOf(' ') + 1)..]));
            break;
        case "history":
            foreach (var generation in store.History(rest))
                Console.WriteLine($"  {generation.Number,4}  {generation.Header?.Title ?? generation.Problem?.Problem}");
            break;
        case "reinstate":
            Console.WriteLine($"  Now generation {store.Reinstate(rest.Split(' ')[0], int.Parse(rest.Split(' ')[1]))}.");
            break;
        case "quick":
            store.QuickSave(round, Label());
            break;
        case "quickload":
            Console.WriteLine(store.QuickLoad() is { Found: true } quick ? $"  {Describe(round = quick.State)}." : "  There is no quick save of this evening.");
            break;
        case "continue":
            round = store.ContinueOrNew();
            Console.WriteLine($"  {Describe()}.");
            break;
        case "new" when Leave():
            store.StartPlaythrough();
            round = new Round();
            Console.WriteLine("  A new evening.");
            break;
        case "quit":
            return !Leave();
        case "load" or "delete" or "new":
            break;
        default:
            Console.WriteLine($"  There is no \"{command}\".");
            break;
    }
    return true;
}

void Save(SlotName slot)
{
    try
    {
        store.Save(slot, round, Label());
    }
    catch (SlotTakenException taken)
    {
        if (Ask($"  {taken.Problem} Write over it? (y/n) ") == "y")
            store.Save(slot, round, Label(), Overwrite.Allowed);
    }
}

// Nobody is asked for nothing: only if something would be lost.
bool Leave() => !store.WouldLoseProgress(round) || Ask("  Not everything is saved. Go on? (y/n) ") == "y";

SaveLabel Label() => new()
{
    Title = SaveLabel.TitleOf($"At {round.Keeper.Place}", round.Keeper.BeaconsLit.Count > 0 ? $"{round.Keeper.BeaconsLit.Count} lit" : null),
    Played = round.Keeper.Played,
    Summary = [new("oil", round.Keeper.Oil), new("beacons", round.Keeper.BeaconsLit.Count)],
};

string Describe(Round? of = null) => $"at {(of ?? round).Keeper.Place}, {(of ?? round).Keeper.Oil} litres of oil, lit: {((of ?? round).Keeper.BeaconsLit is { Count: > 0 } lit ? string.Join(", ", lit) : "nothing yet")}";

string? Ask(string question)
{
    Console.Write(question);
    var answer = Console.ReadLine();
    if (Console.IsInputRedirected)
        Console.WriteLine(answer);
    return answer;
}

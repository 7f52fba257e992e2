using Lodrik;
using Lodrik.Screens;
using SaveScreen;

// A save screen as text: one command a line, from a person or from a file ("help" lists them). What the rows are, what may be done and
// what has to be asked comes from the screen model; this file reads and writes lines. ScreenPicture.cs draws the same as a picture.
using var store = SaveStore<Round>.Open(args.Length > 0 ? args[0] : Path.Combine(AppContext.BaseDirectory, "saves"));
Round? round = null;
var screen = store.Screen(new ScreenGame<Round>
{
    Playing = () => round,
    Load = loaded => round = loaded.State,
    New = () => round = new Round(),
    Label = () => round!.Label(),
});
Press(screen.Can(ScreenAction.Continue).IsPossible ? ScreenAction.Continue : ScreenAction.New);
Console.WriteLine($"  You are {round}. \"help\" lists the commands.");

while (Read("> ") is { } line)
{
    var words = line.Split(' ', 2, StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
    if (words is ["quit", ..] && Leaves())
        break;
    if (words.Length > 0 && words[0] != "quit")
        Act(words[0], words.ElementAtOrDefault(1) ?? "");
}
return 0;

void Act(string command, string rest)
{
    switch (command)
    {
        case "help":
            Console.WriteLine(
                """
                  light NAME       lights a beacon
                  saves            lists the saves; the selected one is marked
                  select N         selects a save, by its number or its name
                  details          shows the selected save
                  save [NAME]      saves to the selected save, or under a name
                  load [N]         loads the selected save, or that one
                  continue, new    goes on with the newest save; begins a new evening
                  quick            saves quickly
                  rename NAME      gives the selected save another name
                  copy [NAME]      copies the selected save
                  delete [N]       deletes the selected save, or that one
                  clear            deletes all saves
                  undo             brings back what was deleted last
                  export FILE      writes the selected save to one file
                  import FILE      brings a save in from a file
                  buttons          says what may be done now, and why not
                  picture [FILE]   draws the screen (SVG)
                  quit             leaves
                """);
            break;
        case "light" when rest.Length > 0:
            round!.Keeper.Light(rest);
            Console.WriteLine($"  {round}.");
            break;
        case "saves":
            for (var i = 0; i < screen.Rows.Count; i++)
                Console.WriteLine(Line(i + 1, screen.Rows[i]));
            break;
        case "select" or "load" or "delete" when rest.Length > 0 && !Select(rest):
            Console.WriteLine($"  There is no save \"{rest}\". \"saves\" lists them.");
            break;
        case "select":
            Console.WriteLine(screen.Selected is { } row ? $"  {row.Caption}" : "  Nothing is selected.");
            break;
        case "details" when screen.Details() is { } details:
            Console.WriteLine($"  {details.Row.Caption}: {details.File}, {details.ByteCount} bytes{(details.Picture is { } png ? $", a picture of {png.Length} bytes" : "")}");
            foreach (var save in details.History)
                Console.WriteLine($"  {save.Number,4}  {save.Header?.Title ?? save.Problem?.Problem}");
            break;
        case "details":
            Console.WriteLine("  Select a save first.");
            break;
        case "quick":
            Console.WriteLine($"  Saved, {store.QuickSave(round!, round!.Label()).ByteCount} bytes.");
            screen.Refresh();
            break;
        case "buttons":
            foreach (var action in Enum.GetValues<ScreenAction>())
                Console.WriteLine($"  {action,-10} {(screen.Can(action) is { IsPossible: false } not ? not.Reason : "yes")}");
            break;
        case "picture":
            File.WriteAllText(rest.Length > 0 ? rest : "screen.svg", ScreenPicture.Of(screen));
            break;
        case "save":
            Press(rest.Length > 0 ? ScreenAction.SaveAs : ScreenAction.Save, rest);
            break;
        case "clear":
            Press(ScreenAction.ClearAll);
            break;
        case "load" or "continue" or "new" or "rename" or "copy" or "delete" or "undo" or "export" or "import":
            var button = Enum.Parse<ScreenAction>(command, ignoreCase: true);
            Press(button, button is ScreenAction.Load or ScreenAction.Delete ? "" : rest);
            if (button is ScreenAction.Load or ScreenAction.Continue or ScreenAction.New)
                Console.WriteLine($"  You are {round}.");
            break;
        default:
            Console.WriteLine($"  There is no \"{command}\". \"help\" lists the commands.");
            break;
    }
}

// A button is pressed; if it asks something, the player answers.
void Press(ScreenAction button, string text = "")
{
    var outcome = screen.Press(button, text);
    while (outcome.Kind == ScreenOutcomeKind.Asks)
    {
        var answer = Read($"  {outcome.Message} (y/n) ");
        if (answer == "picture")
            File.WriteAllText("question.svg", ScreenPicture.Of(screen));
        else
            outcome = screen.Answer(answer == "y");
    }
    Console.WriteLine($"  {outcome.Message}");
}

bool Leaves() => !store.WouldLoseProgress(round!) || Read("  What was played since the last save will be lost. Go on? (y/n) ") == "y";

bool Select(string which)
{
    screen.Select(int.TryParse(which, out var number) ? screen.Rows.ElementAtOrDefault(number - 1)
        : screen.Rows.FirstOrDefault(row => string.Equals(row.Caption, which, StringComparison.OrdinalIgnoreCase)));
    return screen.Selected is not null;
}

string Line(int number, SaveRow row) =>
    $"{(row == screen.Selected ? ">" : " ")}{number,3}  {row.Caption,-24} {(row.Name.Length > 0 ? row.Title : row.Kind?.ToString()),-24} "
        + $"{string.Join(", ", row.Summary.Select(pair => $"{pair.Key} {pair.Value}")),-20} played {row.Played:h\\:mm}  {row.Trouble}".TrimEnd();

string? Read(string question)
{
    Console.Write(question);
    var answer = Console.ReadLine();
    if (Console.IsInputRedirected)
        Console.WriteLine(answer);
    return answer;
}

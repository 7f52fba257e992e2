using System.CommandLine;
using System.CommandLine.Help;
using System.CommandLine.Invocation;
using Spectre.Console;

namespace Lodrik.Cli;

/// <summary>The help of the tool and of each command: what for, how, and examples that can be typed as they are.</summary>
internal sealed class ToolHelp : SynchronousCommandLineAction
{
    /// <summary>The commands, by what one wants to do.</summary>
    private static readonly (string Title, string[] Commands)[] Groups =
    [
        ("Begin", ["demo", "where"]),
        ("Look", ["slots", "history", "show", "check", "weigh", "forms", "report"]),
        ("Compare", ["diff", "watch"]),
        ("Change, for testing", ["set", "convert", "reinstate", "remove", "export", "import"]),
        ("Protect and repair", ["key", "seal", "lock", "unlock", "salvage"]),
        ("Versions", ["migrate", "ledger"]),
        ("Codes", ["code"]),
        ("Shell", ["completion"]),
    ];

    private static readonly Dictionary<string, string[]> Examples = new()
    {
        ["demo"] = ["lodrik demo --out saves"],
        ["where"] = ["lodrik where tidewarden"],
        ["slots"] = ["lodrik slots saves"],
        ["history"] = ["lodrik history saves/evening"],
        ["reinstate"] = ["lodrik reinstate saves evening 5"],
        ["remove"] = ["lodrik remove saves evening", "lodrik remove saves evening 5 --yes"],
        ["export"] = ["lodrik export saves evening evening.zip"],
        ["import"] = ["lodrik import saves evening.zip", "lodrik import saves evening.zip from-a-friend"],
        ["show"] = ["lodrik show saves", "lodrik show saves/evening warden/satchel/0", "lodrik show saves/evening@6 marsh/beacon-1 --json"],
        ["check"] = ["lodrik check saves", "lodrik check saves/evening --key game.jwk"],
        ["weigh"] = ["lodrik weigh saves/evening"],
        ["forms"] = ["lodrik forms saves/evening"],
        ["report"] = ["lodrik report saves -o report.html"],
        ["diff"] = ["lodrik diff saves/evening", "lodrik diff saves/evening@5 saves/evening@6 --json"],
        ["watch"] = ["lodrik watch saves"],
        ["set"] = ["lodrik set saves/evening warden/oil 12"],
        ["convert"] = ["lodrik convert evening.json --to binary", "lodrik convert saves/evening --to xml -o evening.xml"],
        ["seal"] = ["lodrik seal saves --key game.jwk", "lodrik seal evening.json --key game.jwk -o sealed.json"],
        ["lock"] = ["lodrik lock saves --key game.jwk --hide-titles"],
        ["unlock"] = ["lodrik unlock saves/evening --key game.jwk -o evening.json"],
        ["salvage"] = ["lodrik salvage saves/evening -o recovered.json"],
        ["migrate"] = ["lodrik migrate saves --with Game.dll --dry-run", "lodrik migrate old.json --with Game.dll -o new.json"],
        ["key new"] = ["lodrik key new game.jwk", "lodrik key new studio.jwk --signing"],
        ["key show"] = ["lodrik key show game.jwk"],
        ["ledger record"] = ["lodrik ledger record Game.dll"],
        ["ledger check"] = ["lodrik ledger check Game.dll"],
        ["ledger diff"] = ["lodrik ledger diff 1 2"],
        ["ledger release"] = ["lodrik ledger release 2"],
        ["ledger sample"] = ["lodrik ledger sample 2 -o samples"],
        ["code encode"] = ["lodrik code encode state.json --layout codes.json"],
        ["code decode"] = ["lodrik code decode 60QH-2QZ3-0FRV --layout codes.json"],
        ["code explain"] = ["lodrik code explain --layout codes.json", "lodrik code explain 60QH-2QZ3-0FRV --layout codes.json"],
        ["code pin"] = ["lodrik code pin --layout codes.json"],
        ["code check"] = ["lodrik code check --layout codes.json"],
        ["completion"] = ["source <(lodrik completion bash)"],
    };

    /// <summary>Arguments may be missing if help is asked for.</summary>
    public override bool ClearsParseErrors => true;

    public override int Invoke(ParseResult parseResult)
    {
        Write(parseResult.CommandResult.Command, parseResult.RootCommandResult.Command);
        return ExitCode.Fine;
    }

    /// <summary>Gives the commands this help, and errors that say what was meant without the whole of it.</summary>
    public static ParseResult Parse(RootCommand root, string[] arguments)
    {
        root.Options.OfType<HelpOption>().Single().Action = new ToolHelp();
        // A slot or a file may well begin with '@', which must not be taken for a file of arguments.
        var parsed = root.Parse(arguments, new ParserConfiguration { ResponseFileTokenReplacer = null });
        if (parsed.Action is ParseErrorAction error)
            error.ShowHelp = false;
        return parsed;
    }

    /// <summary>The command that goes on from a mistake: <c>lodrik show --help</c>.</summary>
    public static string HintFor(ParseResult parsed) =>
        $"Type \"lodrik{(PathOf(parsed.CommandResult.Command) is { Length: > 0 } path ? " " + path : "")} --help\" for help.";

    private static void Write(Command command, Command root)
    {
        Screen.Out.WriteLine(command.Description ?? "");
        Screen.Out.WriteLine();
        var isGroup = command.Subcommands.Count > 0;
        var path = PathOf(command);
        Screen.Out.WriteLine($"Usage: lodrik {(path.Length > 0 ? path + " " : "")}"
            + $"{(isGroup ? "<command>" : Shown(command.Arguments))}{(command.Arguments.Count > 0 || isGroup ? " " : "")}[options]");
        if (command == root)
        {
            var width = root.Subcommands.Max(one => Row(one).Name.Length);
            foreach (var (title, names) in Groups)
                Table(title, names.Select(name => root.Subcommands.First(one => one.Name == name)).Select(Row), width);
        }
        else if (isGroup)
        {
            Table("Commands", command.Subcommands.Select(Row));
        }
        Table("Arguments", command.Arguments.Select(one => (Shown([one]), one.Description ?? "")));
        var options = command.Options.Where(one => one is not HelpOption && !one.Hidden);
        Table("Options", options.Select(one => (NamesOf(one), one.Description ?? "")));
        if (Examples.TryGetValue(path, out var examples))
            Table("Examples", examples.Select(example => (example, "")));
        if (isGroup)
        {
            Screen.Out.WriteLine();
            Screen.Out.WriteLine(
                $"\"lodrik {(path.Length > 0 ? path + " " : "")}<command> --help\" shows the options of a command, with examples.");
        }
    }

    private static (string Name, string Text) Row(Command command) => (
        command.Subcommands.Count > 0
            ? $"{command.Name} {string.Join('|', command.Subcommands.Select(one => one.Name))}"
            : $"{command.Name} {Shown(command.Arguments)}".TrimEnd(), command.Description ?? "");

    /// <summary>Writes names, and beside each what it is, wrapped to the terminal's width.</summary>
    private static void Table(string title, IEnumerable<(string Name, string Text)> rows, int width = 0)
    {
        var all = rows.ToList();
        if (all.Count == 0)
            return;
        width = Math.Max(width, all.Max(row => row.Name.Length)) + 2;
        Screen.Out.WriteLine();
        Screen.Out.MarkupLineInterpolated($"[bold]{title}[/]");
        foreach (var (name, text) in all)
        {
            Screen.Out.Markup($"  [{Screen.Name}]{Screen.Text(text.Length > 0 ? name.PadRight(width) : name)}[/]");
            var at = width + 2;
            foreach (var word in text.Split(' '))
            {
                if (at > width + 2 && at + word.Length + 1 > Screen.Out.Profile.Width)
                {
                    Screen.Out.WriteLine();
                    Screen.Out.Write(new string(' ', width + 2));
                    at = width + 2;
                }
                Screen.Out.Write(at > width + 2 ? " " + word : word);
                at += word.Length + (at > width + 2 ? 1 : 0);
            }
            Screen.Out.WriteLine();
        }
    }

    private static string PathOf(Command command) =>
        command.Parents.OfType<Command>().FirstOrDefault() is { } parent ? $"{PathOf(parent)} {command.Name}".TrimStart() : "";

    /// <summary>Arguments as they are typed; those that may be left out are in brackets.</summary>
    private static string Shown(IEnumerable<Argument> arguments) => string.Join(
        ' ', arguments.Select(one => one.HasDefaultValue || one.Arity.MinimumNumberOfValues == 0
            ? $"[<{one.HelpName ?? one.Name}>]" : $"<{one.HelpName ?? one.Name}>"));

    private static string NamesOf(Option option)
    {
        var names = string.Join(", ", option.Aliases.Order(StringComparer.Ordinal).Prepend(option.Name));
        return option.ValueType == typeof(bool) || option is VersionOption
            ? names
            : $"{names} <{option.HelpName ?? option.Name.TrimStart('-')}>";
    }
}

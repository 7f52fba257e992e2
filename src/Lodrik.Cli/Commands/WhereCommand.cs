using System.CommandLine;
using Lodrik.Slots;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik where</c>: the folder in which a game's saves are.</summary>
internal static class WhereCommand
{
    public static Command Create()
    {
        var game = new Argument<string>("game") { Description = "The game's id, as its [SaveFile] gives it." };
        var publisher = new Option<string?>("--publisher") { Description = "The publisher's folder, where the game names one." };
        var command = new Command("where", "Prints the folder in which a game's saves are.") { game, publisher };
        command.SetAction(parsed => Run(parsed.GetRequiredValue(game), parsed.GetValue(publisher)));
        return command;
    }

    private static int Run(string game, string? publisher)
    {
        var folder = PlatformFolder.Of(game, publisher);
        Console.WriteLine(folder);
        if (Directory.Exists(folder))
            return ExitCode.Fine;
        Screen.Error.MarkupLineInterpolated(
            $"[{Screen.Notice}]There is no such folder yet: the game has not saved on this machine, or not there.[/]");
        return ExitCode.FoundWrong;
    }
}

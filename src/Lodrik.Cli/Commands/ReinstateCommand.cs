using System.CommandLine;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik reinstate</c>: makes an older generation the one that loads.</summary>
internal static class ReinstateCommand
{
    public static Command Create()
    {
        var folder = new Argument<string>("folder") { Description = "The folder of a game's saves." };
        var slot = new Argument<string>("slot") { Description = "The slot." };
        var generation = WholeNumber.Argument("generation", "The number of the generation, as shown by history.", least: 1);
        var command = new Command("reinstate", "Makes an older generation of a slot the newest again. The others are kept.")
        {
            folder,
            slot,
            generation,
        };
        command.SetAction(parsed =>
            Run(parsed.GetRequiredValue(folder), parsed.GetRequiredValue(slot), parsed.GetRequiredValue(generation)));
        return command;
    }

    private static int Run(string folder, string slot, int generation)
    {
        var number = SavePlace.Slots(folder).Reinstate(slot, generation);
        Screen.Out.MarkupLineInterpolated(
            $"[{Screen.Good}]Generation {generation} of {slot} is its newest again, as generation {number}.[/] The others stay.");
        return ExitCode.Fine;
    }
}

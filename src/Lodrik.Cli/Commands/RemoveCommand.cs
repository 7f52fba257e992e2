using System.CommandLine;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik remove</c>: deletes a slot, or one generation of it, after asking.</summary>
internal static class RemoveCommand
{
    public static Command Create()
    {
        var folder = new Argument<string>("folder") { Description = "The folder of a game's saves." };
        var slot = new Argument<string>("slot") { Description = "The slot." };
        var generation = WholeNumber.OptionalArgument("generation", "One generation. By default the whole slot.", least: 1);
        var yes = new Option<bool>("--yes") { Description = "Does not ask for confirmation, for scripts." };
        var command = new Command("remove", "Deletes a slot with its history, or one generation, for good.")
        {
            folder,
            slot,
            generation,
            yes,
        };
        command.SetAction(parsed =>
            Run(parsed.GetRequiredValue(folder), parsed.GetRequiredValue(slot), parsed.GetValue(generation), parsed.GetValue(yes)));
        return command;
    }

    private static int Run(string folder, string slot, int? generation, bool yes)
    {
        var slots = SavePlace.Slots(folder);
        var generations = slots.History(slot);
        if (generation is { } one && generations.All(known => known.Number != one))
            slots.OpenSave(slot, one);
        var what = generation is { } number
            ? $"generation {number} of {slot}"
            : generations.Count == 1
            ? $"{slot} with its only save"
            : $"{slot} with {generations.Count} saves";
        if (!yes && !Confirmed(what))
        {
            Screen.Out.MarkupLineInterpolated($"[{Screen.Notice}]Nothing was deleted.[/]");
            return ExitCode.FoundWrong;
        }
        if (generation is { } doomed)
            slots.DeleteGeneration(slot, doomed);
        else
            slots.Delete(slot);
        Screen.Out.MarkupLineInterpolated($"Deleted {what}.");
        return ExitCode.Fine;
    }

    /// <summary>Whether a person says yes; where nobody can be asked, nobody does.</summary>
    private static bool Confirmed(string what)
    {
        Console.Write($"Delete {what} for good? (y/n) ");
        var answer = Console.ReadLine();
        if (answer is null)
            Console.WriteLine();
        return answer?.Trim().ToLowerInvariant() is "y" or "yes";
    }
}

using System.CommandLine;
using Lodrik.Cli.Views;
using Lodrik.Inspection;
using Lodrik.Slots;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik diff</c>: what changed between two saves.</summary>
internal static class DiffCommand
{
    public static Command Create()
    {
        var before = SaveArgument.Create("before");
        var after = new Argument<string?>("after")
        {
            Description = "The other save. By default, a slot's save is compared with the one before it.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        after.CompletionSources.Add(SaveCompletions.Saves);
        var json = new Option<bool>("--json") { Description = "Writes the differences as a JSON Patch (RFC 6902) over the sections." };
        var full = new Option<bool>("--full") { Description = "Shows all differences." };
        var command =
            new Command("diff", "Shows what changed between two saves of any form, entity by entity and value by value.")
            {
                before,
                after,
                json,
                full,
            };
        var key = new KeyOptions(command);
        command.SetAction(parsed => Run(
            parsed.GetRequiredValue(before), parsed.GetValue(after), parsed.GetValue(json), parsed.GetValue(full), key.Of(parsed)));
        return command;
    }

    private static int Run(string one, string? other, bool json, bool full, ToolKey? key)
    {
        var (first, second) = (SaveArgument.Of(one), other is null ? null : SaveArgument.Of(other));
        if (second is null)
        {
            if (first is not { Slot: { } slot, Store: { } store })
                throw new ArgumentException("Pass a second save. Only a save in a slot has one before it.");
            var earlier = SavePlace.Slots(store).History(slot).FirstOrDefault(generation => generation.Number < first.Generation)
                ?? throw new SlotException(SaveErrorCode.NoSuchSlot, $"The slot has no generation before {first.Generation}.",
                    new SaveLocation { Slot = slot.ToString() }, "Pass a second save.");
            (first, second) = (SaveArgument.Of($"{store}/{slot}@{earlier.Number}"), first);
        }
        var (before, after) = (first.Open(key, mayBePlain: true), second.Open(key, mayBePlain: true));
        var comparison = Screen.WithProgress("Comparing", before.ByteCount, progress => SaveComparison.Of(before, after, progress));
        if (json)
        {
            Screen.Out.Profile.Out.Writer.WriteLine(comparison.ToJsonPatch());
            return comparison.IsEmpty ? ExitCode.Fine : ExitCode.FoundWrong;
        }
        var summary = Screen.Visible(DiffView.Summary(comparison));
        Screen.Out.MarkupLineInterpolated($"[bold]{Screen.Visible(first.Name)}[/] to [bold]{Screen.Visible(second.Name)}[/]: {summary}");
        DiffView.Show(comparison, full);
        return comparison.IsEmpty ? ExitCode.Fine : ExitCode.FoundWrong;
    }
}

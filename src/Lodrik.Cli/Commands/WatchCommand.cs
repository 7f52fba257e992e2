using System.CommandLine;
using System.Text.Json;
using Lodrik.Cli.Views;
using Lodrik.Inspection;
using Lodrik.Slots;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik watch</c>: follows a game that is running.</summary>
internal static class WatchCommand
{
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(200);

    public static Command Create()
    {
        var folder = new Argument<string>("folder") { Description = "The folder of a game's saves." };
        var count = WholeNumber.Option("--count", "Ends after so many saves; if not given, with Ctrl+C.", least: 1);
        var full = new Option<bool>("--full") { Description = "Shows all differences." };
        var json = new Option<bool>("--json")
        {
            Description = "Writes a line of JSON for each save, with the differences as a JSON Patch (RFC 6902).",
        };
        var command = new Command("watch", "Follows a running game, and shows what changed with each new save.")
        {
            folder,
            count,
            full,
            json,
        };
        var key = new KeyOptions(command);
        command.SetAction((parsed, cancellation) => Run(
            parsed.GetRequiredValue(folder), parsed.GetValue(count) ?? int.MaxValue, parsed.GetValue(full), parsed.GetValue(json),
            key.Of(parsed), cancellation));
        return command;
    }

    private static async Task<int> Run(string folder, int count, bool full, bool json, ToolKey? key, CancellationToken cancellation)
    {
        var slots = SavePlace.Slots(folder, key);
        var seen = Newest(slots).ToDictionary(one => one.Slot, one => one.Generation);
        if (!json)
            Screen.Out.MarkupLineInterpolated(
                $"[{Screen.Faint}]Watching {folder}: {seen.Count} {(seen.Count == 1 ? "slot" : "slots")}. Ctrl+C ends it.[/]");
        while (count > 0 && !cancellation.IsCancellationRequested)
        {
            foreach (var (slot, generation) in Newest(slots).Where(one => one.Generation > seen.GetValueOrDefault(one.Slot)))
            {
                if (json)
                    Write(slots, slot, generation, key);
                else
                    Show(slots, slot, generation, full, key);
                seen[slot] = generation;
                if (--count == 0)
                    return ExitCode.Fine;
            }
            await Task.Delay(Pause, cancellation).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }
        return ExitCode.Fine;
    }

    private static List<(SlotName Slot, int Generation)> Newest(SaveSlots slots) =>
        [.. slots.List().GroupBy(one => one.Slot).Select(slot => (slot.Key, slots.History(slot.Key)[0].Number))];

    private static void Show(SaveSlots slots, SlotName slot, int generation, bool full, ToolKey? key)
    {
        try
        {
            var history = slots.History(slot);
            var now = history.First(one => one.Number == generation);
            var (title, size) = (now.Header?.Title ?? "", Screen.Size(now.ByteCount));
            Screen.Out.MarkupLineInterpolated(
                $"[{Screen.Faint}]{DateTime.Now:HH:mm:ss}[/] [{Screen.Name}]{slot}@{generation}[/] {title} [{Screen.Faint}]{size}[/]");
            if (history.FirstOrDefault(one => one.Number < generation) is not { } before)
            {
                Screen.Out.MarkupLine($"  [{Screen.Faint}]the first save of the slot[/]");
                return;
            }
            var comparison = Compare(slots, before, now, key);
            Screen.Out.MarkupLineInterpolated($"  since @{before.Number}: {Screen.Visible(DiffView.Summary(comparison))}");
            DiffView.Show(comparison, full);
        }
        catch (SaveException problem)
        {
            Screen.Out.MarkupLineInterpolated($"  [{Screen.Bad}]{Screen.Visible(problem.Message)}[/]");
        }
    }

    /// <summary>A line for scripts.</summary>
    private static void Write(SaveSlots slots, SlotName slot, int generation, ToolKey? key)
    {
        var line = new WatchLine(DateTimeOffset.Now, slot.ToString(), generation, null, 0, null, null, null);
        try
        {
            var history = slots.History(slot);
            var now = history.First(one => one.Number == generation);
            var before = history.FirstOrDefault(one => one.Number < generation);
            line = line with { Title = now.Header?.Title, ByteCount = now.ByteCount, Before = before?.Number };
            if (before is not null)
                line = line with { Patch = JsonDocument.Parse(Compare(slots, before, now, key).ToJsonPatch()).RootElement };
        }
        catch (SaveException problem)
        {
            line = line with { Problem = problem.Message };
        }
        Screen.Out.Profile.Out.Writer.WriteLine(JsonSerializer.Serialize(line, ToolJsonLines.Readable.WatchLine));
        Screen.Out.Profile.Out.Writer.Flush();
    }

    private static SaveComparison Compare(SaveSlots slots, GenerationSummary before, GenerationSummary now, ToolKey? key)
    {
        return SaveComparison.Of(Open(before), Open(now));

        SavedFile Open(GenerationSummary one) => SaveArgument.Open(slots.Storage.Locate(one.File), key, mayBePlain: false);
    }
}

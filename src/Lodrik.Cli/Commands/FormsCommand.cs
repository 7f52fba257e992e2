using System.CommandLine;
using System.Diagnostics;
using System.Globalization;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik forms</c>: one save in every form side by side, so that one can be chosen.</summary>
internal static class FormsCommand
{
    private static readonly TimeSpan Budget = TimeSpan.FromMilliseconds(150);

    public static Command Create()
    {
        var file = new Argument<string>("file") { Description = "A save of any form." };
        var command = new Command("forms", "Compares the forms on one save: size, time to write and to read, readable or not.") { file };
        command.SetAction(parsed => Run(parsed.GetRequiredValue(file)));
        return command;
    }

    private static int Run(string path)
    {
        var source = SavedFile.Open(path);
        (string Name, SaveForm Form, bool Indented, string Readable)[] forms =
        [
            ("JSON", SaveForm.Json, true, "by everyone"),
            ("JSON, compact", SaveForm.Json, false, "with a formatter"),
            ("XML", SaveForm.Xml, true, "by everyone"),
            ("XML, compact", SaveForm.Xml, false, "with a formatter"),
            ("binary", SaveForm.Binary, false, "with lodrik, or any CBOR reader"),
        ];
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        table.AddColumn($"[{Screen.Faint}]form[/]");
        foreach (var column in (string[])["size", "of JSON", "write", "read"])
            table.AddColumn(new TableColumn($"[{Screen.Faint}]{column}[/]").RightAligned());
        table.AddColumn($"[{Screen.Faint}]readable[/]");
        table.AddColumn($"[{Screen.Faint}]hidden[/]");
        var whole = source.ToForm(SaveForm.Json).Length;
        foreach (var (name, form, indented, readable) in forms)
        {
            var bytes = source.ToForm(form, indented);
            var isThis = form == source.Form && (form == SaveForm.Binary || Math.Abs(bytes.Length - source.Bytes) <= 1);
            var size = isThis ? source.Bytes : bytes.Length;
            table.AddRow(
                isThis ? $"[{Screen.Name}]{name}[/] [{Screen.Faint}](this file)[/]" : name,
                Screen.Size(size),
                string.Create(CultureInfo.InvariantCulture, $"{100.0 * size / whole:F0} %"),
                Time(() => source.ToForm(form, indented)),
                Time(() => GoThrough(SavedFile.FromBytes(bytes).ReadTree())),
                readable,
                "no");
        }
        Screen.Out.Write(table);
        Screen.Out.MarkupLine($"[{Screen.Faint}]Times are of this tool, which works on trees, as the median of some runs; a game's own types are faster. Compare the rows.[/]");
        return ExitCode.Fine;
    }

    /// <summary>Looks at every value, as reading does; lists may be decoded no sooner than that.</summary>
    private static int GoThrough(SaveValue value) => value switch
    {
        SaveMap map => map.Sum(entry => GoThrough(entry.Value)),
        SaveList list => list.Sum(GoThrough),
        _ => 1,
    };

    /// <summary>The median time of an act, run for a while.</summary>
    private static string Time(Action act)
    {
        var times = new List<double>();
        var started = Stopwatch.GetTimestamp();
        do
        {
            var run = Stopwatch.GetTimestamp();
            act();
            times.Add(Stopwatch.GetElapsedTime(run).TotalMilliseconds);
        }
        while (Stopwatch.GetElapsedTime(started) < Budget || times.Count < 3);
        times.Sort();
        return string.Create(CultureInfo.InvariantCulture, $"{times[times.Count / 2]:F3} ms");
    }
}

using System.CommandLine;
using System.Diagnostics;
using System.Globalization;
using Lodrik.Cli.Views;
using Lodrik.Inspection;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik forms</c>: one save in every form side by side, so that one can be chosen.</summary>
internal static class FormsCommand
{
    private static readonly TimeSpan Budget = TimeSpan.FromMilliseconds(150);

    public static Command Create()
    {
        var save = SaveArgument.Create("save");
        var json = Screen.JsonOption();
        var command = new Command("forms", "Compares the three forms for one save: size, time to write and to read, readability.")
        {
            save,
            json,
        };
        command.SetAction(parsed => Run(SaveArgument.Of(parsed.GetRequiredValue(save)).Path, parsed.GetValue(json)));
        return command;
    }

    private static int Run(string path, bool json)
    {
        var source = SavePlace.OpenFile(path);
        (string Name, SaveForm Form, bool Indented, string Readable)[] forms =
        [
            ("JSON", SaveForm.Json, true, "by everyone"),
            ("JSON, compact", SaveForm.Json, false, "with a formatter"),
            ("XML", SaveForm.Xml, true, "by everyone"),
            ("XML, compact", SaveForm.Xml, false, "with a formatter"),
            ("binary", SaveForm.Binary, false, "with lodrik, or any CBOR reader"),
        ];
        var table = new FittingTable()
            .Column("form", 10).Column("size", 9, right: true).Column("of JSON", 4, right: true).Column("write", 7, right: true)
                .Column("read", 8, right: true)
            .Column("readable", 6).Column("hidden", 1);
        var lines = new List<FormLine>();
        var whole = source.ToForm(SaveForm.Json).Length;
        foreach (var (name, form, indented, readable) in forms)
        {
            var bytes = source.ToForm(form, indented);
            var isThis = form == source.Form && (form == SaveForm.Binary || Math.Abs(bytes.Length - source.ByteCount) <= 1);
            var size = isThis ? source.ByteCount : bytes.Length;
            var (write, read) = (Time(() => source.ToForm(form, indented)), Time(() => GoThrough(SavedFile.FromBytes(bytes).ReadTree())));
            lines.Add(new FormLine(form.ToString(), indented, size, write, read, isThis));
            table.Row(
                isThis ? $"[{Screen.Name}]{name}[/] [{Screen.Faint}](this file)[/]" : name,
                Screen.Size(size),
                string.Create(CultureInfo.InvariantCulture, $"{100.0 * size / whole:F0} %"),
                Milliseconds(write),
                Milliseconds(read),
                readable,
                "no");
        }
        if (json)
        {
            Screen.Json(lines, ToolJson.Readable.ListFormLine);
            return ExitCode.Fine;
        }
        table.Write();
        Screen.Out.MarkupLine(
            $"[{Screen.Faint}]Times are medians of this tool, which works on trees. A game's own types are faster. "
                + "Compare the rows.[/]");
        return ExitCode.Fine;
    }

    /// <summary>Looks at every value, as reading does; lists may be decoded no sooner than that.</summary>
    private static int GoThrough(SaveValue value) => value switch
    {
        SaveMap map => map.Sum(entry => GoThrough(entry.Value)),
        SaveList list => list.Sum(GoThrough),
        _ => 1,
    };

    /// <summary>The median time of an act in milliseconds, run for a while.</summary>
    private static double Time(Action act)
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
        return times[times.Count / 2];
    }

    private static string Milliseconds(double time) => string.Create(CultureInfo.InvariantCulture, $"{time:F3} ms");
}

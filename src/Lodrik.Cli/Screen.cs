using System.CommandLine;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Lodrik.Inspection;
using Spectre.Console;

namespace Lodrik.Cli;

/// <summary>Exit codes of the tool.</summary>
internal static class ExitCode
{
    public const int Fine = 0;
    public const int FoundWrong = 1;
    public const int WrongUse = 2;
}

/// <summary>The two places that the tool writes to, and the colors that mean something in all of its views.</summary>
internal static class Screen
{
    private const long LargeBytes = 4_000_000;

    public const string Good = "green";
    public const string Notice = "yellow";
    public const string Bad = "red";
    public const string Faint = "grey58";
    public const string Name = "turquoise2";
    public const string Number = "khaki1";

    /// <summary>Where results go. Redirected, a line is as long as it is: nothing is wrapped or cut.</summary>
    public static IAnsiConsole Out { get; } = Make(Console.Out, Console.IsOutputRedirected);

    /// <summary>Where errors go.</summary>
    public static IAnsiConsole Error { get; } = Make(Console.Error, Console.IsErrorRedirected);

    /// <summary>
    /// Text from a file as markup: what Spectre would take for markup is escaped, and control characters are written out, so
    /// that no save can move the cursor or color the screen.
    /// </summary>
    public static string Text(string text) => Markup.Escape(Visible(text));

    /// <summary>Text with its control characters written as escapes.</summary>
    public static string Visible(string text) => ContentOutline.Visible(text);

    public static string Size(long bytes) => bytes switch
    {
        < 10_000 => string.Create(CultureInfo.InvariantCulture, $"{bytes} B"),
        < 10_000_000 => string.Create(CultureInfo.InvariantCulture, $"{bytes / 1000.0:F1} kB"),
        _ => string.Create(CultureInfo.InvariantCulture, $"{bytes / 1_000_000.0:F1} MB"),
    };

    public static string Duration(TimeSpan time) => time.TotalHours >= 1
        ? string.Create(CultureInfo.InvariantCulture, $"{(int)time.TotalHours} h {time.Minutes:D2} min")
        : string.Create(CultureInfo.InvariantCulture, $"{time.Minutes} min");

    public static string Time(DateTimeOffset time) =>
        time == default ? "" : time.ToLocalTime().ToString("yyyy-MM-dd HH:mm:ss", CultureInfo.InvariantCulture);

    /// <summary>The option of a command that a script may read.</summary>
    public static Option<bool> JsonOption() => new("--json") { Description = "Writes JSON, for scripts." };

    /// <summary>Writes a value for scripts.</summary>
    public static void Json<T>(T value, JsonTypeInfo<T> type) => Out.Profile.Out.Writer.WriteLine(JsonSerializer.Serialize(value, type));

    /// <summary>A form by the word that is given on the command line.</summary>
    public static bool TryParseForm(string? word, out SaveForm form) =>
        Enum.TryParse(word, ignoreCase: true, out form) && Enum.IsDefined(form) && !char.IsDigit(word![0]);

    /// <summary>
    /// Does something that takes long with a large save. If somebody is looking, a bar beside the errors says how far it is, and goes
    /// away.
    /// </summary>
    /// <param name="doing">What is being done, as in "Comparing".</param>
    /// <param name="bytes">How much there is to go through.</param>
    /// <param name="act">Does it; what it is given takes the part that is done.</param>
    public static T WithProgress<T>(string doing, long bytes, Func<IProgress<double>?, T> act) =>
        bytes < LargeBytes || Console.IsErrorRedirected || !Error.Profile.Capabilities.Interactive
        ? act(null)
        : Error.Progress().AutoClear(true).HideCompleted(true).Start(context => act(new Bar(context.AddTask(doing))));

    private sealed class Bar(ProgressTask task) : IProgress<double>
    {
        public void Report(double value) => task.Value = value * task.MaxValue;
    }

    private static IAnsiConsole Make(TextWriter writer, bool redirected)
    {
        var console = AnsiConsole.Create(new AnsiConsoleSettings { Out = new AnsiConsoleOutput(writer) });
        if (redirected)
            console.Profile.Width = 500;
        return console;
    }
}

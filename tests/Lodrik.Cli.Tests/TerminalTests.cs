using System.Diagnostics;
using System.Text.RegularExpressions;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>What somebody sees who sits in front of it: the Tab key, narrow and colorless terminals, answers to slips of the hand.</summary>
public sealed partial class TerminalTests(DemoSaves demo)
{
    private string Store => Path.Combine(demo.Folder, "json");

    [Theory]
    [InlineData("lodrik s", "salvage seal set show slots")]
    [InlineData("lodrik show $/", "$/auto $/evening $/quick")]
    [InlineData("lodrik show $", "$/auto $/evening $/quick")]
    [InlineData("lodrik diff $/auto@3 $/auto@", "{generations}")]
    [InlineData("lodrik show $/evening war", "warden")]
    [InlineData("lodrik set $/evening warden/s", "warden/satchel warden/stamina")]
    [InlineData("lodrik show $/evening scenes/marsh/entities/heron-1/parts/mood/", "scenes/marsh/entities/heron-1/parts/mood/fishCaught scenes/marsh/entities/heron-1/parts/mood/wary")]
    [InlineData("lodrik convert $/evening --to ", "binary json xml")]
    [InlineData("lodrik show nowhere/ever there/", "")]
    public void In_bash_the_Tab_key_knows_what_can_follow(string line, string expected)
    {
        // As bash calls it; "lodrik" is the tool of this build.
        var script = $$"""
            lodrik() { dotnet "{{Path.Combine(AppContext.BaseDirectory, "Lodrik.Cli.dll")}}" "$@"; }
            source <(lodrik completion bash)
            COMP_LINE="$1"; COMP_POINT=${#1}; _lodrik; echo "${COMPREPLY[@]}"
            """;
        // How many automatic saves become one depends on how busy the machine is.
        var generations = Directory.GetFiles(Path.Combine(Store, "slots", "auto")).Select(file => Path.GetFileName(file).Split('.')[0].TrimStart('0')).Distinct().Order();
        expected = expected.Replace("{generations}", string.Join(' ', generations), StringComparison.Ordinal);
        Assert.Equal(expected.Replace("$", Store, StringComparison.Ordinal), Run("bash", "-c", script, "bash", line.Replace("$", Store, StringComparison.Ordinal)).Trim());
    }

    [Fact]
    public void What_a_save_has_for_names_is_quoted_before_a_shell_gets_it()
    {
        var file = Path.Combine(demo.Folder, "names.json");
        File.WriteAllText(file, """{ "$(touch spoilt) `x`; y": { "a": 1 } }""");
        var script = $$"""
            lodrik() { dotnet "{{Path.Combine(AppContext.BaseDirectory, "Lodrik.Cli.dll")}}" "$@"; }
            source <(lodrik completion bash)
            COMP_LINE="$1"; COMP_POINT=${#1}; _lodrik; echo "${COMPREPLY[0]}"
            """;
        Assert.Equal(@"\$\(touch\ spoilt\)\ \`x\`\;\ y", Run("bash", "-c", script, "bash", $"lodrik show {file} $").Trim());
        Assert.False(File.Exists(Path.Combine(demo.Folder, "spoilt")));
    }

    [Theory]
    [InlineData(80, "slot title played saved health")]
    [InlineData(200, "slot kind title summary played saved version form size generations health")]
    public void A_table_leaves_out_what_a_terminal_has_no_room_for(int width, string columns)
    {
        var lines = InTerminal(width, "slots", Store);
        Assert.Equal(columns, string.Join(' ', lines[1].Split('│', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)));
        Assert.Contains(lines, line => line.Contains("Evening on the marsh", StringComparison.Ordinal));
        Assert.All(lines, line => Assert.True(line.Length <= width, line));
        Assert.Equal(width < 100, lines.Any(line => line.StartsWith("Not shown for lack of room: kind, summary, version", StringComparison.Ordinal)));
    }

    [Fact]
    public void There_is_color_in_a_terminal_unless_it_is_not_wanted()
    {
        var run = $"dotnet {Path.Combine(AppContext.BaseDirectory, "Lodrik.Cli.dll")} slots {Store}";
        Assert.Contains("\e[38;5;", Run("script", "-qec", $"stty cols 150; TERM=xterm-256color {run}", "/dev/null"), StringComparison.Ordinal);
        Assert.DoesNotContain("\e[3", Run("script", "-qec", $"stty cols 150; TERM=xterm-256color NO_COLOR=1 {run}", "/dev/null"), StringComparison.Ordinal);
        Assert.DoesNotContain("\e", ProgramRun.Lodrik("slots", Store).Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("--depth has to be a whole number of at least 0, not many.", "show", "$/evening", "--depth", "many")]
    [InlineData("--depth has to be a whole number of at least 0, not -1.", "weigh", "$/evening", "--depth", "-1")]
    [InlineData("--details has to be a whole number of at least 1, not 0.", "report", "$", "-o", "page.html", "--details", "0")]
    [InlineData("<generation> has to be a whole number of at least 1, not x.", "reinstate", "$", "auto", "x")]
    [InlineData("--count has to be a whole number of at least 1, not 99999999999.", "watch", "$", "--count", "99999999999")]
    [InlineData("Did you mean", "shwo", "$/evening")]
    [InlineData("A single file has no history", "history", "$/slots/evening/00000001.json")]
    [InlineData("Pass the output file with --output", "convert", "$/evening", "--to", "xml")]
    public void Wrong_use_is_answered_with_what_is_right_and_ends_with_two(string expected, params string[] arguments)
    {
        var run = ProgramRun.Lodrik([.. arguments.Select(argument => argument.Replace("$", Store, StringComparison.Ordinal))]);
        Assert.Equal(2, run.Exit);
        Assert.Contains(expected, run.Error + run.Out, StringComparison.Ordinal);
        Assert.False(File.Exists(Path.Combine(Store, "slots", "evening", "00000001.xml")));
    }

    [Fact]
    public void A_slot_is_taken_wherever_a_save_is()
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
        var (evening, key) = ($"{Store}/evening", Path.Combine(demo.Folder, "keys", "demo.jwk"));
        Assert.Equal(Fine("history", $"{Store}/auto").Split('\n')[..6], Fine("history", Store, "auto").Split('\n')[..6]);
        Fine("convert", evening, "--to", "xml", "-o", $"{folder}/evening.xml");
        Fine("seal", $"{evening}@1", "--key", key, "-o", $"{folder}/sealed.json");
        Fine("unlock", $"{folder}/sealed.json", "--key", key, "-o", $"{folder}/open.json");
        Assert.Equal(File.ReadAllBytes(demo.Evening("json")), File.ReadAllBytes($"{folder}/open.json"));
        Fine("salvage", evening, "-o", $"{folder}/salvaged.json");
        Assert.Contains("the seal matches", Fine("check", $"{folder}/sealed.json", "--key", key), StringComparison.Ordinal);
        Assert.Contains("sealed (checked with --key)", Fine("show", $"{folder}/sealed.json", "--depth", "0"), StringComparison.Ordinal);
        Assert.Contains("the seal of the key demo matches", Fine("show", $"{folder}/sealed.json", "--depth", "0", "--key", key), StringComparison.Ordinal);
        Fine("diff", evening, $"{folder}/evening.xml");
        Directory.Delete(folder, recursive: true);

        static string Fine(params string[] arguments)
        {
            var run = ProgramRun.Lodrik(arguments);
            Assert.Equal((0, ""), (run.Exit, run.Error));
            return run.Out;
        }
    }

    private static List<string> InTerminal(int width, params string[] arguments)
    {
        var command = string.Join(' ', arguments.Prepend(Path.Combine(AppContext.BaseDirectory, "Lodrik.Cli.dll")).Prepend("dotnet"));
        var output = Run("script", "-qec", $"stty cols {width}; NO_COLOR=1 {command}", "/dev/null");
        return [.. Escapes().Replace(output, "").Split('\n').Select(line => line.TrimEnd('\r', ' '))];
    }

    private static string Run(string program, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardInput = true, WorkingDirectory = Path.GetTempPath() })!;
        process.StandardInput.Close();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return output;
    }

    [GeneratedRegex("\e\\[[0-9;?]*[a-zA-Z]|\e[=>]")]
    private static partial Regex Escapes();
}

using System.Text.Json;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>Comparing, weighing, changing and following saves from the command line.</summary>
public sealed class InspectionToolTests(DemoSaves demo) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    private string Key => Path.Combine(demo.Folder, "keys", "demo.jwk");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Two_slots_are_compared_entity_by_entity()
    {
        var diff = ProgramRun.Lodrik("diff", At("json", "quick"), At("json", "slots/evening@1"));
        Assert.Equal((1, ""), (diff.Exit, diff.Error));
        Assert.Matches("^json/quick@1 to json/evening@1: [0-9]+ values; marsh: 1 added, ", diff.Out);
        Assert.Matches("season/tide .*\"Ebb\" .*\"Flood\"", diff.Out);
        Assert.Matches("marsh punt +moved", diff.Out);
        Assert.Matches("marsh #3 driftLantern added", diff.Out);
    }

    [Fact]
    public void A_slot_alone_is_compared_with_what_it_held_before()
    {
        var store = Copy("json", "evening");
        Assert.Equal(0, ProgramRun.Lodrik("set", Path.Combine(store, "evening"), "warden/oil", "41").Exit);
        var diff = ProgramRun.Lodrik("diff", Path.Combine(store, "evening"));
        Assert.Equal((1, ""), (diff.Exit, diff.Error));
        Assert.StartsWith("json/evening@1 to json/evening@2: 1 value", diff.Out, StringComparison.Ordinal);
        Assert.Equal(diff.Out, ProgramRun.Lodrik("diff", Path.Combine(store, "evening@1"), Path.Combine(store, "slots", "evening@2")).Out);
    }

    [Theory]
    [InlineData("json", "xml")]
    [InlineData("xml", "binary")]
    [InlineData("binary", "encrypted")]
    [InlineData("signed", "sealed")]
    public void The_same_save_in_two_forms_is_not_different(string one, string other)
    {
        string[] key = other == "encrypted" ? ["--key", Key] : [];
        var diff = ProgramRun.Lodrik(["diff", At(one, "evening"), demo.Evening(other), .. key]);
        Assert.Equal((0, ""), (diff.Exit, diff.Error));
        Assert.Contains("no differences", diff.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void A_patch_for_scripts_is_a_list_of_operations()
    {
        using var patch = JsonDocument.Parse(ProgramRun.Lodrik("diff", At("json", "quick"), At("binary", "evening"), "--json").Out);
        Assert.All(patch.RootElement.EnumerateArray(), operation => Assert.Contains(operation.GetProperty("op").GetString(), (string[])["add", "remove", "replace"]));
        Assert.Contains(patch.RootElement.EnumerateArray(), operation => operation.GetProperty("path").GetString() == "/scenes~1marsh/entities/beacon-3/parts/flame/lit");
    }

    [Fact]
    public void What_is_not_there_is_said_with_what_is()
    {
        Wrong(1, "Did you mean \"evening\"?", "diff", At("json", "evning"), At("xml", "evening"));
        Wrong(1, "It has 1.", "diff", At("json", "evening@9"), At("json", "evening"));
        Wrong(1, "no generation before 1", "diff", At("json", "evening"));
        Wrong(2, "Pass a second save", "diff", demo.Evening("json"));
        Wrong(1, "no such file, slot or store", "weigh", Path.Combine(_folder, "nothing"));
        Wrong(1, "not a store of saves", "show", _folder);
    }

    [Theory]
    [InlineData("json")]
    [InlineData("binary")]
    [InlineData("encrypted")]
    public void What_takes_the_space_is_shown_and_adds_up(string store)
    {
        var weigh = ProgramRun.Lodrik("weigh", demo.Evening(store), "--key", Key);
        Assert.Equal((0, ""), (weigh.Exit, weigh.Error));
        Assert.Matches("driftLantern .* 3 ", weigh.Out);
        using var json = JsonDocument.Parse(ProgramRun.Lodrik("weigh", demo.Evening(store), "--key", Key, "--json").Out);
        Assert.Equal(
            new FileInfo(demo.Evening(store)).Length,
            json.RootElement.GetProperty("frameByteCount").GetInt64()
                + json.RootElement.GetProperty("sections").EnumerateArray().Sum(section => section.GetProperty("fileByteCount").GetInt64()));
    }

    [Fact]
    public void A_value_is_changed_as_a_new_generation_and_keeps_its_type()
    {
        var store = Copy("sealed", "evening");
        var save = Path.Combine(store, "evening");
        Wrong(1, "Give its key", "set", save, "warden/oil", "9");
        var set = ProgramRun.Lodrik("set", save, "warden/oil", "9", "--key", Key);
        Assert.Equal((0, ""), (set.Exit, set.Error));
        Assert.Matches("warden/oil .* 6 .* 9 ", set.Out);
        Assert.Contains("Written and sealed with the key demo: evening, generation 2", set.Out, StringComparison.Ordinal);
        Assert.Contains("2 files, nothing wrong", ProgramRun.Lodrik("check", store, "--key", Key).Out, StringComparison.Ordinal);
        Assert.Equal("warden/oil  9", ProgramRun.Lodrik("show", save, "warden/oil", "--key", Key).Out.Trim());
        Assert.Equal("warden/oil  6", ProgramRun.Lodrik("show", save + "@1", "warden/oil", "--key", Key).Out.Trim());
        Assert.Equal(0, ProgramRun.Lodrik("set", save, "/scenes~1marsh/entities/beacon-1/parts/flame/lit", "false", "--key", Key).Exit);
        Assert.Equal(0, ProgramRun.Lodrik("set", save, "warden/name", "12", "--key", Key).Exit);
        Assert.Equal("warden/name  \"12\"", ProgramRun.Lodrik("show", save, "warden/name", "--key", Key).Out.Trim());
        Wrong(2, "warden/oil cannot be set to", "set", save, "warden/oil", "much", "--key", Key);
        Wrong(2, "warden/oil cannot be set to", "set", save, "warden/oil", "[1]", "--key", Key);
        Wrong(1, "There is no \"oli\"", "set", save, "warden/oli", "1", "--key", Key);
        var file = Path.Combine(_folder, "other.json");
        Assert.Equal(0, ProgramRun.Lodrik("set", demo.Evening("json"), "warden/satchel/0/what", "flint", "-o", file).Exit);
        Assert.Contains("flint", ProgramRun.Lodrik("show", file, "warden/satchel/0").Out, StringComparison.Ordinal);
    }

    [Fact]
    public void A_game_that_is_running_is_followed()
    {
        var store = Copy("json", "evening");
        using var watch = ProgramRun.Start("Lodrik.Cli", _folder, "watch", store, "--count", "2");
        Assert.Contains("1 slot.", watch.StandardOutput.ReadLine(), StringComparison.Ordinal);
        Assert.Equal(0, ProgramRun.Lodrik("set", Path.Combine(store, "evening"), "warden/oil", "41").Exit);
        Assert.Contains("evening@2", watch.StandardOutput.ReadLine(), StringComparison.Ordinal);
        Assert.Contains("since @1: 1 value", watch.StandardOutput.ReadLine(), StringComparison.Ordinal);
        Assert.Equal(0, ProgramRun.Lodrik("set", Path.Combine(store, "evening"), "warden/oil", "42").Exit);
        var rest = watch.StandardOutput.ReadToEnd();
        watch.WaitForExit();
        Assert.Equal(0, watch.ExitCode);
        Assert.Matches("warden/oil .* 41 .* 42 ", rest);
    }

    private string At(string store, string slot) => Path.Combine(demo.Folder, store, slot);

    private string Copy(string store, string slot)
    {
        var (source, target) = (Path.Combine(demo.Folder, store, "slots", slot), Path.Combine(_folder, store, "slots", slot));
        Directory.CreateDirectory(target);
        foreach (var file in Directory.GetFiles(source))
            File.Copy(file, Path.Combine(target, Path.GetFileName(file)));
        return Path.Combine(_folder, store);
    }

    private static void Wrong(int exit, string problem, params string[] arguments)
    {
        var run = ProgramRun.Lodrik(arguments);
        Assert.True(run.Exit == exit && run.Error.Contains(problem, StringComparison.Ordinal), $"{string.Join(' ', arguments)}: {run.Exit} {run.Error}");
    }
}

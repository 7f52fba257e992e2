using System.Text.Json;
using Lodrik.Server;

namespace Lodrik.Far.Tests.Server;

/// <summary>The command-line tool takes an address wherever it takes a folder.</summary>
public sealed class ToolAddressTests : IAsyncLifetime
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-tool-").FullName;
    private PlayerStorages _storages = null!;
    private TestServer _server = null!;

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    private string Address => _server.Of("keeper").AbsoluteUri.TrimEnd('/');

    private string Token => Path.Combine(_folder, "token.txt");

    public async ValueTask InitializeAsync()
    {
        _storages = PlayerStorages.InFolder(Path.Combine(_folder, "server"));
        _server = await TestServer.Start(_storages);
        await File.WriteAllTextAsync(Token, "of-keeper\n");
    }

    public async ValueTask DisposeAsync()
    {
        await _server.DisposeAsync();
        await _storages.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task What_it_says_of_a_folder_it_says_of_an_address()
    {
        var saves = Path.Combine(_folder, "saves");
        using (var store = SaveStore<ContractSave>.Open(new SaveStoreOptions { Folder = saves }))
        {
            store.Save("evening", new ContractSave { Day = 7 }, new SaveLabel { Name = "Mein Abend", Title = "the seventh" });
            store.Save("evening", new ContractSave { Day = 8 }, new SaveLabel { Title = "the eighth" });
            store.QuickSave(new ContractSave { Day = 9 });
            using var storage = _server.StorageOf("keeper");
            using var there = SaveSlots.Open(storage);
            await store.SendAsync("evening", there, Cancellation);
            await store.SendAsync("quick", there, Cancellation);
        }
        foreach (var command in (string[][])
        [
            ["slots", "{0}", "--json"], ["slots", "{0}"], ["history", "{0}/evening"], ["history", "{0}", "evening", "--json"], ["show", "{0}/evening@1"], ["show", "{0}", "--json"],
            ["show", "{0}/slots/evening"], ["show", "{0}/slots/evening/00000001.json", "day"], ["diff", "{0}/evening"], ["diff", "{0}/evening@1", "{0}/quick", "--json"],
            ["weigh", "{0}/evening"], ["check", "{0}"], ["check", "{0}/evening", "--json"], ["show", "{0}/evenin"], ["show", "{0}/evening@99"], ["history", "{0}/nothing"], ["salvage", "{0}/evening", "-o", "recovered.json"],
            ["convert", "{0}/evening", "--to", "xml", "-o", "evening.xml"], ["convert", "{0}/evening", "--to", "xml"], ["export", "{0}", "evening", "evening.zip"],
        ])
        {
            var near = Do(command, saves);
            var far = Do(command, Address);
            Assert.True(near.Output == far.Output && near.Exit == far.Exit, $"{string.Join(' ', command)}:\n{near.Output}\n{far.Output}");
        }
        // What changes a slot changes it there, as a further save, and nothing is written over.
        Assert.Equal("", Do(["set", "{0}/evening", "day", "11"], Address) is { Exit: not 0 } wrong ? wrong.Output : "");
        Assert.Contains("11", Do(["show", "{0}/evening", "day"], Address).Output, StringComparison.Ordinal);
        Assert.Equal(0, Do(["reinstate", "{0}", "evening", "1"], Address).Exit);
        Assert.Equal(0, Do(["remove", "{0}", "quick", "--yes"], Address).Exit);
        Assert.Equal(4, JsonDocument.Parse(Do(["history", "{0}", "evening", "--json"], Address).Output).RootElement.GetArrayLength());
        Assert.Equal(0, Do(["report", "{0}", "-o", "report.html"], Address).Exit);
        Assert.Contains("the seventh", await File.ReadAllTextAsync(Path.Combine(_folder, "report.html"), Cancellation), StringComparison.Ordinal);
        var (exit, output) = Do(["set", "{0}/slots/evening/00000001.json", "day", "3"], Address);
        Assert.Equal(2, exit);
        Assert.Contains("--output", output, StringComparison.Ordinal);
    }

    [Fact]
    public void A_missing_or_wrong_token_is_told_and_none_is_sent_where_everybody_could_read_it()
    {
        Assert.Contains("token", Run([], "slots", Address).Output, StringComparison.Ordinal);
        Assert.Equal(1, Run([], "slots", Address).Exit);
        Assert.Equal(0, Run([("LODRIK_TOKEN", "of-keeper")], "slots", Address).Exit);
        Assert.Equal(0, Run([("MINE", "of-keeper")], "slots", Address, "--token", "env:MINE").Exit);
        Assert.Contains("another player", Run([("LODRIK_TOKEN", "of-other")], "slots", Address).Output, StringComparison.Ordinal);
        Assert.Contains("MISSING", Run([], "slots", Address, "--token", "env:MISSING").Output, StringComparison.Ordinal);
        Assert.Contains("cannot be read", Run([], "slots", Address, "--token", Path.Combine(_folder, "none")).Output, StringComparison.Ordinal);
        Assert.Equal((2, true), Run([("LODRIK_TOKEN", "of-keeper")], "slots", "http://saves.example/players/keeper") is var open ? (open.Exit, open.Output.Contains("https://", StringComparison.Ordinal)) : default);
        Assert.Contains("cannot be reached", Run([], "slots", "http://127.0.0.1:1/players/keeper").Output, StringComparison.Ordinal);
        Assert.Equal(2, Run([], "slots", "http://").Exit);
        Assert.Contains("--token", Run([], "slots", "--help").Output, StringComparison.Ordinal);
    }

    private static (int Exit, string Output) Run((string Name, string Value)[] environment, params string[] arguments) =>
        Repository.Run("dotnet", [("LODRIK_TOKEN", ""), .. environment], [.. Repository.Words("Lodrik.Cli.dll"), .. arguments]);

    /// <summary>Runs a command on a place, and says what it printed without naming the place.</summary>
    private (int Exit, string Output) Do(string[] command, string place)
    {
        foreach (var made in new[] { "recovered.json", "evening.xml", "evening.zip" })
            File.Delete(Path.Combine(_folder, made));
        var words = command.Select(word => word.Replace("{0}", place, StringComparison.Ordinal)).Select(word => command[0] is "salvage" or "convert" or "export" or "report" && word.Contains('.', StringComparison.Ordinal) && !word.Contains('/', StringComparison.Ordinal) ? Path.Combine(_folder, word) : word);
        var (exit, output) = Run([], [.. words, "--token", Token]);
        // The last step of a place is shown as its name.
        return (exit, output.Replace(place, "<place>", StringComparison.Ordinal).Replace($"{Path.GetFileName(place)}/", "<name>/", StringComparison.Ordinal));
    }
}

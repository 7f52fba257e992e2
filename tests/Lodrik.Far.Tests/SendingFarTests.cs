using Lodrik.Http;
using Lodrik.Postgres;
using Lodrik.Sqlite;

namespace Lodrik.Far.Tests;

/// <summary>A slot goes from one kind of storage to the next, and arrives as it was.</summary>
public sealed class SendingFarTests(Apache apache, Postgres postgres) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-sending-").FullName;

    private static CancellationToken Cancellation => TestContext.Current.CancellationToken;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task From_a_folder_to_a_web_server_to_a_database_to_a_file_and_back()
    {
        using var web = new HttpStorage(apache.NewFolder());
        using var file = SqliteStorage.Open(Path.Combine(_folder, "saves.db"));
        using var folder = SaveStore<ContractSave>.Open(Path.Combine(_folder, "saves"));
        using var server = SaveSlots.Open(web);
        using var database = SaveSlots.Open(new PostgresStorage(postgres.Source, $"keeper-{Guid.NewGuid():N}"));
        using var other = SaveStore<ContractSave>.Open(new SaveStoreOptions { Storage = file });
        for (var day = 1; day <= 3; day++)
            folder.Save("evening", new ContractSave { Day = day }, new SaveLabel { Name = "Mein Abend", Thumbnail = Picture });
        Assert.Equal(3, (await folder.SendAsync("evening", server, Cancellation)).CopiedCount);
        Assert.Equal(3, (await server.SendAsync("evening", database, Cancellation)).CopiedCount);
        Assert.Equal(3, (await other.FetchAsync("evening", database, Cancellation)).CopiedCount);
        Assert.Equal(3, other.Load("evening").State.Day);
        Assert.Equal(Picture, other.ReadThumbnail("evening"));
        Assert.Equal("Mein Abend", Assert.Single(other.List()).Name);

        // Both play on without a network; both evenings are kept.
        other.SaveToCurrent(new ContractSave { Day = 40 });
        folder.Save("evening", new ContractSave { Day = 50 });
        await folder.SendAsync("evening", server, Cancellation);
        Assert.Equal("evening-2", Assert.Single((await other.SendAsync("evening", server, Cancellation)).SecondSlots).ToString());
        await folder.FetchAsync("evening-2", server, Cancellation);
        Assert.Equal((50, 40), (folder.Load("evening").State.Day, folder.Load("evening-2").State.Day));
    }

    [Fact]
    public async Task Through_a_bad_connection_everything_arrives_in_the_end_and_nothing_twice()
    {
        var place = apache.NewFolder();
        await using var proxy = await BadProxy.Start(place);
        var random = new Random(5);
        proxy.Choose = _ => random.Next(3) == 0 ? (Trouble)random.Next(1, 7) : Trouble.None;
        using var web = new HttpStorage(new Uri(proxy.Address, place.AbsolutePath), new HttpStorageOptions { MaxRetries = 1, RetryDelay = TimeSpan.FromMilliseconds(1) });
        using var server = SaveSlots.Open(web);
        using var folder = SaveStore<ContractSave>.Open(new SaveStoreOptions { Folder = Path.Combine(_folder, "saves"), KeepGenerations = 8 });
        for (var day = 1; day <= 8; day++)
            folder.Save("evening", new ContractSave { Day = day }, new SaveLabel { Thumbnail = Picture });
        for (var attempt = 0; ; attempt++)
        {
            try
            {
                await folder.SendAsync("evening", server, Cancellation);
                break;
            }
            catch (SaveException) when (attempt < 500)
            {
            }
        }
        proxy.Choose = _ => Trouble.None;
        Assert.Equal(folder.History("evening").Select(one => one.Header!.SaveId), server.History("evening").Select(one => one.Header!.SaveId));
        Assert.All(server.History("evening"), one => Assert.Equal(Picture, server.ReadThumbnail("evening", one.Number)));
        Assert.Single(server.List());
    }

    [Fact]
    public void Two_machines_and_a_server_as_the_example_plays_them()
    {
        var (exit, output) = Repository.Run("dotnet", [], [.. Repository.Words("TwoShores.dll")]);
        Assert.True(exit == 0, output);
        foreach (var line in new[] { "harbour: The server cannot be reached.", "both places went on, so they are in evening-2", "\"The long evening (2)\", The storm, seen from the mill", "the server says: The save was edited.", "evening: 4 l of oil, 2 beacons; evening-2: 3 letters delivered", "Nothing was lost on either shore." })
            Assert.Contains(line, output, StringComparison.Ordinal);
    }

    private static readonly byte[] Picture = [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3];
}

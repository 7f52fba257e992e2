using System.Globalization;
using System.Text.RegularExpressions;
using Lodrik.Postgres;
using Lodrik.Server;
using Npgsql;

namespace Lodrik.Far.Tests;

/// <summary>What docs/far.md shows is what the packages do.</summary>
public sealed partial class FarPageTests(Postgres postgres)
{
    private static readonly string Page = File.ReadAllText(Path.Combine(Repository.Root, "docs", "far.md"));

    [Fact]
    public void The_tables_are_the_ones_that_are_made() => Assert.Contains($"```sql\n{PostgresSchema.Sql(partitions: 2).TrimEnd()}\n```", Page, StringComparison.Ordinal);

    [Fact]
    public void The_tests_server_needs_no_more_than_the_page_says()
    {
        var settings = File.ReadAllText(Path.Combine(Repository.Root, "tests", "Lodrik.Far.Tests", "Apache.cs"));
        foreach (var line in new[] { "mod_dav.so", "mod_dav_fs.so", "DavLockDB", "Dav On" })
        {
            Assert.Contains(line, Page, StringComparison.Ordinal);
            Assert.Contains(line, settings, StringComparison.Ordinal);
        }
    }

    [Fact]
    public void A_studio_gets_from_nothing_to_saves_in_its_own_database_by_the_page_alone()
    {
        var server = new NpgsqlConnectionStringBuilder(postgres.Source.ConnectionString);
        var port = Apache.FreePort().ToString(CultureInfo.InvariantCulture);
        var folder = Directory.CreateTempSubdirectory("lodrik-page-").FullName;
        try
        {
            // Ports are the only difference from what the page says.
            string Block(string name) => Blocks().Matches(Page).Single(match => match.Groups["name"].Value == name).Groups["commands"].Value
                .Replace("Host=localhost", $"Host=127.0.0.1;Port={server.Port}", StringComparison.Ordinal).Replace("5210", port, StringComparison.Ordinal);
            var serving = Block("server").Trim();
            var script = $$"""
                lodrik-server() { dotnet '{{Path.Combine(AppContext.BaseDirectory, "Lodrik.Server.Host.dll")}}' "$@"; }
                lodrik() { dotnet {{string.Join(' ', Repository.Words("Lodrik.Cli.dll").Select(word => $"'{word}'"))}} "$@"; }
                cd '{{folder}}'
                {{Block("database")}}
                {{serving}} --address http://127.0.0.1:{{port}} > log.txt 2> ready.txt &
                trap 'pkill -TERM -P $! || kill $!' EXIT
                until grep -q players ready.txt; do sleep 0.1; jobs %1 > /dev/null; done
                {{Block("player")}}
                pkill -TERM -P $! || kill $!
                wait
                trap - EXIT
                """;
            var (exit, output) = Repository.Run(
                "bash", [("PGHOST", "127.0.0.1"), ("PGPORT", server.Port.ToString(CultureInfo.InvariantCulture)), ("PGUSER", "keeper"), ("PGDATABASE", "postgres"), ("PATH", $"{postgres.Programs}:{Environment.GetEnvironmentVariable("PATH")}")],
                "-euc", script);
            Assert.True(exit == 0, output);
            foreach (var line in new[] { "The tables are there.", "Imported evening.zip as evening", "Evening on the marsh", "Isolde Reedmere", "1 file, nothing wrong.", """{"status":"ok"}""" })
                Assert.Contains(line, output, StringComparison.Ordinal);
            Assert.Contains("\"Player\":\"isolde\"", File.ReadAllText(Path.Combine(folder, "log.txt")), StringComparison.Ordinal);
            Assert.DoesNotContain(File.ReadAllText(Path.Combine(folder, "isolde.token")).Trim(), File.ReadAllText(Path.Combine(folder, "tokens.txt")), StringComparison.Ordinal);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public void The_host_on_the_page_is_the_examples()
    {
        static string Squeezed(string text) => Blanks().Replace(text, "");
        var studio = Squeezed(File.ReadAllText(Path.Combine(Repository.Root, "examples", "TwoShores", "Studio.cs")));
        var shown = Hosts().Matches(Page).Select(match => match.Groups[1].Value).ToList();
        Assert.Equal(2, shown.Count);
        Assert.All(shown, code => Assert.Contains(Squeezed(code), studio, StringComparison.Ordinal));
    }

    [Fact]
    public void The_limits_on_the_page_are_the_servers()
    {
        var options = Server.TestServer.Usual with { };
        var usual = new SaveServerOptions { Game = options.Game, NewestVersion = 1, Player = options.Player };
        Assert.Contains($"{usual.MaxFileBytes >> 20} MB at once (`MaxFileBytes`)", Page, StringComparison.Ordinal);
        Assert.Contains(string.Create(CultureInfo.InvariantCulture, $"{usual.MaxPlayerBytes >> 20} MB or {usual.MaxPlayerFiles:N0} files"), Page, StringComparison.Ordinal);
        Assert.Contains(string.Create(CultureInfo.InvariantCulture, $"(`RequestsPerMinute`, {usual.RequestsPerMinute:N0} for"), Page, StringComparison.Ordinal);
    }

    [GeneratedRegex("<!-- run: (?<name>\\w+) -->\\n```\\n(?<commands>.*?)```", RegexOptions.Singleline)]
    private static partial Regex Blocks();

    [GeneratedRegex("```cs\\n(.*?)```", RegexOptions.Singleline)]
    private static partial Regex Hosts();

    [GeneratedRegex("\\s+")]
    private static partial Regex Blanks();
}

using Lodrik.Postgres;

namespace Lodrik.Far.Tests;

/// <summary>What docs/far.md shows is what the packages do.</summary>
public sealed class FarPageTests
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
}

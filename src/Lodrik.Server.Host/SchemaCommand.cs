using System.CommandLine;
using Lodrik.Postgres;
using Npgsql;

namespace Lodrik.Server.Host;

/// <summary>The tables in PostgreSQL.</summary>
internal static class SchemaCommand
{
    public static Command Create()
    {
        var postgres = new Option<string?>("--postgres")
        {
            Description = "Makes the tables there: a file with the connection string, or env:NAME. Without it, the SQL is printed.",
        };
        var command = new Command("schema", "Makes the tables for saves in PostgreSQL, or prints their SQL.") { postgres };
        command.SetAction(async (parsed, cancellation) =>
        {
            if (Secrets.Find(parsed.GetValue(postgres)) is not { } connection)
            {
                Console.WriteLine(PostgresSchema.Sql());
                return;
            }
            var source = NpgsqlDataSource.Create(connection);
            await using var disposal = source;
            await PostgresSchema.CreateAsync(source, cancellationToken: cancellation).ConfigureAwait(false);
            Console.WriteLine("The tables are there.");
        });
        return command;
    }
}

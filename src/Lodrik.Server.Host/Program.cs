using System.CommandLine;
using Lodrik;
using Lodrik.Server.Host;
using Npgsql;

// Exit codes: 0 all is well, 1 something failed, 2 wrong use.
var root = new RootCommand("Keeps the saves of a game's players on a server.") { TokenCommand.Create(), SchemaCommand.Create() };
ServeCommand.AddTo(root);
var parsed = root.Parse(args, new ParserConfiguration { ResponseFileTokenReplacer = null });
try
{
    var exit = await parsed.InvokeAsync(new InvocationConfiguration { EnableDefaultExceptionHandler = false }).ConfigureAwait(false);
    return parsed.Errors.Count == 0 ? exit : 2;
}
catch (Exception exception) when (exception is SaveException or IOException or UnauthorizedAccessException or NpgsqlException)
{
    await Console.Error.WriteLineAsync(exception.Message).ConfigureAwait(false);
    return 1;
}
catch (ArgumentException exception)
{
    await Console.Error.WriteLineAsync(exception.Message).ConfigureAwait(false);
    return 2;
}

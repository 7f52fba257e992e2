using System.CommandLine;
using Lodrik;
using Lodrik.Cli;
using Lodrik.Cli.Commands;
using Lodrik.Cli.Demo;
using Spectre.Console;

// Exit codes: 0 all is well, 1 something is wrong with a save (or differs), 2 wrong use.
var root = new RootCommand("Looks into save files without the game.")
{
    DemoCommand.Create(new TidewardenDemo()),
    SlotsCommand.Create(),
    HistoryCommand.Create(),
    ReinstateCommand.Create(),
    RemoveCommand.Create(),
    SlotFileCommands.CreateExport(),
    SlotFileCommands.CreateImport(),
    WhereCommand.Create(),
    ShowCommand.Create(),
    DiffCommand.Create(),
    WatchCommand.Create(),
    WeighCommand.Create(),
    ReportCommand.Create(),
    SetCommand.Create(),
    CheckCommand.Create(),
    ConvertCommand.Create(),
    FormsCommand.Create(),
    MigrateCommand.Create(),
    LedgerCommand.Create(),
    KeyCommand.Create(),
    ProtectCommand.CreateSeal(),
    ProtectCommand.CreateLock(),
    ProtectCommand.CreateUnlock(),
    SalvageCommand.Create(),
    CodeCommand.Create(),
    CompletionCommand.Create(),
};
foreach (var command in root.Subcommands)
{
    if (command.Arguments.Any(argument => argument.Name is "folder" or "save" or "before"))
        command.Options.Add(SavePlace.Token);
}
var parsed = ToolHelp.Parse(root, args);
SavePlace.GivenToken = parsed.GetValue(SavePlace.Token);
try
{
    var exit = parsed.Invoke(new InvocationConfiguration { EnableDefaultExceptionHandler = false });
    if (parsed.Errors.Count == 0)
        return exit;
    Screen.Error.MarkupLineInterpolated($"{ToolHelp.HintFor(parsed)}");
    return ExitCode.WrongUse;
}
catch (SaveException exception)
{
    Screen.Error.MarkupLineInterpolated($"[{Screen.Bad}]{Screen.Visible(exception.Message)}[/]");
    return ExitCode.FoundWrong;
}
catch (ArgumentException exception)
{
    Screen.Error.MarkupLineInterpolated($"[{Screen.Bad}]{Screen.Visible(exception.Message)}[/]");
    return ExitCode.WrongUse;
}

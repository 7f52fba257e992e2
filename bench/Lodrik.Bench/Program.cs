using System.Text.Json;
using Lodrik.Bench;

// quick: one line for each budget, as ratios within this run. --json prints them for scripts, --only measures one group.
// full: everything that BenchmarkDotNet knows, with its own arguments.
if (args.Length > 0 && args[0] == "full")
{
    BenchmarkDotNet.Running.BenchmarkSwitcher.FromAssembly(typeof(EntitiesFull).Assembly).Run(args.Length > 1 ? args[1..] : ["--filter", "*"]);
    return 0;
}
if (args is ["scene", var which])
{
    SceneBudgets.MeasureAlone(which);
    return 0;
}
if (args is ["first", var form, var how])
{
    FirstBudgets.MeasureAlone(form, how);
    return 0;
}
if (args is ["loop", var act, var seconds])
{
    // For a profiler: one act again and again.
    FormBudgets.Loop(act, double.Parse(seconds, System.Globalization.CultureInfo.InvariantCulture));
    return 0;
}
var only = args.SkipWhile(argument => argument != "--only").ElementAtOrDefault(1);
var known = args.Skip(1).Where(argument => argument != only).All(argument => argument is "--json" or "--only");
if (args.Length == 0 || args[0] != "quick" || !known || args.Contains("--only") && !Budgets.Groups.ContainsKey(only ?? ""))
{
    Console.Error.WriteLine($"Usage: Lodrik.Bench quick [--json] [--only {string.Join('|', Budgets.Groups.Keys)}] | full [BenchmarkDotNet's arguments]");
    return 2;
}
var lines = new List<BudgetLine>();
foreach (var line in Budgets.Groups.Where(group => only is null || group.Key == only).SelectMany(group => group.Value()))
{
    lines.Add(line);
    if (!args.Contains("--json"))
        Console.WriteLine(line);
}
if (args.Contains("--json"))
    Console.WriteLine(JsonSerializer.Serialize(lines, ReferenceJson.Default.ListBudgetLine));
return 0;

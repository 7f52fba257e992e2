using System.Text.Json;
using Lodrik.Bench;

// quick: one line for each budget, as ratios within this run. --json prints them for scripts.
if (args.Length == 0 || args[0] != "quick" || args.Skip(1).Any(argument => argument != "--json"))
{
    Console.Error.WriteLine("Usage: Lodrik.Bench quick [--json]");
    return 2;
}
var lines = new List<BudgetLine>();
foreach (var line in Budgets.Measure())
{
    lines.Add(line);
    if (!args.Contains("--json"))
        Console.WriteLine(line);
}
if (args.Contains("--json"))
    Console.WriteLine(JsonSerializer.Serialize(lines, ReferenceJson.Default.ListBudgetLine));
return 0;

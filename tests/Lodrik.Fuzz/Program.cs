using System.Diagnostics;
using System.Globalization;
using Lodrik.Fuzz;
using Lodrik.Saves;

// Lodrik.Fuzz [seconds] [seed]: spoils the bytes of real saves in every way it can think of, and reads them, until the time is over.
// Lodrik.Fuzz structure [inputs] [seed]: changes what stands below the digests and makes those anew. The seeds count up, one for a thousand
// inputs: a search that was stopped goes on from the last seed that was printed.
if (args is ["structure", ..])
    return Structure(Number(1, 10_000), Number(2, Environment.TickCount & int.MaxValue));
var seconds = Number(0, 60);
var seed = Number(1, Environment.TickCount);
Console.WriteLine($"seed {seed}");
var started = Stopwatch.StartNew();
var fuzz = new ReaderFuzz(seed);
while (started.Elapsed.TotalSeconds < seconds)
{
    if (fuzz.Run() is { } finding)
        return Report(finding, $"{seed}-{fuzz.Runs}");
}
Console.WriteLine(fuzz);
return 0;

int Structure(int inputs, int from)
{
    const int InputsOfASeed = 1000;
    // What a reader lets out is a finding, and no damaged file.
    Untrusted.Mistake = static exception => throw new InvalidProgramException("A reader let a foreign exception out.", exception);
    var examples = Path.Combine(AppContext.BaseDirectory, "examples");
    var reached = new SortedDictionary<string, int>(StringComparer.Ordinal);
    var started = Stopwatch.StartNew();
    for (var done = 0; done < inputs; done += InputsOfASeed, from++)
    {
        var fuzz = new StructureFuzz(from, examples);
        while (fuzz.Runs < InputsOfASeed)
        {
            if (fuzz.Run() is { } finding)
                return Report(finding, $"structure-{from}-{fuzz.Runs}");
        }
        foreach (var (target, count) in fuzz.Reached)
            reached[target] = reached.GetValueOrDefault(target) + count;
        if (done % 10_000 == 0)
            Console.WriteLine($"seed {from}: {done + InputsOfASeed} inputs, {(done + InputsOfASeed) / started.Elapsed.TotalSeconds:F0} a second");
    }
    foreach (var (target, count) in reached)
        Console.WriteLine($"{count,9} {target}");
    Console.WriteLine("no finding");
    return 0;
}

int Report(FuzzFinding finding, string name)
{
    var file = Path.GetFullPath($"finding-{name}.bin");
    File.WriteAllBytes(file, finding.Input);
    Console.WriteLine($"{finding.Problem}\n{file}");
    return 1;
}

int Number(int index, int otherwise) => args.Length > index ? int.Parse(args[index], CultureInfo.InvariantCulture) : otherwise;

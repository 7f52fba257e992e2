using System.Diagnostics;
using System.Globalization;
using Lodrik.Fuzz;

// Lodrik.Fuzz [seconds] [seed]: spoils real saves in every way it can think of, and reads them, until the time is over.
var seconds = args.Length > 0 ? int.Parse(args[0], CultureInfo.InvariantCulture) : 60;
var seed = args.Length > 1 ? int.Parse(args[1], CultureInfo.InvariantCulture) : Environment.TickCount;
Console.WriteLine($"seed {seed}");
var started = Stopwatch.StartNew();
var fuzz = new ReaderFuzz(seed);
while (started.Elapsed.TotalSeconds < seconds)
{
    if (fuzz.Run() is not { } finding)
        continue;
    var file = Path.GetFullPath($"finding-{seed}-{fuzz.Runs}.bin");
    File.WriteAllBytes(file, finding.Input);
    Console.WriteLine($"{finding.Problem}\n{file}");
    return 1;
}
Console.WriteLine(fuzz);
return 0;

using System.Diagnostics;
using System.Runtime.InteropServices;

namespace Lodrik.Bench;

/// <summary>How long something took: by the clock on the wall, and by the processor's time of the thread that did it.</summary>
/// <param name="Wall">Milliseconds, or whatever a line counts.</param>
/// <param name="Cpu">The same by the thread's processor time; not a number where it was not measured.</param>
internal readonly record struct Took(double Wall, double Cpu)
{
    public static implicit operator Took(double wall) => new(wall, double.NaN);

    public static Took operator *(Took took, double factor) => new(took.Wall * factor, took.Cpu * factor);

    public static Took operator /(Took took, double divisor) => new(took.Wall / divisor, took.Cpu / divisor);

    public static Took operator +(Took one, Took other) => new(one.Wall + other.Wall, one.Cpu + other.Cpu);
}

/// <summary>One budget: our figure and the reference's in one unit, and whether their ratio holds.</summary>
/// <param name="Name">What was measured, of what, and the unit.</param>
/// <param name="Ours">Our figure.</param>
/// <param name="Reference">The reference's.</param>
/// <param name="Ratio">Ours over the reference's.</param>
/// <param name="CpuRatio">The same by processor time; null where the figures are no times, or several threads take part.</param>
/// <param name="Budget">What the ratio may be at most.</param>
/// <param name="Holds">Whether it is kept: by processor time where there is one, because other programs do not count there.</param>
public sealed record BudgetLine(string Name, double Ours, double Reference, double Ratio, double? CpuRatio, double Budget, bool Holds)
{
    internal static BudgetLine Of(string name, Took ours, Took reference, double budget)
    {
        var ratio = ours.Wall / reference.Wall;
        double? cpu = double.IsFinite(ours.Cpu / reference.Cpu) ? ours.Cpu / reference.Cpu : null;
        return new(
            name, Math.Round(ours.Wall, 4), Math.Round(reference.Wall, 4), Math.Round(ratio, 3), cpu is { } ratioOfCpu ? Math.Round(ratioOfCpu, 3) : null, budget,
            (cpu ?? ratio) <= budget);
    }

    public override string ToString() =>
        FormattableString.Invariant($"{Name,-72} {Ours,12:F3} {Reference,12:F3}   ratio {Ratio,7:F3}   of CPU {(CpuRatio is { } cpu ? cpu.ToString("F3", System.Globalization.CultureInfo.InvariantCulture) : "-"),7}   budget {Budget,6:F2}   {(Holds ? "holds" : "MISSED")}");
}

/// <summary>Takes times. All are medians, of runs after the code was compiled for good.</summary>
internal static partial class Measuring
{
    private const int ThreadCpuTime = 3;

    /// <summary>Times two acts in turn, so that what disturbs one disturbs the other; what is done between them is not timed.</summary>
    public static (Took Ours, Took Theirs) Race(Action ours, Action theirs, Action? between = null)
    {
        WarmUp(ours, between);
        WarmUp(theirs, between);
        var (our, their) = (new List<Took>(), new List<Took>());
        for (var i = 0; i < 15; i++)
        {
            our.Add(Time(ours));
            between?.Invoke();
            their.Add(Time(theirs));
            between?.Invoke();
        }
        return (Middle(our), Middle(their));
    }

    public static Took Median(Action act)
    {
        WarmUp(act);
        var times = new List<Took>();
        for (var i = 0; i < 41; i++)
            times.Add(Time(act));
        return Middle(times);
    }

    /// <summary>Runs until the code has been compiled for good: the runtime does that in the background, after many calls and some time.</summary>
    public static void WarmUp(Action act, Action? between = null)
    {
        var started = Stopwatch.GetTimestamp();
        for (var runs = 0; runs < 4 || Stopwatch.GetElapsedTime(started).TotalSeconds < 1.2; runs++)
        {
            act();
            between?.Invoke();
        }
    }

    public static Took Time(Action act)
    {
        var (started, cpu) = (Stopwatch.GetTimestamp(), ThreadTime());
        act();
        return new Took(Stopwatch.GetElapsedTime(started).TotalMilliseconds, ThreadTime() - cpu);
    }

    public static Took Middle(List<Took> times) => new(
        times.Select(one => one.Wall).Order().ElementAt(times.Count / 2), times.Select(one => one.Cpu).Order().ElementAt(times.Count / 2));

    /// <summary>The processor time of this thread so far, in milliseconds (POSIX clock_gettime).</summary>
    public static double ThreadTime() => GetTime(ThreadCpuTime, out var time) == 0
        ? (time.Seconds * 1e3) + (time.Nanoseconds / 1e6)
        : throw new PlatformNotSupportedException("There is no clock for a thread's processor time.");

    [LibraryImport("libc", EntryPoint = "clock_gettime")]
    private static partial int GetTime(int clock, out TimeSpec time);

    [StructLayout(LayoutKind.Sequential)]
    private readonly struct TimeSpec
    {
        public readonly long Seconds;
        public readonly long Nanoseconds;
    }
}

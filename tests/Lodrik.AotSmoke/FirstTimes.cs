using System.Diagnostics;
using System.Globalization;
using Tidewarden;

namespace Lodrik.AotSmoke;

/// <summary>What the first save and the first load of a process take, for bench/cold.sh.</summary>
internal static class FirstTimes
{
    private const int Later = 200;

    /// <summary>Prints milliseconds: the first save, a later one, the first load, a later one; by the clock.</summary>
    /// <param name="form">The form of the save.</param>
    /// <param name="isWarm">Whether the store has warmed up before.</param>
    public static void Print(SaveForm form, bool isWarm)
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-first-");
        try
        {
            using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Folder = folder.FullName, Form = form, WarmsUp = isWarm });
            if (isWarm)
                store.WarmUpAsync().Wait();
            var save = new TidewardenSave();
            var firstSave = Time(() => store.Save("evening", save));
            var firstLoad = Time(() => store.Load("evening"));
            var (saves, loads) = (new List<double>(), new List<double>());
            for (var i = 0; i < Later; i++)
            {
                saves.Add(Time(() => store.Save("evening", save)));
                loads.Add(Time(() => store.Load("evening")));
            }
            saves.Sort();
            loads.Sort();
            Console.WriteLine(string.Create(
                CultureInfo.InvariantCulture, $"{firstSave:F2} {saves[Later / 2]:F2} {firstLoad:F2} {loads[Later / 2]:F2}"));
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    private static double Time(Action act)
    {
        var started = Stopwatch.GetTimestamp();
        act();
        return Stopwatch.GetElapsedTime(started).TotalMilliseconds;
    }
}

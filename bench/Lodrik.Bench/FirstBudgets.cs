using System.Diagnostics;
using System.Globalization;

namespace Lodrik.Bench;

/// <summary>The first save and the first load of a process, each in a process of its own.</summary>
internal static class FirstBudgets
{
    public static IEnumerable<BudgetLine> Lines()
    {
        foreach (var form in new[] { SaveForm.Json, SaveForm.Binary })
        {
            var cold = Runs(form, "cold");
            var warm = Runs(form, "warm");
            yield return BudgetLine.Of($"first save of a process, {form.DisplayName()}, not warmed up / a later one (ms)", cold[0], cold[1], 1000);
            yield return BudgetLine.Of($"first save of a process, {form.DisplayName()}, warmed up / a later one (ms)", warm[0], warm[1], 5);
            yield return BudgetLine.Of($"first load of a process, {form.DisplayName()}, not warmed up / a later one (ms)", cold[2], cold[3], 1000);
            yield return BudgetLine.Of($"first load of a process, {form.DisplayName()}, warmed up / a later one (ms)", warm[2], warm[3], 5);
        }
    }

    /// <summary>Run in a process of its own: prints what the first save, a later one, the first load and a later one took.</summary>
    public static void MeasureAlone(string form, string how)
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-bench-");
        try
        {
            var options = new SaveStoreOptions { Folder = folder.FullName, Form = Enum.Parse<SaveForm>(form), WarmsUp = how == "warm" };
            using var store = SaveStore<Journey>.Open(options);
            if (how == "warm")
                store.WarmUpAsync().Wait();
            var journey = Journey.Make(3);
            var firstSave = Measuring.Time(() => store.Save("evening", journey));
            var firstLoad = Measuring.Time(() => store.Load("evening"));
            var (saves, loads) = (new List<Took>(), new List<Took>());
            for (var i = 0; i < 300; i++)
            {
                saves.Add(Measuring.Time(() => store.Save("evening", journey)));
                loads.Add(Measuring.Time(() => store.Load("evening")));
            }
            foreach (var took in (Took[])[firstSave, Measuring.Middle(saves), firstLoad, Measuring.Middle(loads)])
                Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{took.Wall} {took.Cpu}"));
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    private static Took[] Runs(SaveForm form, string how)
    {
        List<Took>[] all = [[], [], [], []];
        for (var run = 0; run < 5; run++)
        {
            using var process = Process.Start(new ProcessStartInfo("dotnet", [typeof(FirstBudgets).Assembly.Location, "first", form.ToString(), how]) { RedirectStandardOutput = true })!;
            var lines = process.StandardOutput.ReadToEnd().Split('\n', StringSplitOptions.RemoveEmptyEntries);
            process.WaitForExit();
            for (var i = 0; i < all.Length; i++)
            {
                var numbers = lines[i].Split(' ').Select(one => double.Parse(one, CultureInfo.InvariantCulture)).ToArray();
                all[i].Add(new Took(numbers[0], numbers[1]));
            }
        }
        return [.. all.Select(Measuring.Middle)];
    }
}

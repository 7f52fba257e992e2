using Lodrik.Formats.Binary;
using Lodrik.Inspection;
using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik.Testing;

/// <summary>
/// Proves that what bindings take from a scene comes back, in one line of a test: <c>bindings.Check(scene)</c>. A setter that does nothing
/// or sets something else is seen by nobody otherwise: capturing and restoring both succeed.
/// </summary>
public static class SceneCheck
{
    private const int MostLines = 20;

    /// <summary>
    /// Captures a scene, restores it in place; removes all that can be removed, restores it again; and restores it as it was authored, and
    /// restores it once more. Each time a capture has to give what the first one gave. The scene is left as it was given.
    /// </summary>
    /// <param name="bindings">The bindings.</param>
    /// <param name="scene">A scene in which something of every kind is there, with values that are not the usual ones.</param>
    /// <exception cref="SceneCheckException">Something did not come back; the message names the entities and the parts.</exception>
    /// <exception cref="SceneException">The scene cannot be captured or restored.</exception>
    public static void Check<TScene>(this SceneBindings<TScene> bindings, TScene scene)
    {
        ArgumentNullException.ThrowIfNull(bindings);
        ArgumentNullException.ThrowIfNull(scene);
        Check(bindings, bindings.Begin(scene), "restored in place");
    }

    /// <summary>
    /// The same for a scene that was played on: what was captured is also restored into a newly built scene, which is what loading
    /// does. That finds setters of placed entities that do nothing.
    /// </summary>
    /// <param name="bindings">The bindings.</param>
    /// <param name="build">Builds the scene as the designer left it.</param>
    /// <param name="play">Changes it as a player would: moves, takes away, spawns.</param>
    /// <exception cref="SceneCheckException">Something did not come back; the message names the entities and the parts.</exception>
    /// <exception cref="SceneException">The scene cannot be captured or restored.</exception>
    public static void Check<TScene>(this SceneBindings<TScene> bindings, Func<TScene> build, Action<TScene> play)
    {
        ArgumentNullException.ThrowIfNull(bindings);
        ArgumentNullException.ThrowIfNull(build);
        ArgumentNullException.ThrowIfNull(play);
        var scene = build();
        var live = bindings.Begin(scene);
        play(scene);
        var played = live.Capture();
        var fresh = bindings.Begin(build());
        fresh.Restore(played);
        Compare("restored into a newly built scene", played, fresh.Capture());
        Check(bindings, live, "restored in place");
    }

    /// <summary>
    /// Checks a declared scene, as the player would leave it: captured after it was played on, restored in place, into a scene that is
    /// built
    /// again, and into one from which everything was removed.
    /// </summary>
    /// <param name="build">Builds the scene as its designer left it.</param>
    /// <param name="play">Changes it, as a player would.</param>
    /// <exception cref="SceneCheckException">Something did not come back; the message names each entity and part.</exception>
    public static void Check<TScene>(Func<TScene> build, Action<TScene> play) where TScene : ISceneType<TScene> =>
        TScene.MakeBindings().Check(build, play);

    private static void Check<TScene>(SceneBindings<TScene> bindings, LiveScene<TScene> live, string inPlace)
    {
        var whole = live.Capture();
        live.Restore(whole);
        Compare(inPlace, whole, live.Capture());
        // A scene in which everything that can go has gone: what comes back is new, and has only what the save gives it.
        var empty = new SceneRecord { NextSpawn = whole.NextSpawn };
        foreach (var (id, kind) in live.Manifest)
        {
            if (bindings.Find(kind) is { CanSpawn: true })
                empty.AddGone(id);
        }
        live.Restore(empty);
        live.Restore(whole);
        Compare("restored after everything had been removed", whole, live.Capture());
        live.RestoreAuthored();
        live.Restore(whole);
        Compare("restored from the authored scene", whole, live.Capture());
    }

    /// <exception cref="SceneCheckException">They are not equal.</exception>
    private static void Compare(string how, SceneRecord expected, SceneRecord actual)
    {
        var (before, after) = (TreeOf(expected), TreeOf(actual));
        var problems = new List<string>();
        foreach (var (id, entity) in before)
        {
            var kind = ((SaveMap)entity).TryGet("kind", out var its) ? its.AsText() : "";
            if (!after.TryGet(id, out var now))
                problems.Add($"{kind} {id} is not there");
            else
                CompareEntity($"{kind} {id}", (SaveMap)entity, (SaveMap)now, problems);
        }
        problems.AddRange(after.Where(entry => !before.TryGet(entry.Key, out _)).Select(entry => $"{entry.Key} was not there before"));
        problems.AddRange(actual.Gone.Except(expected.Gone).Select(id => $"{id} is gone"));
        if (problems.Count == 0)
            return;
        var more = problems.Count > MostLines ? $"{Environment.NewLine}  … {problems.Count - MostLines} more" : "";
        throw new SceneCheckException(
            $"The scene was {how}, and it is not what was captured:{Environment.NewLine}  "
                + string.Join($"{Environment.NewLine}  ", problems.Take(MostLines)) + more,
            problems);
    }

    private static void CompareEntity(string name, SaveMap before, SaveMap after, List<string> problems)
    {
        foreach (var key in (string[])["kind", "parent", "carried"])
        {
            var (was, now) = (Text(before, key), Text(after, key));
            if (was != now)
                problems.Add($"{name}: its {key} was {was}, and is {now}");
        }
        var (parts, others) = (PartsOf(before), PartsOf(after));
        foreach (var part in parts.Keys.Union(others.Keys))
        {
            var (was, now) = (Text(parts, part), Text(others, part));
            if (was != now)
                problems.Add($"{name}: its \"{part}\" was {was}, and is {now}");
        }
    }

    private static SaveMap TreeOf(SceneRecord record) => (SaveMap)((SaveMap)BinaryEncoding.ToTree(record))["entities"];

    private static SaveMap PartsOf(SaveMap entity) => entity.TryGet("parts", out var parts) ? (SaveMap)parts : [];

    private static string Text(SaveMap map, string key) => map.TryGet(key, out var value) ? SaveJson.Write(value) : "nothing";
}

/// <summary>A scene that was captured and restored is not what it was.</summary>
/// <param name="message">What is wrong.</param>
/// <param name="problems">What did not come back, an entry for each entity and part.</param>
public sealed class SceneCheckException(string message, IReadOnlyList<string> problems) : Exception(message)
{
    /// <summary>What did not come back, an entry for each entity and part.</summary>
    public IReadOnlyList<string> Problems => problems;
}

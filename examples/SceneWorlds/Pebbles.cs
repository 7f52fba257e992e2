using System.Numerics;
using Lodrik;
using Lodrik.Scenes;
using Lodrik.Scenes.Authoring;

namespace SceneWorlds;

/// <summary>Placed objects without names: the level tool stores a manifest beside the level, and ids stay when the level is edited.</summary>
public static class Pebbles
{
    public static IEnumerable<string> Play()
    {
        var first = Build(null, [("pebble", new(1, 1)), ("pebble", new(4, 1)), ("pebble", new(8, 3)), ("shell", new(4, 1))]);
        yield return $"first release:  {string.Join("  ", first.Ids)}";
        var stored = StateFile.ToText(first.Manifest);

        // The designer moves a pebble, takes one away, adds one, and lists them in another order.
        var second = Build(StateFile.FromText<SceneManifest>(stored), [("shell", new(4, 1)), ("pebble", new(12, 9)), ("pebble", new(1.5f, 1)), ("pebble", new(8, 3))]);
        yield return $"second release: {string.Join("  ", second.Ids)}";
        foreach (var line in second.ToString().Split('\n'))
            yield return line.TrimEnd();
    }

    private static ManifestResult Build(SceneManifest? before, (string Kind, Vector2 Place)[] level)
    {
        var builder = new ManifestBuilder(before);
        foreach (var (kind, place) in level)
            builder.Add(kind, place);
        return builder.Build();
    }
}

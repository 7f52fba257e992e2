using SceneWorlds;

// Three ways in which games keep their objects, each captured, changed and put back: classes of a hierarchy, plain structs in an
// array, and entities that are numbers with components in tables. And placed objects without names, which get ids from a manifest.
Show("A hierarchy of classes", Creatures.Play());
Show("Structs in an array", Reeds.Play());
Show("Entities that are numbers", Drift.Play());
Show("Placed objects without names", Pebbles.Play());
return 0;

static void Show(string title, IEnumerable<string> lines)
{
    Console.WriteLine(title);
    foreach (var line in lines)
        Console.WriteLine($"  {line}");
    Console.WriteLine();
}

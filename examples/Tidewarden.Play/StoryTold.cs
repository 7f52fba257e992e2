using Lodrik;

namespace Tidewarden.Play;

/// <summary>The story of the demo, printed.</summary>
internal static class StoryTold
{
    public static int Print()
    {
        // Plays the story through once, with its saves in memory, and prints the marsh at each moment.
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = new Lodrik.Storage.MemoryStorage() });
        var story = Story.Play(store);

        foreach (var moment in new[] { story.Authored, story.AtSave, story.PlayedOn, story.Loaded })
        {
            Console.WriteLine($"-- {moment.Title} --");
            foreach (var row in moment.Map)
                Console.WriteLine($"  {row}");
            foreach (var (name, value) in moment.Facts)
                Console.WriteLine($"  {name,-16}{value}");
            Console.WriteLine();
        }
        Console.WriteLine(story.Restored.Plan);
        Console.WriteLine();
        Console.WriteLine("Then the flood takes the warden, who wakes up at the checkpoint:");
        foreach (var (name, marked, before, after) in story.Checkpoint.Facts)
            Console.WriteLine($"  {name,-16}{marked} -> {before} -> {after}");
        Console.WriteLine();
        Console.WriteLine("A later release of the game loads the save:");
        Console.WriteLine(story.Updated);
        Console.WriteLine(story.Loaded.Shows(story.AtSave) ? "The marsh is as it was at the save." : "The marsh is NOT as it was at the save.");
        return story.Loaded.Shows(story.AtSave) ? 0 : 1;
    }
}

using System.Runtime.Loader;
using Microsoft.CodeAnalysis;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>A debug build of a game is told of changes that a release build would miss.</summary>
public sealed class GameBuildTests
{
    private const string Game = """
        [SaveFile("marsh")]
        public partial class Marsh { public SaveLog<Line> Lines { get; set; } = []; }

        [StateType]
        public partial class Line { public int Tide { get; set; } }

        public static class Game
        {
            public static int Play()
            {
                using var store = SaveStore<Marsh>.Open(new SaveStoreOptions { Storage = new MemoryStorage(), WarmsUp = false });
                var marsh = new Marsh { Lines = { new Line() } };
                store.Save("evening", marsh);
                marsh.Lines[0].Tide = 1;
                return store.Save("evening", marsh).Warnings.Count;
            }
        }
        """;

    [Theory]
    [InlineData(OptimizationLevel.Debug, 1), InlineData(OptimizationLevel.Release, 0)]
    public void Unmarked_changes_are_found_in_debug_builds(OptimizationLevel level, int warnings)
    {
        var whole = new GeneratorRun(Game).Whole;
        using var image = new MemoryStream();
        Assert.True(whole.WithOptions(whole.Options.WithOptimizationLevel(level)).Emit(image, cancellationToken: TestContext.Current.CancellationToken).Success);
        var context = new AssemblyLoadContext(null, isCollectible: true);
        try
        {
            image.Position = 0;
            var play = context.LoadFromStream(image).GetType("Game")!.GetMethod("Play")!;
            Assert.Equal(warnings, play.Invoke(null, null));
        }
        finally
        {
            context.Unload();
        }
    }
}

using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>A state that cannot be saved as it is.</summary>
internal static class Unsavable
{
    private const int LongestPath = 200;

    public static UnsavableStateException At(ContentException content, string section, string path) => new(
        content.Code,
        content.Message,
        new SaveLocation { Section = section, Path = Shortened(content.Code == SaveErrorCode.TooDeep ? OnceAround(path) : path) },
        content.Code switch
        {
            SaveErrorCode.TooDeep => "Leave the member that leads back out with [NotSaved], and set it again after loading.",
            SaveErrorCode.UndeclaredType => "Declare the member with the object's own type, or name its variants with [SaveVariant].",
            SaveErrorCode.ChangedMeanwhile => "Save on the thread that changes the state, and do not change other objects in getters and "
                + "BeforeSaving hooks.",
            _ => null,
        },
        content);

    private static string Shortened(string path) => path.Length <= LongestPath ? path : path[..LongestPath] + "…";

    /// <summary>Of a path that goes round and round, the way in and the first time around: it ends where the state comes back.</summary>
    private static string OnceAround(string path)
    {
        const int LeastRounds = 3;
        const int MostBehind = 2;
        var all = path.Split('/');
        // A writer may have begun the next round, which is not a whole one.
        for (var behind = 0; behind <= MostBehind; behind++)
        {
            var steps = all[..Math.Max(0, all.Length - behind)];
            for (var round = 1; round <= steps.Length / (LeastRounds + 1); round++)
            {
                var start = steps.Length - round;
                while (start > 0 && steps[start - 1] == steps[start - 1 + round])
                    start--;
                if (steps.Length - start >= round * LeastRounds)
                    return string.Join('/', steps[..(start + round)]);
            }
        }
        return path;
    }
}

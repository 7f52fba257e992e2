namespace Lodrik.Storage;

/// <summary>What a path leads to once every link on the way is followed: one and the same for all names of a folder.</summary>
internal static class RealPath
{
    private const int MostLinks = 40;

    /// <summary>The path without links. What is not there yet, or cannot be looked at, stays as it is written.</summary>
    public static string Of(string path)
    {
        var rest = new Stack<string>(Steps(Path.GetFullPath(path)).Reverse());
        var real = Path.GetPathRoot(Path.GetFullPath(path))!;
        for (var links = 0; rest.TryPop(out var step);)
        {
            var next = Path.Combine(real, step);
            if (links < MostLinks && LinkAt(next) is { } target)
            {
                links++;
                var aim = Path.GetFullPath(target, real);
                foreach (var other in Steps(aim).Reverse())
                    rest.Push(other);
                real = Path.GetPathRoot(aim)!;
                continue;
            }
            real = next;
        }
        return real;
    }

    private static string[] Steps(string path) =>
        path[Path.GetPathRoot(path)!.Length..].Split(Path.DirectorySeparatorChar, StringSplitOptions.RemoveEmptyEntries);

    private static string? LinkAt(string path)
    {
        try
        {
            return new FileInfo(path).LinkTarget;
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }
}

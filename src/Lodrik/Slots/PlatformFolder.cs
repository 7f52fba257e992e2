using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>The place that a platform has for what games keep.</summary>
public static class PlatformFolder
{
    /// <summary>
    /// The game's own folder: below $XDG_DATA_HOME on Linux (~/.local/share where that is not set, XDG Base Directory
    /// Specification 0.8), the platform's folder for application data elsewhere.
    /// </summary>
    /// <param name="game">The game's id.</param>
    /// <param name="publisher">The publisher's folder around it; null for none.</param>
    /// <exception cref="ArgumentException">One of them cannot be a folder's name.</exception>
    /// <exception cref="StorageException">The platform names no such place.</exception>
    public static string Of(string game, string? publisher = null)
    {
        CheckName(game, nameof(game));
        if (publisher is not null)
            CheckName(publisher, nameof(publisher));
        var root = Environment.GetFolderPath(Environment.SpecialFolder.LocalApplicationData, Environment.SpecialFolderOption.DoNotVerify);
        if (OperatingSystem.IsLinux() && Environment.GetEnvironmentVariable("XDG_DATA_HOME") is { Length: > 0 } data
            && Path.IsPathRooted(data))
            root = data;
        return root.Length > 0
            ? Path.Combine(root, publisher ?? "", game)
            : throw new StorageException("The platform has no folder for game data.", remedy: "Set SaveStoreOptions.Folder.");
    }

    private static void CheckName(string name, string parameter)
    {
        ArgumentException.ThrowIfNullOrWhiteSpace(name, parameter);
        if (name is "." or ".." || name.AsSpan().IndexOfAny(Path.GetInvalidFileNameChars()) >= 0
            || name.Contains('/', StringComparison.Ordinal) || name.Contains('\\', StringComparison.Ordinal))
            throw new ArgumentException($"\"{name}\" cannot be the name of a folder.", parameter);
    }
}

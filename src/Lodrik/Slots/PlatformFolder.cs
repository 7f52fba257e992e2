namespace Lodrik.Slots;

/// <summary>The place that a platform has for what games keep.</summary>
internal static class PlatformFolder
{
    /// <summary>
    /// The game's own folder: below $XDG_DATA_HOME on Linux (~/.local/share where that is not set, XDG Base Directory
    /// Specification 0.8), the platform's folder for application data elsewhere.
    /// </summary>
    public static string Of(string game)
    {
        var root = Environment.GetFolderPath(Environment.SpecialFolder.LocalApplicationData, Environment.SpecialFolderOption.DoNotVerify);
        if (OperatingSystem.IsLinux() && Environment.GetEnvironmentVariable("XDG_DATA_HOME") is { Length: > 0 } data && Path.IsPathRooted(data))
            root = data;
        return root.Length > 0
            ? Path.Combine(root, game)
            : throw new StorageException("The platform names no place for a game's data.", remedy: "Set SaveStoreOptions.Folder.");
    }
}

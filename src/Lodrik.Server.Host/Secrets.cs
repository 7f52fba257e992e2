using Lodrik.Protection;

namespace Lodrik.Server.Host;

/// <summary>What has to stay out of the command line, where every user of the machine can read it.</summary>
internal static class Secrets
{
    private const string Environment = "env:";

    /// <summary>A secret from a file, or from an environment variable as <c>env:NAME</c>; null for none.</summary>
    /// <exception cref="ArgumentException">There is no such variable.</exception>
    /// <exception cref="IOException">There is no such file.</exception>
    public static string? Find(string? place)
    {
        if (place?.StartsWith(Environment, StringComparison.Ordinal) != true)
            return place is null ? null : File.ReadAllText(place).Trim();
        var name = place[Environment.Length..];
        return System.Environment.GetEnvironmentVariable(name)
            ?? throw new ArgumentException($"There is no environment variable {name}.");
    }

    /// <summary>A key; null for none.</summary>
    /// <exception cref="ArgumentException">It is not a key.</exception>
    /// <exception cref="IOException">There is no such file.</exception>
    public static SaveKey? FindKey(string? place) => Find(place) is { } text ? SaveKey.FromJwk(text) : null;
}

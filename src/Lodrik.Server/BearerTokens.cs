using System.Buffers.Text;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Microsoft.AspNetCore.Http;

namespace Lodrik.Server;

/// <summary>
/// Tokens in a file, for a server without accounts of its own: one line for each with its digest (SHA-256), the player and when it expires.
/// The tokens themselves are in no file. What is changed in the file holds from the next request on.
/// </summary>
public sealed class BearerTokens
{
    private const string Scheme = "Bearer ";
    private const int TokenBytes = 32;
    private const string Never = "never";

    private readonly string _file;
    private readonly TimeProvider _clock;
    private readonly Lock _gate = new();
    private Dictionary<string, Line> _known = [];
    private (DateTime Changed, long Length) _read;

    private BearerTokens(string file, TimeProvider clock) => (_file, _clock) = (file, clock);

    /// <summary>The tokens in a file, which may not exist yet.</summary>
    /// <param name="file">The file.</param>
    /// <param name="clock">The clock for their expiry; null for the system's.</param>
    public static BearerTokens InFile(string file, TimeProvider? clock = null)
    {
        ArgumentException.ThrowIfNullOrEmpty(file);
        return new BearerTokens(Path.GetFullPath(file), clock ?? TimeProvider.System);
    }

    /// <summary>Makes a token for a player, who may have several. It is returned this once, and cannot be shown again.</summary>
    /// <param name="player">The player's id.</param>
    /// <param name="lifetime">How long it holds; null for ever.</param>
    /// <returns>43 letters, digits, <c>-</c> and <c>_</c>.</returns>
    /// <exception cref="ArgumentException">The id is not a valid one.</exception>
    /// <exception cref="IOException">The file cannot be written.</exception>
    public string Add(string player, TimeSpan? lifetime = null)
    {
        PlayerIds.Check(player);
        var token = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(TokenBytes));
        Change(lines => lines.Append(new Line(DigestOf(token), player, lifetime is { } time ? _clock.GetUtcNow() + time : null)));
        return token;
    }

    /// <summary>Takes all tokens of a player back.</summary>
    /// <returns>How many there were.</returns>
    /// <exception cref="IOException">The file cannot be written.</exception>
    public int Remove(string player)
    {
        var count = 0;
        Change(lines =>
        {
            var all = lines.ToList();
            count = all.RemoveAll(line => line.Player == player);
            return all;
        });
        return count;
    }

    /// <summary>Who has which tokens: a line for each, without anything secret.</summary>
    /// <exception cref="IOException">The file cannot be read.</exception>
    public IReadOnlyList<(string Player, DateTimeOffset? Expires)> List() => [.. Read().Select(line => (line.Player, line.Expires))];

    /// <summary>The player who sends a request, by its <c>Authorization: Bearer …</c> (RFC 6750); null for nobody.</summary>
    /// <exception cref="IOException">The file cannot be read.</exception>
    public ValueTask<string?> Player(HttpContext context)
    {
        ArgumentNullException.ThrowIfNull(context);
        string? sent = context.Request.Headers.Authorization;
        return new(sent?.StartsWith(Scheme, StringComparison.OrdinalIgnoreCase) == true ? PlayerOf(sent[Scheme.Length..].Trim()) : null);
    }

    private string? PlayerOf(string token)
    {
        var known = Known();
        return known.TryGetValue(DigestOf(token), out var line) && !(line.Expires <= _clock.GetUtcNow()) ? line.Player : null;
    }

    /// <summary>The tokens as the file has them now.</summary>
    private Dictionary<string, Line> Known()
    {
        lock (_gate)
        {
            var file = new FileInfo(_file);
            var now = file.Exists ? (file.LastWriteTimeUtc, file.Length) : default;
            if (now != _read)
            {
                _known = Read().GroupBy(line => line.Digest)
                    .ToDictionary(lines => lines.Key, lines => lines.Last(), StringComparer.Ordinal);
                _read = now;
            }
            return _known;
        }
    }

    private List<Line> Read()
    {
        var lines = new List<Line>();
        if (!File.Exists(_file))
            return lines;
        foreach (var text in File.ReadLines(_file))
        {
            var parts = text.Split(' ', StringSplitOptions.RemoveEmptyEntries);
            if (parts.Length == 0 || text.StartsWith('#'))
                continue;
            DateTimeOffset? expires = null;
            var isLine = parts.Length == 3 && PlayerIds.IsValid(parts[1]);
            if (isLine && parts[2] != Never)
            {
                isLine = DateTimeOffset.TryParse(
                    parts[2], CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out var time);
                expires = time;
            }
            // A line that cannot be made out gives nobody access.
            if (isLine)
                lines.Add(new Line(parts[0], parts[1], expires));
        }
        return lines;
    }

    private void Change(Func<IEnumerable<Line>, IEnumerable<Line>> change)
    {
        lock (_gate)
        {
            Directory.CreateDirectory(Path.GetDirectoryName(_file)!);
            var lines = change(Read()).Select(line => $"{line.Digest} {line.Player} {ExpiryOf(line)}");
            var next = _file + ".next";
            File.Delete(next);
            var options = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write };
            if (!OperatingSystem.IsWindows())
                options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
            using (var stream = new FileStream(next, options))
            {
                stream.Write(Encoding.UTF8.GetBytes(string.Concat(lines.Select(line => line + "\n"))));
                stream.Flush(flushToDisk: true);
            }
            File.Move(next, _file, overwrite: true);
            _read = default;
        }
    }

    private static string ExpiryOf(Line line) => line.Expires is { } time
        ? time.UtcDateTime.ToString("yyyy-MM-ddTHH:mm:ssZ", CultureInfo.InvariantCulture)
        : Never;

    private static string DigestOf(string token) => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(token)));

    private sealed record Line(string Digest, string Player, DateTimeOffset? Expires);
}

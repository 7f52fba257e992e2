using Lodrik.Protection;
using Microsoft.AspNetCore.Http;

namespace Lodrik.Server;

/// <summary>What a server accepts, from whom, and how much of it.</summary>
public sealed record SaveServerOptions
{
    /// <summary>The game whose saves are accepted, as their headers name it.</summary>
    public required string Game { get; init; }

    /// <summary>The newest version of the game's state that the server knows. Saves of a newer one are refused.</summary>
    public required int NewestVersion { get; init; }

    /// <summary>The oldest version that is still accepted.</summary>
    public int OldestVersion { get; init; } = 1;

    /// <summary>
    /// Says who sends a request: the player's id, or null for nobody, which is answered with 401. It is asked for every request, so that a
    /// token that expires is refused from then on. An id has 1 to 100 letters, digits, and <c>- _ . @ :</c>, and starts with a letter or
    /// a digit.
    /// </summary>
    public required Func<HttpContext, ValueTask<string?>> Player { get; init; }

    /// <summary>
    /// What the saves of a player have to be sealed with; null if saves come without a seal that the server could check. Where
    /// <see cref="SignatureOf"/> is given, what the server has signed itself is accepted as well.
    /// </summary>
    public Func<string, SaveProtection>? SealOf { get; init; }

    /// <summary>
    /// What the server signs the saves of a player with before it keeps them, so that a game with the public key loads only what the server
    /// has seen; null for not at all. Bind it to the player by <see cref="SaveProtection.Context"/>, and no save of one player is another
    /// one's. Encrypted saves cannot be signed, and are refused then.
    /// </summary>
    public Func<string, SaveProtection>? SignatureOf { get; init; }

    /// <summary>How many bytes one file may have.</summary>
    public int MaxFileBytes { get; init; } = 16 << 20;

    /// <summary>How many bytes all files of a player may have together.</summary>
    public long MaxPlayerBytes { get; init; } = 256 << 20;

    /// <summary>How many files a player may have.</summary>
    public int MaxPlayerFiles { get; init; } = 1000;

    /// <summary>How many requests a player may send in a minute to each running server.</summary>
    public int RequestsPerMinute { get; init; } = 1200;

    /// <summary>How long a file may take to arrive.</summary>
    public TimeSpan UploadTimeout { get; init; } = TimeSpan.FromMinutes(1);

    /// <summary>Whether files are looked at; the tests of the protocol write others.</summary>
    internal bool ChecksFiles { get; init; } = true;

    /// <summary>The clock for timeouts.</summary>
    public TimeProvider Clock { get; init; } = TimeProvider.System;

    /// <exception cref="ArgumentException">A value is not possible.</exception>
    internal void Check()
    {
        ArgumentException.ThrowIfNullOrEmpty(Game);
        ArgumentNullException.ThrowIfNull(Player);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(OldestVersion);
        ArgumentOutOfRangeException.ThrowIfLessThan(NewestVersion, OldestVersion);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(MaxFileBytes);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(MaxPlayerBytes);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(MaxPlayerFiles);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(RequestsPerMinute);
        ArgumentOutOfRangeException.ThrowIfLessThanOrEqual(UploadTimeout, TimeSpan.Zero);
    }
}

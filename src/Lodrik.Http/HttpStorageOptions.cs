namespace Lodrik.Http;

/// <summary>How an <see cref="HttpStorage"/> talks to its server.</summary>
public sealed record HttpStorageOptions
{
    /// <summary>Asked for a token before each request, which sends it as <c>Authorization: Bearer</c> (RFC 6750); null for none.</summary>
    public Func<CancellationToken, ValueTask<string>>? Token { get; init; }

    /// <summary>How often a request is repeated that failed for a reason that may pass. 0 for never.</summary>
    public int MaxRetries { get; init; } = 4;

    /// <summary>The pause before the first repetition; it doubles each time, and chance varies it.</summary>
    public TimeSpan RetryDelay { get; init; } = TimeSpan.FromMilliseconds(500);

    /// <summary>The longest pause, also where a server asks for a longer one (<c>Retry-After</c>): then the call fails at once.</summary>
    public TimeSpan MaxRetryDelay { get; init; } = TimeSpan.FromSeconds(30);

    /// <summary>How long one request may take, from its beginning to the last byte of the response.</summary>
    public TimeSpan RequestTimeout { get; init; } = TimeSpan.FromSeconds(100);

    /// <summary>The largest file that is read, in bytes. A response that goes on after that is cut off.</summary>
    public long MaxByteCount { get; init; } = 256L << 20;

    /// <summary>What pauses and time limits go by.</summary>
    public TimeProvider Clock { get; init; } = TimeProvider.System;
}

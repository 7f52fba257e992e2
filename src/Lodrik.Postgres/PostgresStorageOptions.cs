namespace Lodrik.Postgres;

/// <summary>How a <see cref="PostgresStorage"/> uses its database.</summary>
public sealed record PostgresStorageOptions
{
    /// <summary>
    /// How long the right to write is kept without being renewed, as after a crash. It is renewed at a third of this. Clocks of different
    /// machines do not matter: only the database's clock counts.
    /// </summary>
    public TimeSpan Lease { get; init; } = TimeSpan.FromSeconds(30);

    /// <summary>How often a statement is repeated that failed for a reason that may pass. 0 for never.</summary>
    public int MaxRetries { get; init; } = 6;

    /// <summary>The pause before the first repetition; it doubles each time, and chance varies it.</summary>
    public TimeSpan RetryDelay { get; init; } = TimeSpan.FromMilliseconds(100);

    /// <summary>The longest pause.</summary>
    public TimeSpan MaxRetryDelay { get; init; } = TimeSpan.FromSeconds(5);
}

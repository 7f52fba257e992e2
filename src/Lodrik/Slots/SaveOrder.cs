using System.Globalization;
using Lodrik.State;

namespace Lodrik.Slots;

/// <summary>
/// Which save is the newer one. Clocks are set back and forth, and another machine's may be years ahead: a save comes after the one that
/// it continues, whatever the clocks said, and a time that has not come yet counts for nothing.
/// </summary>
internal static class SaveOrder
{
    /// <summary>What a clock may be ahead without being wrong: other machines, other time zones.</summary>
    private static readonly TimeSpan Tolerance = TimeSpan.FromDays(1);

    private const string HeaderKey = "after";

    /// <summary>Takes down that a save continues another one.</summary>
    /// <param name="label">The save's label.</param>
    /// <param name="continued">When the other one was made, or the time that stands for that.</param>
    public static void Note(SlotLabel label, DateTimeOffset continued)
    {
        if (continued > DateTimeOffset.MinValue)
            label.Rest[HeaderKey] = continued.ToString("O", CultureInfo.InvariantCulture);
    }

    /// <summary>The latest time that a save and what it continues were made at by their clocks, right or wrong.</summary>
    public static DateTimeOffset ClockTimeOf(SaveHeader? header) =>
        header is null ? DateTimeOffset.MinValue
        : ContinuedBy(header) is { } continued && continued > header.Saved ? continued : header.Saved;

    /// <summary>Whether a save's time has not come yet: the clock of the machine was wrong.</summary>
    public static bool IsAhead(SaveHeader? header, DateTimeOffset now) => header is not null && header.Saved > Latest(now);

    /// <summary>The time that a save counts as made at; the beginning of time where nothing is known of it.</summary>
    public static DateTimeOffset TimeOf(SaveHeader? header, DateTimeOffset now)
    {
        if (header is null)
            return DateTimeOffset.MinValue;
        var latest = Latest(now);
        var after = ContinuedBy(header) is { } continued && continued <= latest ? continued.AddTicks(1) : DateTimeOffset.MinValue;
        return header.Saved <= latest && header.Saved > after ? header.Saved : after;
    }

    private static DateTimeOffset Latest(DateTimeOffset now) =>
        now < DateTimeOffset.MaxValue - Tolerance ? now + Tolerance : DateTimeOffset.MaxValue;

    private static DateTimeOffset? ContinuedBy(SaveHeader header) =>
        header.Slot is { } slot && slot.Rest.TryGet(HeaderKey, out var time) && time is SaveScalar { Kind: SaveValueKind.Text } text
        && DateTimeOffset.TryParseExact(text.Text, "O", CultureInfo.InvariantCulture, DateTimeStyles.None, out var continued)
        && continued < DateTimeOffset.MaxValue - Tolerance
            ? continued
            : null;
}

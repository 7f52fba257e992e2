using System.Globalization;

namespace Lodrik.Slots;

/// <summary>
/// What a save cost, stage by stage. The first three were paid by the thread that asked for it, which is the game's; the others in the
/// background, or by the same thread where the call waited for the save.
/// </summary>
/// <param name="OnThread">All that the thread that asked for the save paid until it could go on.</param>
/// <param name="Capture">Of that, capturing the scene and asking the subsystems: what a session does before its store is asked.</param>
/// <param name="Snapshot">Of that, taking the state down.</param>
/// <param name="Waiting">Until earlier saves, and other calls that change saves, were done.</param>
/// <param name="Encoding">Giving it its form, compressing, encrypting, and what goes around it.</param>
/// <param name="Writing">Until it was on the disk for good.</param>
public sealed record SaveTimes(
    TimeSpan OnThread, TimeSpan Capture, TimeSpan Snapshot, TimeSpan Waiting, TimeSpan Encoding, TimeSpan Writing)
{
    /// <summary>The times as a line for a log or a console.</summary>
    public override string ToString() => string.Create(
        CultureInfo.InvariantCulture,
        $"{OnThread.TotalMilliseconds:F1} ms of the calling thread (capture {Capture.TotalMilliseconds:F1}, "
            + $"snapshot {Snapshot.TotalMilliseconds:F1}), waiting {Waiting.TotalMilliseconds:F1}, "
            + $"encoding {Encoding.TotalMilliseconds:F1}, writing {Writing.TotalMilliseconds:F1}");
}

using Microsoft.Extensions.Logging;

namespace Lodrik.Server;

/// <summary>What a server logs, with the values as fields.</summary>
internal static partial class ServerLog
{
    [LoggerMessage(1, LogLevel.Information, "Kept {Name} of {Player}: {ByteCount} bytes in {Milliseconds:0.0} ms.")]
    public static partial void Kept(ILogger log, string player, string name, int byteCount, double milliseconds);

    [LoggerMessage(2, LogLevel.Information, "Deleted {Name} of {Player}.")]
    public static partial void Deleted(ILogger log, string player, string name);

    [LoggerMessage(3, LogLevel.Warning, "Refused {Method} {Name} for {Player} with {Status} ({Code}): {Problem}")]
    public static partial void Refused(ILogger log, string player, string method, string name, int status, string? code, string problem);

    [LoggerMessage(4, LogLevel.Error, "The storage did not answer for {Name} of {Player}.")]
    public static partial void Unavailable(ILogger log, Exception exception, string player, string name);
}

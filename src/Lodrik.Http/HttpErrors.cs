using System.Net;
using System.Text.Json;
using Lodrik.Storage;

namespace Lodrik.Http;

/// <summary>What a server's answers mean for saves. A problem that the server describes (RFC 9457) is told in its words.</summary>
internal static class HttpErrors
{
    private const int MostProblem = 64 * 1024;

    public static StorageException NoAnswer(Exception exception, Uri address, int attempts) => new(
        exception switch
        {
            HttpRequestException { HttpRequestError: HttpRequestError.NameResolutionError } => "The server's name cannot be found.",
            HttpRequestException { HttpRequestError: HttpRequestError.ConnectionError } => "The server cannot be reached.",
            HttpRequestException { HttpRequestError: HttpRequestError.SecureConnectionError } =>
                "There is no secure connection to the server.",
            HttpRequestException or IOException => "The connection to the server broke.",
            _ => "The server did not answer in time.",
        },
        new SaveLocation { File = address.AbsoluteUri },
        attempts > 1 ? $"Tried {attempts} times. Check the network and try again." : "Check the network and try again.",
        exception);

    public static StorageException OtherHost(Uri asked, Uri other) => new(
        $"The server redirects to another host, {other.Authority}.", new SaveLocation { File = asked.AbsoluteUri },
        "Nothing was sent there. If it is right, use its address.");

    public static StorageException TooLong(Uri asked, long most) => new(
        $"The response has more than {most} bytes.", new SaveLocation { File = asked.AbsoluteUri },
        "If the file is really that large, raise HttpStorageOptions.MaxByteCount.")
    { IsOneFile = true };

    /// <summary>An answer that is not one to what was asked.</summary>
    public static StorageException Unexpected(HttpAnswer answer, string asked, string file)
    {
        var (problem, remedy) = answer.Status switch
        {
            HttpStatusCode.Unauthorized => ("The server does not accept the token.", "Sign in again."),
            HttpStatusCode.Forbidden => ("Access is not allowed.", "Check whose saves these are, and what the token is for."),
            HttpStatusCode.RequestEntityTooLarge => ("The file is larger than the server allows.", "Make the save smaller."),
            HttpStatusCode.Locked => ("The file is locked on the server.", "Try again later."),
            HttpStatusCode.TooManyRequests => (
                answer.RetryAfter is { } after
                    ? $"The server allows no more requests for {after.TotalSeconds:0} s."
                    : "The server allows no more requests at the moment.",
                "Try again later."),
            HttpStatusCode.InsufficientStorage => ("The storage on the server is full.", "Delete saves that are no longer needed."),
            _ when answer.MayPass => ("The server has a problem.", "Try again later."),
            _ => (
                "The server's answer was unexpected.",
                (string?)"Check the address. A network that wants you to sign in may answer in the server's place."),
        };
        var told = Told(answer);
        var type = answer.MediaType.Length > 0 ? $" and {answer.MediaType}" : "";
        return new StorageException(
            told ?? $"{problem} It answered {asked} with {(int)answer.Status}{type}.",
            new SaveLocation { File = file }, told is null ? remedy : null)
        {
            IsOneFile = answer.Status is HttpStatusCode.RequestEntityTooLarge or HttpStatusCode.UnprocessableEntity,
        };
    }

    /// <summary>Whether the server says nothing of its own about the problem, as one that knows nothing of saves.</summary>
    public static bool IsNotTold(HttpAnswer answer) => Told(answer) is null;

    /// <summary>The server's own words (RFC 9457), as one line; null if there are none.</summary>
    private static string? Told(HttpAnswer answer)
    {
        if (answer.MediaType != "application/problem+json" || answer.Bytes.Length > MostProblem)
            return null;
        try
        {
            using var document = JsonDocument.Parse(answer.Bytes);
            if (document.RootElement.ValueKind != JsonValueKind.Object)
                return null;
            foreach (var name in (string[])["detail", "title"])
            {
                if (document.RootElement.TryGetProperty(name, out var text) && text.ValueKind == JsonValueKind.String
                    && text.GetString() is { Length: > 0 and < 1000 } words)
                    return string.Concat(words.Select(letter => char.IsControl(letter) ? ' ' : letter));
            }
        }
        catch (JsonException)
        {
            // Whatever it is, the status says enough.
        }
        return null;
    }
}

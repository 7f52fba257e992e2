using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Http;

namespace Lodrik.Server;

/// <summary>
/// What a server answers instead of what was asked, as problem details (RFC 9457): the library's own words, the code of its error, and
/// nothing about the server.
/// </summary>
/// <param name="Status">The status of the response.</param>
/// <param name="Title">What happened.</param>
/// <param name="Remedy">What to do; null if there is nothing to say.</param>
/// <param name="Code">The code of the library's error; null if it is none.</param>
internal sealed record ServerProblem(int Status, string Title, string? Remedy = null, SaveErrorCode? Code = null)
{
    /// <summary>When to try again; null if that would not help.</summary>
    public TimeSpan? RetryAfter { get; init; }

    public static ServerProblem NotSignedIn { get; } = new(
        StatusCodes.Status401Unauthorized, "The token is missing, unknown or expired.", "Sign in again.");

    public static ServerProblem NotYours { get; } = new(
        StatusCodes.Status403Forbidden, "These are another player's saves.", "Use the address of your own.");

    public static ServerProblem NotThere { get; } = new(StatusCodes.Status404NotFound, "There is no such file.");

    public static ServerProblem AlreadyThere { get; } = new(
        StatusCodes.Status412PreconditionFailed, "A file with this name already exists.", "Nothing was written; save again.");

    public static ServerProblem TooSlow { get; } = new(
        StatusCodes.Status408RequestTimeout, "The file took too long to arrive.", "Try again.");

    public static ServerProblem BadName { get; } = new(
        StatusCodes.Status422UnprocessableEntity, "This is not the name of a file that belongs to saves.",
        "The server keeps slots, profiles, settings, and what belongs to them.");

    public static ServerProblem Unavailable { get; } = new(
        StatusCodes.Status503ServiceUnavailable, "The saves cannot be reached at the moment.", "Try again later.")
    {
        RetryAfter = TimeSpan.FromSeconds(1),
    };

    public static ServerProblem TooMany(TimeSpan after) => new(
        StatusCodes.Status429TooManyRequests, "Too many requests in a short time.", "Try again later.")
    {
        RetryAfter = after,
    };

    public static ServerProblem TooLarge(int most) => new(
        StatusCodes.Status413PayloadTooLarge,
        string.Create(CultureInfo.InvariantCulture, $"The file is larger than {most} bytes, which is the most that the server accepts."),
        "Make the save smaller.");

    public static ServerProblem QuotaFull(string what) => new(
        StatusCodes.Status409Conflict, $"The server keeps no more than {what} for a player.", "Delete saves that are no longer needed.");

    /// <summary>A save that was looked at and refused.</summary>
    public static ServerProblem Refused(SaveException exception) => new(
        StatusCodes.Status422UnprocessableEntity, exception.Problem, exception.Remedy, exception.Code);

    /// <summary>Writes it as the response.</summary>
    public async Task Write(HttpContext context)
    {
        var response = context.Response;
        response.StatusCode = Status;
        response.ContentType = "application/problem+json";
        if (Status == StatusCodes.Status401Unauthorized)
            response.Headers.WWWAuthenticate = "Bearer";
        if (RetryAfter is { } after)
            response.Headers.RetryAfter = Math.Ceiling(after.TotalSeconds).ToString(CultureInfo.InvariantCulture);
        using var bytes = new MemoryStream();
        using (var writer = new Utf8JsonWriter(bytes))
        {
            writer.WriteStartObject();
            writer.WriteString("type", "about:blank");
            writer.WriteString("title", Title);
            writer.WriteNumber("status", Status);
            writer.WriteString("detail", Remedy is null ? Title : $"{Title} {Remedy}");
            if (Code is { } code)
                writer.WriteString("code", code.ToString());
            writer.WriteEndObject();
        }
        response.ContentLength = bytes.Length;
        if (!HttpMethods.IsHead(context.Request.Method))
            await response.Body.WriteAsync(bytes.GetBuffer().AsMemory(0, (int)bytes.Length), context.RequestAborted).ConfigureAwait(false);
    }
}

/// <summary>Ends a request with a problem.</summary>
internal sealed class ServerProblemException(ServerProblem problem) : Exception(problem.Title)
{
    public ServerProblem Problem { get; } = problem;
}

using System.Buffers;
using System.Diagnostics;
using System.Threading.RateLimiting;
using Lodrik.Storage;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.Extensions.Logging;
using Microsoft.Extensions.Logging.Abstractions;

namespace Lodrik.Server;

/// <summary>
/// Keeps the saves of players: the part of HTTP (RFC 9110) and WebDAV (RFC 4918) that Lodrik's <c>HttpStorage</c> speaks, and other WebDAV
/// clients understand. It has no state of its own, so that any number of them can run behind a balancer, on one
/// <see cref="PlayerStorages"/>.
/// </summary>
/// <remarks>
/// <para>
/// Each player has a folder <c>/players/{id}/</c>, and reaches no other one. A file is written by <c>PUT</c>; with
/// <c>If-None-Match: *</c> only if there is none of its name, however many try. Saves are checked before they are kept.
/// </para>
/// <para>
/// Refusals are problem details (RFC 9457): 401 and 403 for whose saves they are, 409 if the player's quota is full, 412 if the file
/// exists, 413 if it is too large, 422 if it is not a save that the server accepts, 429 for too many requests.
/// </para>
/// </remarks>
public sealed class SaveServer : IDisposable
{
    /// <summary>Says to <c>HttpStorage</c> that this server keeps writers apart by itself.</summary>
    internal const string HeaderName = "Lodrik-Server";

    /// <summary>What a client may say about a listing that it wants.</summary>
    private const int MaxQuestionBytes = 64 * 1024;

    private readonly SaveServerOptions _options;
    private readonly PlayerStorages _storages;
    private readonly ILogger _log;
    private readonly PartitionedRateLimiter<string> _rates;

    /// <summary>A server.</summary>
    /// <param name="options">What it accepts.</param>
    /// <param name="storages">Where it keeps saves; they stay the caller's to dispose of.</param>
    /// <param name="log">Where it logs what it keeps and what it refuses; null for nowhere.</param>
    /// <exception cref="ArgumentException">An option is not possible.</exception>
    public SaveServer(SaveServerOptions options, PlayerStorages storages, ILogger<SaveServer>? log = null)
    {
        ArgumentNullException.ThrowIfNull(options);
        ArgumentNullException.ThrowIfNull(storages);
        options.Check();
        (_options, _storages, _log) = (options, storages, log ?? NullLogger<SaveServer>.Instance);
        _rates = PartitionedRateLimiter.Create<string, string>(player => RateLimitPartition.GetTokenBucketLimiter(
            player, _ => new TokenBucketRateLimiterOptions
            {
                TokenLimit = options.RequestsPerMinute,
                TokensPerPeriod = options.RequestsPerMinute,
                ReplenishmentPeriod = TimeSpan.FromMinutes(1),
                QueueLimit = 0,
            }));
    }

    /// <summary>Ends it, once no more requests come.</summary>
    public void Dispose() => _rates.Dispose();

    /// <summary>Answers whether saves can be kept at the moment.</summary>
    internal async Task AnswerHealth(HttpContext context)
    {
        try
        {
            await _storages.CheckAsync(context.RequestAborted).ConfigureAwait(false);
            context.Response.ContentType = "application/json";
            await context.Response.WriteAsync("""{"status":"ok"}""", context.RequestAborted).ConfigureAwait(false);
        }
        catch (StorageException exception)
        {
            ServerLog.Unavailable(_log, exception, "", "health");
            await ServerProblem.Unavailable.Write(context).ConfigureAwait(false);
        }
    }

    /// <summary>Answers a request for a player's files.</summary>
    internal async Task Answer(HttpContext context)
    {
        var started = Stopwatch.GetTimestamp();
        var (request, response) = (context.Request, context.Response);
        var (player, name) = ((string)request.RouteValues["player"]!, ((string?)request.RouteValues["name"] ?? "").TrimEnd('/'));
        response.Headers[HeaderName] = "1";
        response.Headers.XContentTypeOptions = "nosniff";
        response.Headers.CacheControl = "no-store";
        try
        {
            await Admit(context, player).ConfigureAwait(false);
            CheckName(name);
            await (request.Method switch
            {
                "GET" or "HEAD" when name.Length > 0 => Read(context, player, name),
                "PUT" when name.Length > 0 => Write(context, player, name, started),
                "DELETE" when name.Length > 0 => Delete(context, player, name),
                "PROPFIND" => List(context, player, name),
                // Folders are there as soon as something is in them.
                "MKCOL" => Ok(response, StatusCodes.Status201Created),
                _ => Ok(response, StatusCodes.Status405MethodNotAllowed),
            }).ConfigureAwait(false);
        }
        catch (ServerProblemException exception)
        {
            await Refuse(context, player, name, exception.Problem).ConfigureAwait(false);
        }
        catch (StorageException exception) when (exception.AlreadyExists)
        {
            await Refuse(context, player, name, ServerProblem.AlreadyThere).ConfigureAwait(false);
        }
        catch (SaveException exception)
        {
            ServerLog.Unavailable(_log, exception, player, name);
            await ServerProblem.Unavailable.Write(context).ConfigureAwait(false);
        }
        catch (OperationCanceledException) when (context.RequestAborted.IsCancellationRequested)
        {
            // Nobody is there any more to answer.
        }
    }

    private static Task Ok(HttpResponse response, int status)
    {
        response.StatusCode = status;
        return Task.CompletedTask;
    }

    private async Task Refuse(HttpContext context, string player, string name, ServerProblem problem)
    {
        // Looking for what is not there, and writing a name that is taken, are everyday answers.
        if (problem.Status is not (StatusCodes.Status404NotFound or StatusCodes.Status412PreconditionFailed))
            ServerLog.Refused(_log, player, context.Request.Method, name, problem.Status, problem.Code?.ToString(), problem.Title);
        // A body that is left unread is not read to its end by the server either.
        await problem.Write(context).ConfigureAwait(false);
    }

    /// <summary>Lets nobody but the player in, and not too often.</summary>
    /// <exception cref="ServerProblemException">The request is refused.</exception>
    private async ValueTask Admit(HttpContext context, string player)
    {
        if (await _options.Player(context).ConfigureAwait(false) is not { } known || !PlayerIds.IsValid(known))
            throw new ServerProblemException(ServerProblem.NotSignedIn);
        if (known != player)
            throw new ServerProblemException(ServerProblem.NotYours);
        using var lease = _rates.AttemptAcquire(player);
        if (!lease.IsAcquired)
            throw new ServerProblemException(ServerProblem.TooMany(
                lease.TryGetMetadata(MetadataName.RetryAfter, out var after) ? after : TimeSpan.FromMinutes(1)));
    }

    /// <exception cref="ServerProblemException">It is not the name of a file or folder.</exception>
    private static void CheckName(string name)
    {
        try
        {
            StorageNames.CheckFolder(name);
        }
        catch (ArgumentException)
        {
            throw new ServerProblemException(ServerProblem.BadName);
        }
    }

    private async Task Read(HttpContext context, string player, string name)
    {
        var (request, response) = (context.Request, context.Response);
        var isHead = HttpMethods.IsHead(request.Method);
        var range = isHead ? (0, 1) : OneRange(request);
        var bytes = await _storages.Use(
            player, isReading: true,
            storage => range is { } part
                ? storage.ReadRangeAsync(name, part.Offset, part.Count, context.RequestAborted)
                : storage.ReadAsync(name, context.RequestAborted)).ConfigureAwait(false)
            ?? throw new ServerProblemException(ServerProblem.NotThere);
        response.Headers.AcceptRanges = "bytes";
        response.ContentType = "application/octet-stream";
        if (isHead)
            return;
        if (range is { } asked)
        {
            if (bytes.Length == 0)
            {
                response.StatusCode = StatusCodes.Status416RangeNotSatisfiable;
                return;
            }
            response.StatusCode = StatusCodes.Status206PartialContent;
            response.Headers.ContentRange = $"bytes {asked.Offset}-{asked.Offset + bytes.Length - 1}/*";
        }
        response.ContentLength = bytes.Length;
        await response.Body.WriteAsync(bytes, context.RequestAborted).ConfigureAwait(false);
    }

    /// <summary>A single range with both ends; null for anything else, which may be ignored (RFC 9110, section 14.2).</summary>
    private static (long Offset, int Count)? OneRange(HttpRequest request) =>
        request.GetTypedHeaders().Range is { Ranges: { Count: 1 } ranges } range && range.Unit == "bytes"
        && request.Headers.IfRange.Count == 0 && ranges.First() is { From: { } from, To: { } to } && to >= from && to - from < int.MaxValue
            ? (from, (int)(to - from) + 1)
            : null;

    private async Task Write(HttpContext context, string player, string name, long started)
    {
        var (request, response) = (context.Request, context.Response);
        if (request.Headers.IfMatch.Count > 0 || (request.Headers.IfNoneMatch.Count > 0 && request.Headers.IfNoneMatch != "*"))
            throw new ServerProblemException(new ServerProblem(
                StatusCodes.Status400BadRequest, "The only condition for writing that the server knows is If-None-Match: *."));
        var replace = request.Headers.IfNoneMatch.Count == 0;
        var sent = await Receive(context).ConfigureAwait(false);
        var bytes = _options.ChecksFiles ? IncomingFile.Check(name, sent, player, _options) : sent;
        // What has been received is finished, whether or not somebody still waits for the answer, and also if the server is shutting down.
        var isNew = await _storages.Use(player, isReading: false, async storage =>
        {
            var there = await storage.ListAsync("", CancellationToken.None).ConfigureAwait(false);
            var exists = there.Any(file => file.Name == name);
            if (exists && !replace)
                throw new ServerProblemException(ServerProblem.AlreadyThere);
            CheckQuota(there.Where(file => file.Name != name).ToList(), bytes.Length);
            await storage.WriteAsync(name, new ReadOnlySequence<byte>(bytes), replace, CancellationToken.None).ConfigureAwait(false);
            return !exists;
        }).ConfigureAwait(false);
        ServerLog.Kept(_log, player, name, bytes.Length, Stopwatch.GetElapsedTime(started).TotalMilliseconds);
        response.StatusCode = isNew ? StatusCodes.Status201Created : StatusCodes.Status204NoContent;
    }

    /// <exception cref="ServerProblemException">There is no room for so many bytes more.</exception>
    private void CheckQuota(List<StoredFile> others, int byteCount)
    {
        if (others.Count >= _options.MaxPlayerFiles)
            throw new ServerProblemException(ServerProblem.QuotaFull($"{_options.MaxPlayerFiles} files"));
        if (others.Sum(file => file.ByteCount) + byteCount > _options.MaxPlayerBytes)
            throw new ServerProblemException(ServerProblem.QuotaFull($"{_options.MaxPlayerBytes} bytes"));
    }

    /// <summary>The body of a request, if it is not too long and does not take too long.</summary>
    /// <exception cref="ServerProblemException">It is or does.</exception>
    private async Task<byte[]> Receive(HttpContext context)
    {
        var request = context.Request;
        var most = _options.MaxFileBytes;
        if (request.ContentLength > most)
            throw new ServerProblemException(ServerProblem.TooLarge(most));
        // The host's own limit, which is often larger or smaller, would be answered in other words.
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
            limit.MaxRequestBodySize = null;
        using var timeout = new CancellationTokenSource(_options.UploadTimeout, _options.Clock);
        using var either = CancellationTokenSource.CreateLinkedTokenSource(timeout.Token, context.RequestAborted);
        try
        {
            var bytes = new MemoryStream((int)(request.ContentLength ?? 0));
            var buffer = ArrayPool<byte>.Shared.Rent(81920);
            try
            {
                for (int read; (read = await request.Body.ReadAsync(buffer, either.Token).ConfigureAwait(false)) > 0;)
                {
                    if (bytes.Length + read > most)
                        throw new ServerProblemException(ServerProblem.TooLarge(most));
                    bytes.Write(buffer, 0, read);
                }
            }
            finally
            {
                ArrayPool<byte>.Shared.Return(buffer);
            }
            return bytes.Length == bytes.Capacity ? bytes.GetBuffer() : bytes.ToArray();
        }
        catch (OperationCanceledException) when (timeout.IsCancellationRequested)
        {
            throw new ServerProblemException(ServerProblem.TooSlow);
        }
        catch (BadHttpRequestException exception)
        {
            throw new ServerProblemException(exception.StatusCode == StatusCodes.Status413PayloadTooLarge
                ? ServerProblem.TooLarge(most)
                : exception.StatusCode == StatusCodes.Status408RequestTimeout
                    ? ServerProblem.TooSlow
                    : new ServerProblem(exception.StatusCode, "The request could not be read to its end.", "Try again."));
        }
        catch (IOException) when (!context.RequestAborted.IsCancellationRequested)
        {
            throw new ServerProblemException(new ServerProblem(
                StatusCodes.Status400BadRequest, "The request could not be read to its end.", "Try again."));
        }
    }

    private async Task Delete(HttpContext context, string player, string name)
    {
        var wasThere = await _storages.Use(
            player, isReading: true, storage => storage.DeleteAsync(name, CancellationToken.None)).ConfigureAwait(false);
        if (!wasThere)
            throw new ServerProblemException(ServerProblem.NotThere);
        ServerLog.Deleted(_log, player, name);
        context.Response.StatusCode = StatusCodes.Status204NoContent;
    }

    private async Task List(HttpContext context, string player, string folder)
    {
        var request = context.Request;
        // What is asked for changes nothing: every answer has the same few properties. It is read, but not without end.
        if (request.ContentLength > MaxQuestionBytes)
            throw new ServerProblemException(ServerProblem.TooLarge(MaxQuestionBytes));
        var files = await _storages.Use(
            player, isReading: true, storage => storage.ListAsync(folder, context.RequestAborted)).ConfigureAwait(false);
        if (files.Count == 0 && folder.Length > 0)
            throw new ServerProblemException(ServerProblem.NotThere);
        var depth = request.Headers["Depth"].ToString() switch { "0" => 0, "1" => 1, _ => int.MaxValue };
        var path = request.PathBase.Add(request.Path).ToUriComponent().TrimEnd('/') + "/";
        var bytes = DavAnswer.Write(path, folder, files, depth);
        context.Response.StatusCode = StatusCodes.Status207MultiStatus;
        context.Response.ContentType = "application/xml; charset=utf-8";
        context.Response.ContentLength = bytes.Length;
        await context.Response.Body.WriteAsync(bytes, context.RequestAborted).ConfigureAwait(false);
    }
}

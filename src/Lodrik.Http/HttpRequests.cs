using System.Net;
using Lodrik.Storage;
using Polly;
using Polly.Retry;
using Polly.Timeout;

namespace Lodrik.Http;

/// <summary>A response, read to its end.</summary>
/// <param name="Status">Its status.</param>
/// <param name="Bytes">Its content.</param>
internal sealed record HttpAnswer(HttpStatusCode Status, byte[] Bytes)
{
    /// <summary>How many requests it took. With more than one, an earlier one may have got through.</summary>
    public int Attempts { get; init; } = 1;

    /// <summary>Where the range begins that it contains; null for a whole file.</summary>
    public long? From { get; init; }

    /// <summary>The type of its content.</summary>
    public string MediaType { get; init; } = "";

    /// <summary>How long the server wants to be left alone; null if it does not say.</summary>
    public TimeSpan? RetryAfter { get; init; }

    /// <summary>Whether the same request may succeed a little later.</summary>
    public bool MayPass => Status is HttpStatusCode.RequestTimeout or HttpStatusCode.TooManyRequests or HttpStatusCode.InternalServerError
        or HttpStatusCode.BadGateway or HttpStatusCode.ServiceUnavailable or HttpStatusCode.GatewayTimeout;
}

/// <summary>
/// Sends requests, and repeats those that failed for a reason that may pass. All methods that a storage uses are idempotent (RFC 9110,
/// section 9.2.2): repeating one does what sending it once does.
/// </summary>
internal sealed class HttpRequests
{
    private const int MaxRedirects = 5;

    private readonly Uri _address;
    private readonly HttpStorageOptions _options;
    private readonly ResiliencePipeline<HttpAnswer> _pipeline;

    public HttpRequests(HttpClient client, Uri address, HttpStorageOptions options)
    {
        (Client, _address, _options) = (client, address, options);
        var builder = new ResiliencePipelineBuilder<HttpAnswer> { TimeProvider = options.Clock };
        if (options.MaxRetries > 0)
        {
            builder.AddRetry(new RetryStrategyOptions<HttpAnswer>
            {
                MaxRetryAttempts = options.MaxRetries,
                BackoffType = DelayBackoffType.Exponential,
                UseJitter = true,
                Delay = options.RetryDelay,
                MaxDelay = options.MaxRetryDelay,
                ShouldHandle = new PredicateBuilder<HttpAnswer>()
                    .Handle<HttpRequestException>().Handle<IOException>().Handle<TimeoutRejectedException>()
                    .HandleResult(answer => answer.MayPass && !(answer.RetryAfter > options.MaxRetryDelay)),
                DelayGenerator = attempt => new ValueTask<TimeSpan?>(attempt.Outcome.Result?.RetryAfter),
            });
        }
        _pipeline = builder.AddTimeout(new TimeoutStrategyOptions { Timeout = options.RequestTimeout }).Build();
    }

    public HttpClient Client { get; }

    public TimeProvider Clock => _options.Clock;

    /// <summary>Whether the server has said that it is Lodrik's own, which writes a file only if there is none, however many try.</summary>
    public bool IsOurServer { get; private set; }

    /// <summary>Sends a request until there is an answer.</summary>
    /// <param name="ask">Makes the request, once for each attempt.</param>
    /// <param name="most">How many bytes a part of a file may have; null where a whole file is asked for.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <exception cref="StorageException">There was no answer, or it is too long, or of another host.</exception>
    public async ValueTask<HttpAnswer> Send(Func<HttpRequestMessage> ask, int? most, CancellationToken cancellationToken)
    {
        var attempts = 0;
        try
        {
            var answer = await _pipeline.ExecuteAsync(
                async cancellation =>
                {
                    attempts++;
                    return await SendOnce(ask, most, cancellation).ConfigureAwait(false);
                },
                cancellationToken).ConfigureAwait(false);
            return answer with { Attempts = attempts };
        }
        catch (Exception exception) when (exception is HttpRequestException or IOException or TimeoutRejectedException
            || (exception is OperationCanceledException && !cancellationToken.IsCancellationRequested))
        {
            throw HttpErrors.NoAnswer(exception, _address, attempts);
        }
    }

    private async ValueTask<HttpAnswer> SendOnce(Func<HttpRequestMessage> ask, int? most, CancellationToken cancellationToken)
    {
        Uri? elsewhere = null;
        for (var redirects = 0; ; redirects++)
        {
            using var request = ask();
            request.RequestUri = elsewhere ?? request.RequestUri!;
            var asked = request.RequestUri;
            if (_options.Token is { } token)
                request.Headers.Authorization = new("Bearer", await token(cancellationToken).ConfigureAwait(false));
            using var response = await Client.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, cancellationToken)
                .ConfigureAwait(false);
            // A client of the game's may have followed a redirect by itself.
            if (response.RequestMessage?.RequestUri is { } answered && !IsSameHost(asked, answered))
                throw HttpErrors.OtherHost(asked, answered);
            if (response.StatusCode is HttpStatusCode.MovedPermanently or HttpStatusCode.Found
                    or HttpStatusCode.TemporaryRedirect or HttpStatusCode.PermanentRedirect
                && response.Headers.Location is { } location)
            {
                elsewhere = new Uri(asked, location);
                if (!IsSameHost(asked, elsewhere))
                    throw HttpErrors.OtherHost(asked, elsewhere);
                if (redirects < MaxRedirects)
                    continue;
            }
            IsOurServer |= response.Headers.Contains("Lodrik-Server");
            return await ReadAnswer(request, response, most, cancellationToken).ConfigureAwait(false);
        }
    }

    private async ValueTask<HttpAnswer> ReadAnswer(
        HttpRequestMessage request, HttpResponseMessage response, int? most, CancellationToken cancellationToken)
    {
        var limit = response.StatusCode == HttpStatusCode.PartialContent && most is { } part ? part : _options.MaxByteCount;
        var length = response.Content.Headers.ContentLength;
        if (request.Method != HttpMethod.Head && length > limit)
            throw HttpErrors.TooLong(request.RequestUri!, limit);
        var content = await response.Content.ReadAsStreamAsync(cancellationToken).ConfigureAwait(false);
        await using (content.ConfigureAwait(false))
        {
            var bytes = new MemoryStream((int)Math.Min(length ?? 0, limit));
            var buffer = new byte[81920];
            for (int read; (read = await content.ReadAsync(buffer, cancellationToken).ConfigureAwait(false)) > 0;)
            {
                if (bytes.Length + read > limit)
                    throw HttpErrors.TooLong(request.RequestUri!, limit);
                bytes.Write(buffer, 0, read);
            }
            var after = response.Headers.RetryAfter;
            return new HttpAnswer(response.StatusCode, bytes.ToArray())
            {
                From = response.Content.Headers.ContentRange?.From,
                MediaType = response.Content.Headers.ContentType?.MediaType ?? "",
                RetryAfter = after?.Delta ?? (after?.Date is { } date ? Later(date - _options.Clock.GetUtcNow()) : null),
            };
        }
    }

    private static TimeSpan Later(TimeSpan time) => time > TimeSpan.Zero ? time : TimeSpan.Zero;

    /// <summary>Whether credentials for one address may be sent to the other.</summary>
    private static bool IsSameHost(Uri asked, Uri other) => asked.Host == other.Host
        && (asked.Scheme == other.Scheme ? asked.Port == other.Port : other.Scheme == Uri.UriSchemeHttps);
}

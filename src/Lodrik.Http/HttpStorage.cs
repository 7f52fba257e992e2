using System.Buffers;
using System.Net;
using System.Net.Http.Headers;
using Lodrik.Storage;

namespace Lodrik.Http;

/// <summary>
/// Saves on a web server, below one address: any WebDAV server, or Lodrik's own. Reading, writing and deleting are GET, PUT and DELETE
/// (RFC 9110), with conditional requests and ranges; listing is PROPFIND and making folders MKCOL (RFC 4918).
/// </summary>
/// <remarks>
/// <para>Use the asynchronous calls of a store. The others block their thread for as long as the server takes.</para>
/// <para>
/// A new file is written only if there is none of that name (<c>If-None-Match: *</c>) and nobody else is writing one, which an empty
/// folder <c>name.claim-…</c> beside it says meanwhile. So two machines that save at once never write over each other. Requests are
/// repeated where that is safe; if the answer to a write was lost, the storage looks whether the file is there. Whether a file that the
/// server has confirmed survives a power failure is up to the server.
/// </para>
/// </remarks>
public sealed class HttpStorage : ISaveStorage, IDisposable
{
    /// <summary>What comes between the name of a file that is being written and the id of who writes it.</summary>
    private const string ClaimMark = ".claim-";

    private const int MaxLooks = 50;

    private static readonly TimeSpan LookDelay = TimeSpan.FromMilliseconds(50);

    private readonly Uri _address;
    private readonly HttpRequests _requests;
    private readonly HttpClient? _own;

    /// <summary>
    /// 1 if the server lists everything below a folder at once, 2 if only level by level (many servers refuse <c>Depth: infinity</c>),
    /// 0 while that is unknown.
    /// </summary>
    private volatile int _depth;

    /// <summary>A storage with a connection of its own, which follows no redirects to other hosts.</summary>
    /// <param name="address">The folder on the server, <c>https://</c> or, for a server on this machine, <c>http://</c>.</param>
    /// <param name="options">How to talk to it; null for the usual.</param>
    /// <exception cref="ArgumentException">It is not such an address.</exception>
    public HttpStorage(Uri address, HttpStorageOptions? options = null)
        : this(NewClient(), address, options) => _own = _requests!.Client;

    /// <summary>A storage that uses a client of the game, with whatever handlers and headers that has.</summary>
    /// <param name="client">
    /// The client. It should not follow redirects by itself (<see cref="HttpClientHandler.AllowAutoRedirect"/>): headers that were added to
    /// it would go to whatever host a redirect names. Where it does, the answer of another host is refused.
    /// </param>
    /// <param name="address">The folder on the server.</param>
    /// <param name="options">How to talk to it; null for the usual.</param>
    /// <exception cref="ArgumentException">It is not an address of a web server.</exception>
    public HttpStorage(HttpClient client, Uri address, HttpStorageOptions? options = null)
    {
        ArgumentNullException.ThrowIfNull(client);
        ArgumentNullException.ThrowIfNull(address);
        if (!address.IsAbsoluteUri || (address.Scheme != Uri.UriSchemeHttp && address.Scheme != Uri.UriSchemeHttps))
            throw new ArgumentException($"\"{address}\" is not an address of a web server. Write https://host/folder.", nameof(address));
        if (address.Query.Length > 0 || address.Fragment.Length > 0 || address.UserInfo.Length > 0)
            throw new ArgumentException(
                "The address may have no query, fragment or user name. Pass a token in the options.", nameof(address));
        _address = address.AbsolutePath.EndsWith('/') ? address : new Uri(address.AbsoluteUri + "/");
        _requests = new HttpRequests(client, _address, options ?? new HttpStorageOptions());
    }

    /// <inheritdoc/>
    public string Description => _address.AbsoluteUri;

    /// <inheritdoc/>
    public object Place => _address.AbsoluteUri;

    /// <inheritdoc/>
    public IReadOnlyList<StoredFile> List(string folder) => Wait(() => ListAsync(folder));

    /// <inheritdoc/>
    public byte[]? ReadRange(string name, long offset, int count) => Wait(() => ReadRangeAsync(name, offset, count));

    /// <inheritdoc/>
    public byte[]? Read(string name) => Wait(() => ReadAsync(name));

    /// <inheritdoc/>
    public void Write(string name, ReadOnlySequence<byte> bytes, bool replace) => Wait(async () =>
    {
        await WriteAsync(name, bytes, replace).ConfigureAwait(false);
        return true;
    });

    /// <inheritdoc/>
    public void WriteAll(IReadOnlyList<StoredContent> files) => Wait(async () =>
    {
        await ((ISaveStorage)this).WriteAllAsync(files).ConfigureAwait(false);
        return true;
    });

    /// <inheritdoc/>
    public bool Delete(string name) => Wait(() => DeleteAsync(name));

    /// <inheritdoc/>
    public string Locate(string name) => AddressOf(name).AbsoluteUri;

    /// <inheritdoc/>
    public async ValueTask<IReadOnlyList<StoredFile>> ListAsync(string folder, CancellationToken cancellationToken = default)
    {
        StorageNames.CheckFolder(folder);
        if (_depth != 2)
        {
            var all = await Propfind(folder, "infinity", cancellationToken).ConfigureAwait(false);
            if (all is not null)
            {
                _depth = 1;
                return [.. all.Where(entry => !entry.IsFolder).Select(entry => entry.File)];
            }
            _depth = 2;
        }
        var files = new List<StoredFile>();
        var folders = new Queue<string>([folder]);
        var seen = new HashSet<string>(folders, StringComparer.Ordinal);
        while (folders.TryDequeue(out var next))
        {
            foreach (var (file, isFolder) in await Propfind(next, "1", cancellationToken).ConfigureAwait(false) ?? [])
            {
                if (!isFolder)
                    files.Add(file);
                else if (seen.Add(file.Name))
                    folders.Enqueue(file.Name);
            }
        }
        return files;
    }

    /// <inheritdoc/>
    public async ValueTask<byte[]?> ReadRangeAsync(string name, long offset, int count, CancellationToken cancellationToken = default)
    {
        StorageNames.Check(name);
        ArgumentOutOfRangeException.ThrowIfNegative(offset);
        ArgumentOutOfRangeException.ThrowIfNegative(count);
        if (count == 0)
            return await Exists(name, cancellationToken).ConfigureAwait(false) ? [] : null;
        var answer = await _requests.Send(
            () => new HttpRequestMessage(HttpMethod.Get, AddressOf(name))
            {
                // Compressed on the way, the range would be one of the compressed bytes.
                Headers = { Range = new RangeHeaderValue(offset, offset + count - 1), AcceptEncoding = { new("identity") } },
            },
            most: count, cancellationToken).ConfigureAwait(false);
        switch (answer.Status)
        {
            case HttpStatusCode.PartialContent when answer.From == offset:
                return answer.Bytes;
            case HttpStatusCode.OK:
                // Servers may ignore ranges.
                var start = (int)Math.Min(offset, answer.Bytes.Length);
                return answer.Bytes[start..(int)Math.Min(start + (long)count, answer.Bytes.Length)];
            case HttpStatusCode.RequestedRangeNotSatisfiable:
                return [];
            case HttpStatusCode.NotFound or HttpStatusCode.Gone:
                return null;
            default:
                throw HttpErrors.Unexpected(answer, "reading a part of a file", Locate(name));
        }
    }

    /// <inheritdoc/>
    public async ValueTask<byte[]?> ReadAsync(string name, CancellationToken cancellationToken = default)
    {
        StorageNames.Check(name);
        var answer = await _requests.Send(
            () => new HttpRequestMessage(HttpMethod.Get, AddressOf(name)), most: null, cancellationToken).ConfigureAwait(false);
        return answer.Status switch
        {
            HttpStatusCode.OK => answer.Bytes,
            HttpStatusCode.NotFound or HttpStatusCode.Gone => null,
            _ => throw HttpErrors.Unexpected(answer, "reading a file", Locate(name)),
        };
    }

    /// <inheritdoc/>
    public async ValueTask WriteAsync(
        string name, ReadOnlySequence<byte> bytes, bool replace, CancellationToken cancellationToken = default)
    {
        StorageNames.Check(name);
        var claim = replace ? null : ClaimOf(name, Guid.NewGuid());
        try
        {
            if (claim is not null)
                await Claim(name, claim, cancellationToken).ConfigureAwait(false);
            var answer = await Made(name, () => Put(name, bytes, replace, cancellationToken), cancellationToken).ConfigureAwait(false);
            await CheckWritten(name, bytes, replace, answer, cancellationToken).ConfigureAwait(false);
        }
        finally
        {
            if (claim is not null && !_requests.IsOurServer)
                await Unclaim(claim).ConfigureAwait(false);
        }
    }

    /// <summary>Makes sure that a file is on the server after the answer to a PUT.</summary>
    private async ValueTask CheckWritten(
        string name, ReadOnlySequence<byte> bytes, bool replace, HttpAnswer answer, CancellationToken cancellationToken)
    {
        switch (answer.Status)
        {
            case HttpStatusCode.Created or HttpStatusCode.NoContent:
                return;
            case HttpStatusCode.PreconditionFailed when !replace:
                // The file may be our own: an earlier attempt got through, and its answer was lost.
                if (await IsThere(name, bytes, cancellationToken).ConfigureAwait(false))
                    return;
                throw StorageNames.AlreadyThere(Locate(name));
            case HttpStatusCode.OK or HttpStatusCode.Accepted:
                // Sign-in pages of networks answer everything with that. What matters is whether the file is there.
                if (await IsThere(name, bytes, cancellationToken).ConfigureAwait(false))
                    return;
                throw new StorageException(
                    "The server confirmed a file that it does not have.", new SaveLocation { File = Locate(name) },
                    "A network that wants you to sign in may answer in its place. Check the connection and save again.");
            default:
                throw HttpErrors.Unexpected(answer, "writing a file", Locate(name));
        }
    }

    /// <inheritdoc/>
    public async ValueTask<bool> DeleteAsync(string name, CancellationToken cancellationToken = default)
    {
        StorageNames.Check(name);
        // Once a request may have been sent twice, "not found" no longer says whether there was a file.
        if (!await Exists(name, cancellationToken).ConfigureAwait(false))
            return false;
        var answer = await _requests.Send(
            () => new HttpRequestMessage(HttpMethod.Delete, AddressOf(name)), most: null, cancellationToken).ConfigureAwait(false);
        switch (answer.Status)
        {
            case HttpStatusCode.NoContent or HttpStatusCode.NotFound or HttpStatusCode.Gone:
                return true;
            case HttpStatusCode.OK when !await Exists(name, cancellationToken).ConfigureAwait(false):
                return true;
            default:
                throw HttpErrors.Unexpected(answer, "deleting a file", Locate(name));
        }
    }

    /// <summary>Closes the connection, unless it is the game's own.</summary>
    public void Dispose() => _own?.Dispose();

    private static HttpClient NewClient() => new(new SocketsHttpHandler
    {
        AllowAutoRedirect = false,
        UseCookies = false,
        ConnectTimeout = TimeSpan.FromSeconds(15),
        // A server's address may change while a game runs for days.
        PooledConnectionLifetime = TimeSpan.FromMinutes(5),
    })
    { Timeout = Timeout.InfiniteTimeSpan };

    /// <summary>Waits without the caller's context, which could be a game's thread that everything else waits for.</summary>
    private static TResult Wait<TResult>(Func<ValueTask<TResult>> call) =>
        Task.Run(async () => await call().ConfigureAwait(false)).GetAwaiter().GetResult();

    private Uri AddressOf(string name) => new(_address, string.Join('/', name.Split('/').Select(Uri.EscapeDataString)));

    private ValueTask<HttpAnswer> Put(
        string name, ReadOnlySequence<byte> bytes, bool replace, CancellationToken cancellationToken) => _requests.Send(
        () =>
        {
            var request = new HttpRequestMessage(HttpMethod.Put, AddressOf(name)) { Content = new SequenceContent(bytes) };
            if (!replace)
                request.Headers.IfNoneMatch.Add(EntityTagHeaderValue.Any);
            return request;
        },
        most: null, cancellationToken);

    /// <summary>Sends a request that makes something, after making the folders above it where they are missing.</summary>
    private async ValueTask<HttpAnswer> Made(string name, Func<ValueTask<HttpAnswer>> make, CancellationToken cancellationToken)
    {
        var answer = await make().ConfigureAwait(false);
        // RFC 4918, sections 9.3.1 and 9.7.1.
        if (answer.Status is not (HttpStatusCode.Conflict or HttpStatusCode.NotFound) || !HttpErrors.IsNotTold(answer))
            return answer;
        await MakeFolders(name, cancellationToken).ConfigureAwait(false);
        return await make().ConfigureAwait(false);
    }

    /// <summary>
    /// Keeps other writers from a name that is about to be written. WebDAV servers check <c>If-None-Match</c> before a file's content has
    /// arrived, so two uploads at once can both pass. So each writer first makes an empty folder with a name of its own, and then looks:
    /// of two that do, at least one sees the other. Lodrik's own server needs none of it, and says so with any answer.
    /// </summary>
    /// <exception cref="StorageException">Somebody else is writing the file.</exception>
    private async ValueTask Claim(string name, string claim, CancellationToken cancellationToken)
    {
        if (_requests.IsOurServer)
            return;
        var answer = await Made(name, () => MakeFolder(AddressOf(claim), cancellationToken), cancellationToken).ConfigureAwait(false);
        if (_requests.IsOurServer)
            return;
        // 405: it is there already, since an earlier attempt got through.
        if (answer.Status is not (HttpStatusCode.Created or HttpStatusCode.MethodNotAllowed))
            throw HttpErrors.Unexpected(answer, "claiming a name", Locate(name));
        var folder = name[..Math.Max(0, name.LastIndexOf('/'))];
        for (var look = 0; ; look++)
        {
            var others = (await Propfind(folder, "1", cancellationToken).ConfigureAwait(false) ?? [])
                .Where(entry => entry.IsFolder && entry.File.Name != claim
                    && entry.File.Name.StartsWith(name + ClaimMark, StringComparison.Ordinal))
                .Select(entry => entry.File.Name).ToList();
            if (others.Count == 0)
                return;
            // The one that comes first in the alphabet waits until the others are done or have given way, but not long for what a crash
            // left.
            if (look == MaxLooks || others.Any(other => string.CompareOrdinal(other, claim) < 0))
                throw StorageNames.AlreadyThere(Locate(name));
            await Task.Delay(LookDelay, _requests.Clock, cancellationToken).ConfigureAwait(false);
        }
    }

    private async ValueTask Unclaim(string claim)
    {
        try
        {
            // Also where the caller gave up: nobody else would do it.
            await _requests.Send(
                () => new HttpRequestMessage(HttpMethod.Delete, FolderOf(AddressOf(claim))), most: null, CancellationToken.None)
                .ConfigureAwait(false);
        }
        catch (StorageException)
        {
            // The file is written, or the error of that is told. What is left is an empty folder, and costs its number only.
        }
    }

    private static string ClaimOf(string name, Guid id) => $"{name}{ClaimMark}{id:N}";

    private async ValueTask<bool> Exists(string name, CancellationToken cancellationToken)
    {
        var answer = await _requests.Send(
            () => new HttpRequestMessage(HttpMethod.Head, AddressOf(name)), most: null, cancellationToken).ConfigureAwait(false);
        return answer.Status switch
        {
            HttpStatusCode.OK or HttpStatusCode.NoContent => true,
            HttpStatusCode.NotFound or HttpStatusCode.Gone => false,
            _ => throw HttpErrors.Unexpected(answer, "looking for a file", Locate(name)),
        };
    }

    private async ValueTask<bool> IsThere(string name, ReadOnlySequence<byte> bytes, CancellationToken cancellationToken) =>
        await ReadAsync(name, cancellationToken).ConfigureAwait(false) is { } there && there.Length == bytes.Length
        && bytes.ToArray().AsSpan().SequenceEqual(there);

    /// <summary>Makes the folders above a file, the outermost first: that of the storage itself.</summary>
    private async ValueTask MakeFolders(string name, CancellationToken cancellationToken)
    {
        // Some servers do not allow that for their outermost folder. If it is missing, the next call says so.
        await MakeFolder(_address, cancellationToken).ConfigureAwait(false);
        for (var end = name.IndexOf('/', StringComparison.Ordinal); end >= 0; end = name.IndexOf('/', end + 1))
        {
            var folder = AddressOf(name[..end]);
            var answer = await MakeFolder(folder, cancellationToken).ConfigureAwait(false);
            // 405: there is one already (RFC 4918, section 9.3.1). Of two who make it at once, some servers answer one with anything else.
            if (answer.Status is not (HttpStatusCode.Created or HttpStatusCode.MethodNotAllowed)
                && await Ask(FolderOf(folder), "0", cancellationToken).ConfigureAwait(false) is not { Status: HttpStatusCode.MultiStatus })
                throw HttpErrors.Unexpected(answer, "making a folder", folder.AbsoluteUri);
        }
    }

    private ValueTask<HttpAnswer> MakeFolder(Uri folder, CancellationToken cancellationToken) => _requests.Send(
        () => new HttpRequestMessage(new HttpMethod("MKCOL"), FolderOf(folder)), most: null, cancellationToken);

    private static Uri FolderOf(Uri address) => address.AbsolutePath.EndsWith('/') ? address : new Uri(address.AbsoluteUri + "/");

    /// <summary>What is in a folder; none if there is no such folder; null if the server does not list to that depth.</summary>
    private async ValueTask<List<(StoredFile File, bool IsFolder)>?> Propfind(
        string folder, string depth, CancellationToken cancellationToken)
    {
        var address = folder.Length == 0 ? _address : FolderOf(AddressOf(folder));
        var answer = await Ask(address, depth, cancellationToken).ConfigureAwait(false);
        return answer.Status switch
        {
            HttpStatusCode.MultiStatus => DavListing.Read(answer.Bytes, _address, folder, address),
            HttpStatusCode.NotFound or HttpStatusCode.Gone => [],
            // RFC 4918, section 9.1: propfind-finite-depth. Some servers say it without a body.
            HttpStatusCode.Forbidden or HttpStatusCode.BadRequest or HttpStatusCode.NotImplemented when depth == "infinity" => null,
            _ => throw HttpErrors.Unexpected(answer, "listing a folder", address.AbsoluteUri),
        };
    }

    private ValueTask<HttpAnswer> Ask(Uri address, string depth, CancellationToken cancellationToken) => _requests.Send(
        () => new HttpRequestMessage(new HttpMethod("PROPFIND"), address)
        {
            Headers = { { "Depth", depth } },
            Content = DavListing.NewQuestion(),
        },
        most: null, cancellationToken);
}

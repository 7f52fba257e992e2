using System.Globalization;
using System.Net;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.Extensions.Logging;

namespace Lodrik.Far.Tests;

/// <summary>What goes wrong with one request on its way.</summary>
public enum Trouble
{
    None,

    /// <summary>It never arrives.</summary>
    DropRequest,

    /// <summary>It arrives, and its answer does not.</summary>
    DropAnswer,

    /// <summary>Half of the answer arrives.</summary>
    CutAnswer,

    /// <summary>It arrives twice, and the second answer comes back.</summary>
    Repeat,

    /// <summary>Something on the way answers that it is too busy.</summary>
    Busy,

    /// <summary>It takes a little longer.</summary>
    Delay,
}

/// <summary>A proxy in front of a real server, which drops, delays, repeats and cuts what goes through it.</summary>
public sealed class BadProxy : IAsyncDisposable
{
    private readonly WebApplication _application;
    private readonly HttpClient _client = new(new SocketsHttpHandler { AllowAutoRedirect = false, UseCookies = false });

    private BadProxy(WebApplication application, Uri address) => (_application, Address) = (application, address);

    /// <summary>Its address, which stands for the root of the real server.</summary>
    public Uri Address { get; }

    /// <summary>Says what happens to each request.</summary>
    public Func<HttpRequest, Trouble> Choose { get; set; } = _ => Trouble.None;

    /// <summary>The requests that arrived here, as method and path.</summary>
    public List<string> Seen { get; } = [];

    /// <summary>Starts one.</summary>
    /// <param name="server">The real server.</param>
    public static async Task<BadProxy> Start(Uri server)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.ConfigureKestrel(kestrel => kestrel.Limits.MaxRequestBodySize = null);
        var port = Apache.FreePort();
        var address = new Uri(string.Create(CultureInfo.InvariantCulture, $"http://127.0.0.1:{port}/"));
        builder.WebHost.UseUrls(address.AbsoluteUri);
        var application = builder.Build();
        var proxy = new BadProxy(application, address);
        application.Run(context => proxy.Pass(context, server));
        await application.StartAsync();
        return proxy;
    }

    public async ValueTask DisposeAsync()
    {
        await _application.DisposeAsync();
        _client.Dispose();
    }

    private async Task Pass(HttpContext context, Uri server)
    {
        Trouble trouble;
        lock (Seen)
        {
            Seen.Add($"{context.Request.Method} {context.Request.Path}");
            trouble = Choose(context.Request);
        }
        var body = new MemoryStream();
        await context.Request.Body.CopyToAsync(body);
        switch (trouble)
        {
            case Trouble.DropRequest:
                context.Abort();
                return;
            case Trouble.Busy:
                context.Response.StatusCode = StatusCodes.Status503ServiceUnavailable;
                return;
            case Trouble.Delay:
                await Task.Delay(20);
                break;
            case Trouble.Repeat:
                (await Forward(context.Request, server, body.ToArray())).Dispose();
                break;
        }
        using var answer = await Forward(context.Request, server, body.ToArray());
        if (trouble == Trouble.DropAnswer)
        {
            context.Abort();
            return;
        }
        var bytes = await answer.Content.ReadAsByteArrayAsync();
        context.Response.StatusCode = (int)answer.StatusCode;
        foreach (var (name, values) in answer.Headers.Concat(answer.Content.Headers))
        {
            if (name is not ("Transfer-Encoding" or "Connection" or "Keep-Alive"))
                context.Response.Headers[name] = values.ToArray();
        }
        if (trouble == Trouble.CutAnswer && bytes.Length > 0)
        {
            await context.Response.Body.WriteAsync(bytes.AsMemory(0, bytes.Length / 2));
            await context.Response.Body.FlushAsync();
            context.Abort();
            return;
        }
        await context.Response.Body.WriteAsync(bytes);
    }

    private Task<HttpResponseMessage> Forward(HttpRequest request, Uri server, byte[] body)
    {
        var path = request.HttpContext.Features.Get<IHttpRequestFeature>()!.RawTarget;
        var forwarded = new HttpRequestMessage(new HttpMethod(request.Method), new Uri(server, path)) { Version = HttpVersion.Version11 };
        if (body.Length > 0 || request.Method == "PUT")
            forwarded.Content = new ByteArrayContent(body);
        foreach (var (name, values) in request.Headers)
        {
            if (name is "Host" or "Content-Length" or "Connection")
                continue;
            if (!forwarded.Headers.TryAddWithoutValidation(name, values.AsEnumerable()))
                forwarded.Content?.Headers.TryAddWithoutValidation(name, values.AsEnumerable());
        }
        return _client.SendAsync(forwarded);
    }
}

/// <summary>A web server that does what a test says.</summary>
public sealed class StrangeServer : IAsyncDisposable
{
    private readonly WebApplication _application;

    private StrangeServer(WebApplication application, Uri address) => (_application, Address) = (application, address);

    public Uri Address { get; }

    public static async Task<StrangeServer> Start(RequestDelegate answer)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        var address = new Uri(string.Create(CultureInfo.InvariantCulture, $"http://127.0.0.1:{Apache.FreePort()}/"));
        builder.WebHost.UseUrls(address.AbsoluteUri);
        var application = builder.Build();
        application.Run(answer);
        await application.StartAsync();
        return new StrangeServer(application, address);
    }

    public ValueTask DisposeAsync() => _application.DisposeAsync();
}

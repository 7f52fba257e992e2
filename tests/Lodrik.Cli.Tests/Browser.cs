using System.Diagnostics;
using System.Net.WebSockets;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;

namespace Lodrik.Cli.Tests;

/// <summary>
/// A page in a headless Chromium, spoken to in the Chrome DevTools Protocol. The well-known drivers bring hundreds of megabytes of browsers and runtimes along; what is needed of them here is
/// to open a page, to press keys, to ask it something, and to hear of errors and requests.
/// </summary>
internal sealed partial class Browser : IAsyncDisposable
{
    private readonly Process _process;
    private readonly string _profile;
    private readonly ClientWebSocket _socket = new();
    private int _calls;

    private Browser(Process process, string profile) => (_process, _profile) = (process, profile);

    /// <summary>The program; null where there is none.</summary>
    public static string? Program { get; } = ((string[])["chromium", "chromium-browser", "google-chrome"])
        .SelectMany(name => (Environment.GetEnvironmentVariable("PATH") ?? "").Split(':').Select(folder => Path.Combine(folder, name)))
        .FirstOrDefault(File.Exists);

    /// <summary>What the page complained of: exceptions, and messages of the kinds error and warning.</summary>
    public List<string> Complaints { get; } = [];

    /// <summary>What the page asked for beside itself; pictures that stand in it are not asked for.</summary>
    public List<string> Requests { get; } = [];

    /// <summary>Opens a page of 1280 × 800 and waits until it is there.</summary>
    public static async Task<Browser> Open(string file, CancellationToken cancellation)
    {
        var profile = Directory.CreateTempSubdirectory("lodrik-browser-").FullName;
        var process = Process.Start(new ProcessStartInfo(Program!, ["--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=1280,800", "--remote-debugging-port=0", $"--user-data-dir={profile}", "about:blank"])
        {
            RedirectStandardError = true,
        })!;
        var browser = new Browser(process, profile);
        string? address = null;
        while (address is null && await process.StandardError.ReadLineAsync(cancellation) is { } line)
            address = Address().Match(line) is { Success: true } match ? match.Groups[1].Value : null;
        _ = process.StandardError.ReadToEndAsync(cancellation);
        using var http = new HttpClient();
        var pages = JsonNode.Parse(await http.GetStringAsync(new Uri($"http://{address ?? throw new InvalidOperationException("The browser did not start.")}/json/list"), cancellation))!.AsArray();
        await browser._socket.ConnectAsync(new Uri(pages.First(page => (string?)page!["type"] == "page")!["webSocketDebuggerUrl"]!.GetValue<string>()), cancellation);
        foreach (var domain in (string[])["Page", "Runtime", "Log", "Network"])
            await browser.Call($"{domain}.enable", [], cancellation);
        var address2 = new Uri(file).AbsoluteUri;
        await browser.Call("Page.navigate", new JsonObject { ["url"] = address2 }, cancellation);
        while (await browser.Ask("document.readyState + location.href", cancellation) != "complete" + address2)
            cancellation.ThrowIfCancellationRequested();
        browser.Requests.Remove(address2);
        return browser;
    }

    /// <summary>The value of an expression in the page, as text.</summary>
    public async Task<string> Ask(string expression, CancellationToken cancellation)
    {
        var answer = await Call("Runtime.evaluate", new JsonObject { ["expression"] = $"String({expression})", ["returnByValue"] = true }, cancellation);
        return answer["exceptionDetails"] is { } thrown ? throw new InvalidOperationException(thrown.ToJsonString()) : answer["result"]!["value"]!.GetValue<string>();
    }

    /// <summary>Presses a key where the focus is.</summary>
    public async Task Press(string key, CancellationToken cancellation)
    {
        var code = key switch { "Tab" => 9, " " => 32, "End" => 35, "Home" => 36, "ArrowLeft" => 37, "ArrowUp" => 38, "ArrowRight" => 39, "ArrowDown" => 40, _ => char.ToUpperInvariant(key[0]) };
        foreach (var type in (string[])["keyDown", "keyUp"])
        {
            var press = new JsonObject { ["type"] = type, ["key"] = key, ["windowsVirtualKeyCode"] = code };
            if (key.Length == 1)
                press["text"] = key;
            await Call("Input.dispatchKeyEvent", press, cancellation);
        }
    }

    public async ValueTask DisposeAsync()
    {
        _socket.Dispose();
        _process.Kill(entireProcessTree: true);
        await _process.WaitForExitAsync();
        _process.Dispose();
        // Some helper of the browser's may still be writing for a moment.
        for (var attempt = 0; attempt < 50 && Directory.Exists(_profile); attempt++)
        {
            try
            {
                Directory.Delete(_profile, recursive: true);
            }
            catch (IOException)
            {
                await Task.Yield();
            }
        }
    }

    private async Task<JsonNode> Call(string method, JsonObject parameters, CancellationToken cancellation)
    {
        var id = ++_calls;
        await _socket.SendAsync(JsonSerializer.SerializeToUtf8Bytes(new JsonObject { ["id"] = id, ["method"] = method, ["params"] = parameters }), WebSocketMessageType.Text, true, cancellation);
        while (true)
        {
            var message = await Receive(cancellation);
            if ((int?)message["id"] == id)
                return message["result"] ?? throw new InvalidOperationException(message.ToJsonString());
            var details = message["params"];
            switch ((string?)message["method"])
            {
                case "Runtime.exceptionThrown":
                    Complaints.Add(details!["exceptionDetails"]!.ToJsonString());
                    break;
                case "Log.entryAdded" when (string?)details!["entry"]!["level"] is "error" or "warning":
                    Complaints.Add(details["entry"]!["text"]!.GetValue<string>());
                    break;
                case "Network.requestWillBeSent" when details!["request"]!["url"]!.GetValue<string>() is var address && !address.StartsWith("data:", StringComparison.Ordinal):
                    Requests.Add(address);
                    break;
            }
        }
    }

    private async Task<JsonNode> Receive(CancellationToken cancellation)
    {
        using var message = new MemoryStream();
        var buffer = new byte[1 << 16];
        WebSocketReceiveResult part;
        do
        {
            part = await _socket.ReceiveAsync(buffer, cancellation);
            message.Write(buffer, 0, part.Count);
        }
        while (!part.EndOfMessage);
        return JsonNode.Parse(message.ToArray())!;
    }

    [GeneratedRegex("DevTools listening on ws://([^/]+)/")]
    private static partial Regex Address();
}

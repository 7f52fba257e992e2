using Lodrik.Protection;
using Lodrik.Server;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Extensions.Logging;

namespace TwoShores;

/// <summary>The studio's own host, with the endpoints for saves in it.</summary>
internal sealed class Studio : IAsyncDisposable
{
    /// <summary>A real host asks its accounts who a token belongs to.</summary>
    public const string Token = "the-token-of-isolde";

    private readonly PlayerStorages _storages;
    private readonly SaveServer _saves;
    private string _address = "http://127.0.0.1:0";
    private WebApplication? _host;

    public Studio(string folder, SaveKey sealing, SaveKey signing)
    {
        _storages = PlayerStorages.InFolder(folder);
        _saves = new SaveServer(
            new SaveServerOptions
            {
                Game = "tidewarden-shores",
                NewestVersion = 1,
                Player = context => new(context.Request.Headers.Authorization == $"Bearer {Token}" ? "isolde" : null),
                SealOf = _ => SaveProtection.With(sealing),
                SignatureOf = player => SaveProtection.With(signing) with { Context = player },
            },
            _storages);
    }

    /// <summary>Opens it, at the same address as before.</summary>
    public async Task<Uri> Open()
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls(_address);
        _host = builder.Build();
        _host.MapLodrik(_saves);
        await _host.StartAsync();
        _address = _host.Urls.First();
        return new Uri(_address);
    }

    public async Task Close()
    {
        if (_host is not null)
            await _host.DisposeAsync();
        _host = null;
    }

    public async ValueTask DisposeAsync()
    {
        await Close();
        _saves.Dispose();
        await _storages.DisposeAsync();
    }
}

using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Sockets;

namespace Lodrik.Far.Tests;

/// <summary>A real Apache with mod_dav, on a free port of this machine, with its files in a temporary folder.</summary>
public sealed class Apache : IDisposable
{
    private const string Program = "/usr/sbin/apache2";
    private const string Modules = "/usr/lib/apache2/modules";

    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-apache-").FullName;
    private readonly Process? _process;

    public Apache()
    {
        if (!File.Exists(Program) || !File.Exists($"{Modules}/mod_dav_fs.so"))
            return;
        var port = FreePort();
        Address = new Uri(string.Create(CultureInfo.InvariantCulture, $"http://127.0.0.1:{port}/dav/"));
        Directory.CreateDirectory(Path.Combine(_folder, "files", "dav"));
        var settings = Path.Combine(_folder, "httpd.conf");
        File.WriteAllText(settings, string.Create(CultureInfo.InvariantCulture, $"""
            ServerRoot "{_folder}"
            ServerName 127.0.0.1
            Listen 127.0.0.1:{port}
            PidFile "{_folder}/pid"
            ErrorLog "{_folder}/error.log"
            Mutex "file:{_folder}"
            LoadModule mpm_event_module {Modules}/mod_mpm_event.so
            LoadModule authz_core_module {Modules}/mod_authz_core.so
            LoadModule dav_module {Modules}/mod_dav.so
            LoadModule dav_fs_module {Modules}/mod_dav_fs.so
            DocumentRoot "{_folder}/files"
            DavLockDB "{_folder}/locks"
            <Directory "{_folder}/files">
              Dav On
              Require all granted
            </Directory>
            """));
        if (Environment.UserName == "root")
        {
            // Apache does not serve as root: it changes to another user, who has to reach the files.
            File.AppendAllText(settings, "\nUser www-data\nGroup www-data\n");
            foreach (var path in new[] { _folder, Path.Combine(_folder, "files"), Path.Combine(_folder, "files", "dav") })
                Repository.Run("chown", [], "www-data", path);
        }
        var start = new ProcessStartInfo(Program, ["-f", settings, "-DFOREGROUND"]) { RedirectStandardError = true, RedirectStandardOutput = true };
        _process = Process.Start(start)!;
        for (var attempt = 0; !Answers(port); attempt++)
        {
            if (_process.HasExited || attempt > 300)
                throw new InvalidOperationException($"Apache does not start: {_process.StandardError.ReadToEnd()}");
            _process.WaitForExit(100);
        }
    }

    /// <summary>The folder that it serves; null where it is not installed.</summary>
    public Uri? Address { get; }

    /// <summary>A folder for one test; the test is skipped where Apache is not installed.</summary>
    public Uri NewFolder()
    {
        if (Address is null)
            Assert.Skip("Apache with mod_dav is not there (Debian: apache2).");
        return new Uri(Address, $"{Guid.NewGuid():N}/");
    }

    public static int FreePort()
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return ((IPEndPoint)listener.LocalEndpoint).Port;
    }

    public void Dispose()
    {
        if (_process is { HasExited: false })
        {
            Repository.Run("kill", [], "-TERM", _process.Id.ToString(CultureInfo.InvariantCulture));
            if (!_process.WaitForExit(10_000))
                _process.Kill(entireProcessTree: true);
        }
        _process?.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    private static bool Answers(int port)
    {
        try
        {
            using var client = new TcpClient();
            client.Connect(IPAddress.Loopback, port);
            return true;
        }
        catch (SocketException)
        {
            return false;
        }
    }
}

using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;

namespace Lodrik.Cli;

/// <summary>Keys as files: JSON Web Keys (RFC 7517). A key never comes from the command line itself, which others can read.</summary>
internal static class KeyFile
{
    /// <summary>The key that an option names.</summary>
    /// <exception cref="ArgumentException">There is none, or it is no key.</exception>
    public static SaveKey Read(string place)
    {
        const string Variable = "env:";
        if (place.StartsWith(Variable, StringComparison.Ordinal))
            return SaveKey.FromJwk(Environment.GetEnvironmentVariable(place[Variable.Length..]) ?? throw new ArgumentException($"There is no environment variable {place[Variable.Length..]}."));
        try
        {
            return SaveKey.FromJwk(File.ReadAllText(place));
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new ArgumentException($"The key's file cannot be read: {exception.Message}", exception);
        }
    }

    /// <summary>A new secret key.</summary>
    public static string NewSecret(string id) => $$"""{"kty":"oct","kid":"{{id}}","k":"{{Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(SaveKey.SecretBytes))}}"}""";

    /// <summary>A new pair for signatures: the private key, and the public one.</summary>
    public static (string Private, string Public) NewPair(string id)
    {
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var parameters = pair.ExportParameters(includePrivateParameters: true);
        var shared = $"\"kty\":\"EC\",\"crv\":\"P-256\",\"kid\":\"{id}\",\"x\":\"{Base64Url.EncodeToString(parameters.Q.X)}\",\"y\":\"{Base64Url.EncodeToString(parameters.Q.Y)}\"";
        return ($"{{{shared},\"d\":\"{Base64Url.EncodeToString(parameters.D)}\"}}", $"{{{shared}}}");
    }

    /// <summary>Writes a key for its owner's eyes only; a file that is there is not written over.</summary>
    /// <exception cref="ArgumentException">It cannot be written.</exception>
    public static void Write(string path, string key)
    {
        try
        {
            var options = new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write };
            if (!OperatingSystem.IsWindows())
                options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
            using var stream = new FileStream(path, options);
            stream.Write(Encoding.UTF8.GetBytes(key + "\n"));
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new ArgumentException($"The key cannot be written: {exception.Message}", exception);
        }
    }
}

using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;
using System.Text.RegularExpressions;
using Lodrik.Protection;

namespace Lodrik.Cli;

/// <summary>
/// Keys as the command line names them: <c>[id=][passphrase:]file</c>, or <c>env:NAME</c> instead of the file. A key never comes from the
/// command line itself, which others can read.
/// </summary>
internal static partial class KeyFile
{
    public const string Forms = "[id=]<file> or [id=]env:NAME: a JSON Web Key (RFC 7517), PEM, 32 bytes, or those in Base64; or "
        + "[id=]passphrase:<file> for a passphrase.";

    private const string Variable = "env:";
    private const string Passphrase = "passphrase:";

    /// <summary>The key that an option names.</summary>
    /// <exception cref="ArgumentException">There is none, or it is not a key.</exception>
    public static SaveKey Read(string place)
    {
        var id = "";
        if (!File.Exists(place) && WithId().Match(place) is { Success: true } match)
            (id, place) = (match.Groups["id"].Value, match.Groups["place"].Value);
        var isPassphrase = place.StartsWith(Passphrase, StringComparison.Ordinal);
        place = isPassphrase ? place[Passphrase.Length..] : place;
        var content = ContentOf(place);
        try
        {
            return KeyOf(content, id, isPassphrase, otherwise: Path.GetFileNameWithoutExtension(
                place.StartsWith(Variable, StringComparison.Ordinal) ? place[Variable.Length..] : place));
        }
        finally
        {
            CryptographicOperations.ZeroMemory(content);
        }
    }

    /// <param name="content">What is in the file.</param>
    /// <param name="id">The id that was given; empty if none was.</param>
    /// <param name="isPassphrase">Whether it is a passphrase.</param>
    /// <param name="otherwise">The id of a key that has none of its own, where none was given.</param>
    private static SaveKey KeyOf(byte[] content, string id, bool isPassphrase, string otherwise)
    {
        var text = Encoding.UTF8.GetString(content).Trim();
        var name = id.Length > 0 ? id : otherwise;
        if (isPassphrase)
            return SaveKey.FromPassphrase(name, text.Length > 0 ? text : throw new ArgumentException("The passphrase is empty."));
        // Nothing else is as short as this, and random bytes may begin like anything.
        if (content.Length == SaveKey.SecretBytes)
            return SaveKey.FromBytes(name, content);
        if (text.StartsWith('{'))
        {
            var key = SaveKey.FromJwk(text);
            return id.Length == 0 || id == key.Id
                ? key
                : throw new ArgumentException($"The key has the id {key.Id}, not {id}.");
        }
        if (text.StartsWith("-----BEGIN", StringComparison.Ordinal))
            return text.Contains("PRIVATE KEY", StringComparison.Ordinal) ? SaveKey.Signing(name, text) : SaveKey.Verifying(name, text);
        // What was wrong is not repeated: it may have a part of the key in it.
        return Base64.IsValid(text, out var length) && length == SaveKey.SecretBytes
            ? SaveKey.FromBase64(name, text)
            : throw new ArgumentException("This is not a key. Expected a JSON Web Key, PEM, 32 bytes, or 32 bytes in Base64. (A passphrase "
                + "is given as passphrase:<file>.)");
    }

    private static byte[] ContentOf(string place)
    {
        if (place.StartsWith(Variable, StringComparison.Ordinal))
            return Encoding.UTF8.GetBytes(Environment.GetEnvironmentVariable(place[Variable.Length..])
                ?? throw new ArgumentException($"There is no environment variable {place[Variable.Length..]}."));
        if (place.Length == 0)
            throw new ArgumentException("Pass the file that has the key.");
        try
        {
            return File.ReadAllBytes(place);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new ArgumentException($"The key's file cannot be read: {exception.Message}", exception);
        }
    }

    [GeneratedRegex("^(?<id>[A-Za-z0-9._-]+)=(?<place>.+)$")]
    private static partial Regex WithId();

    /// <summary>A new secret key.</summary>
    public static string NewSecret(string id) =>
        $$"""{"kty":"oct","kid":"{{id}}","k":"{{Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(SaveKey.SecretBytes))}}"}""";

    /// <summary>A new pair for signatures: the private key, and the public one.</summary>
    public static (string Private, string Public) NewPair(string id)
    {
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var parameters = pair.ExportParameters(includePrivateParameters: true);
        var (x, y) = (Base64Url.EncodeToString(parameters.Q.X), Base64Url.EncodeToString(parameters.Q.Y));
        var shared = $"\"kty\":\"EC\",\"crv\":\"P-256\",\"kid\":\"{id}\",\"x\":\"{x}\",\"y\":\"{y}\"";
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

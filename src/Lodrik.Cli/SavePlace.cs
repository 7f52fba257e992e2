using System.CommandLine;
using Lodrik.Http;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Cli;

/// <summary>
/// Where saves are: a folder of this machine, or an address of a web server. Both are given as text, and so are files in them.
/// </summary>
internal static class SavePlace
{
    private const string TokenVariable = "LODRIK_TOKEN";
    private const string SlotsStep = "/slots/";

    private static readonly Dictionary<string, HttpStorage> Servers = new(StringComparer.Ordinal);

    /// <summary>The option of every command that can be given an address.</summary>
    public static Option<string?> Token { get; } = new("--token")
    {
        Description = $"For an address: a file with the token, or env:NAME. Without it, {TokenVariable} is used if it is set.",
    };

    /// <summary>What the option was given; null for nothing.</summary>
    public static string? GivenToken { get; set; }

    /// <summary>Whether this is the address of a web server, and not a path.</summary>
    public static bool IsAddress(string text) =>
        text.StartsWith("https://", StringComparison.OrdinalIgnoreCase) || text.StartsWith("http://", StringComparison.OrdinalIgnoreCase);

    /// <summary>The storage in a folder that has to be there, or at an address.</summary>
    /// <exception cref="StorageException">There is no such folder.</exception>
    /// <exception cref="ArgumentException">It is not an address that can be used.</exception>
    public static ISaveStorage Storage(string place)
    {
        if (!IsAddress(place))
            return Directory.Exists(place)
                ? new DirectoryStorage(place)
                : throw new StorageException("There is no such folder.", new SaveLocation { File = place }, "Check the path.");
        if (!Uri.TryCreate(place.TrimEnd('/') + "/", UriKind.Absolute, out var address))
            throw new ArgumentException($"\"{place}\" is not an address.");
        if (Servers.TryGetValue(address.AbsoluteUri, out var known))
            return known;
        var token = ReadToken();
        if (token is not null && address.Scheme == Uri.UriSchemeHttp && !address.IsLoopback)
            throw new ArgumentException("The token would be sent without encryption. Use an https:// address.");
        var options = new HttpStorageOptions { MaxRetries = 2, Token = token is null ? null : _ => new(token) };
        return Servers[address.AbsoluteUri] = new HttpStorage(address, options);
    }

    /// <summary>The slots of a folder or an address.</summary>
    /// <param name="place">The folder, which has to be there, or the address.</param>
    /// <param name="key">The key that shows hidden titles; null for none.</param>
    public static SaveSlots Slots(string place, ToolKey? key = null) => SaveSlots.Open(Storage(place), key?.ForHeaders);

    /// <summary>Whether there are slots in a folder or at an address.</summary>
    public static bool IsStore(string place) =>
        IsAddress(place) ? Storage(place).List(SlotsStep.Trim('/')).Count > 0 : SaveSlots.IsStore(place);

    /// <summary>The slot that a path or an address means: that of the saves and the slot's name, or the slot's own folder.</summary>
    /// <inheritdoc cref="SaveSlots.TryFind"/>
    public static bool TryFind(string place, out string folder, out SlotName slot)
    {
        if (!IsAddress(place))
            return SaveSlots.TryFind(place, out folder, out slot);
        var full = place.TrimEnd('/');
        (folder, slot) = (full, default);
        // The address of the saves themselves comes first: what is above it is often not the player's to see.
        if (IsStore(full))
            return false;
        var end = full.LastIndexOf('/');
        folder = full[..end];
        if (folder.EndsWith('/') || !SlotName.TryParse(Uri.UnescapeDataString(full[(end + 1)..]), out slot))
            return false;
        if (folder.EndsWith(SlotsStep.TrimEnd('/'), StringComparison.Ordinal))
            folder = folder[..^(SlotsStep.Length - 1)];
        return Storage(folder).List($"{SlotsStep.Trim('/')}/{slot}").Count > 0;
    }

    /// <summary>Whether this is a file, or the address of one.</summary>
    public static bool IsFile(string path) => IsAddress(path)
        ? Split(path) is var (_, name) && SlotFileNames.KindOf(name) is SlotFileKind.Save or SlotFileKind.Settings
        : File.Exists(path);

    /// <summary>Opens a save that is a file, or has an address.</summary>
    /// <exception cref="SaveException">It cannot be read.</exception>
    public static SavedFile OpenFile(string path) =>
        IsAddress(path) ? SavedFile.FromBytes(Fetch(path), new SaveLocation { File = path }) : SavedFile.Open(path);

    /// <summary>Looks for what is whole in a save that is a file, or has an address.</summary>
    /// <inheritdoc cref="SalvagedSave.Open"/>
    public static SalvagedSave Salvage(string path, SaveProtection? protection) => IsAddress(path)
        ? SalvagedSave.FromBytes(Fetch(path), protection, new SaveLocation { File = path })
        : SalvagedSave.Open(path, protection);

    private static byte[] Fetch(string address) => Split(address) is var (place, name) && Storage(place).Read(name) is { } bytes
        ? bytes
        : throw new StorageException("There is no such file.", new SaveLocation { File = address }, "Check the address.");

    /// <summary>The files of a folder or an address with all that is below them.</summary>
    public static IReadOnlyList<string> FilesIn(string place)
    {
        var storage = Storage(place);
        return [.. storage.List("").Select(file => storage.Locate(file.Name))];
    }

    /// <summary>Whether a file is a generation of a slot.</summary>
    public static bool IsGeneration(string path) => IsAddress(path)
        ? SlotFileNames.KindOf(Split(path).Name) == SlotFileKind.Save
        : SaveSlots.IsGeneration(path);

    /// <summary>Where a changed save goes when no other file was named.</summary>
    /// <exception cref="ArgumentException">It came from a server, where a single file is not written over.</exception>
    public static string ToWrite(string? output, string path) => output ?? (IsAddress(path)
        ? throw new ArgumentException("This save is on a server. Pass the file to write with --output.")
        : path);

    /// <summary>The address of the storage that a file is in, and the file's name there.</summary>
    private static (string Place, string Name) Split(string address)
    {
        var at = address.LastIndexOf(SlotsStep, StringComparison.Ordinal);
        var end = at > "https://".Length ? at : address.TrimEnd('/').LastIndexOf('/');
        return (address[..end], Uri.UnescapeDataString(address[(end + 1)..].TrimEnd('/')));
    }

    private static string? ReadToken()
    {
        const string Variable = "env:";
        if (GivenToken is null)
            return Environment.GetEnvironmentVariable(TokenVariable) is { Length: > 0 } usual ? usual : null;
        var text = GivenToken.StartsWith(Variable, StringComparison.Ordinal)
            ? Environment.GetEnvironmentVariable(GivenToken[Variable.Length..])
                ?? throw new ArgumentException($"There is no environment variable {GivenToken[Variable.Length..]}.")
            : FirstLineOf(GivenToken);
        return text.Trim() is { Length: > 0 } token && token.All(letter => letter is > ' ' and < (char)127)
            ? token
            : throw new ArgumentException($"{GivenToken} does not contain a token.");
    }

    private static string FirstLineOf(string file)
    {
        try
        {
            return File.ReadLines(file).FirstOrDefault() ?? "";
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StorageException("The token cannot be read.", new SaveLocation { File = file }, "Check the path.", exception);
        }
    }
}

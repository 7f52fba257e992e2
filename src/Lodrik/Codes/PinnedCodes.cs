using System.Text;
using Lodrik.Storage;

namespace Lodrik.Codes;

/// <summary>
/// The released layouts of transfer codes, kept with the game's source in the folder <c>codes</c> of the ledger. If a released layout
/// changes, old codes decode to the wrong state, and nothing in a code shows it.
/// </summary>
/// <remarks>For each version there is a file, <c>codes/name/1.json</c>, with what <see cref="CodeLayout{T}.ToJson"/> writes.</remarks>
public sealed class PinnedCodes
{
    private const string FolderName = "codes";
    private const string Extension = ".json";

    private readonly string _folder;

    private PinnedCodes(string folder) => _folder = folder;

    /// <summary>The layouts pinned in a ledger.</summary>
    /// <param name="ledger">The ledger's folder. It does not have to exist yet.</param>
    public static PinnedCodes In(string ledger)
    {
        ArgumentException.ThrowIfNullOrEmpty(ledger);
        return new PinnedCodes(Path.Combine(ledger, FolderName));
    }

    /// <summary>The file of a version.</summary>
    public string FileOf(string name, int version)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        return Path.Combine(FolderOf(name), FormattableString.Invariant($"{version}{Extension}"));
    }

    /// <summary>The pinned versions of a layout, the oldest first.</summary>
    /// <exception cref="StorageException">The folder cannot be read.</exception>
    public IReadOnlyList<int> ListVersions(string name)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        try
        {
            return !Directory.Exists(FolderOf(name)) ? [] : [.. Directory.EnumerateFiles(FolderOf(name), "*" + Extension)
                .Select(file => int.TryParse(Path.GetFileNameWithoutExtension(file), out var version) ? version : 0)
                .Where(version => version > 0).Order()];
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw StorageException.From(exception, FolderOf(name));
        }
    }

    /// <summary>Pins the layout of a version. Do this when the version is released.</summary>
    /// <returns>False if it is already pinned.</returns>
    /// <exception cref="CodeException">The version is already pinned with a different layout.</exception>
    /// <exception cref="StorageException">The file cannot be written.</exception>
    public bool Pin<T>(CodeLayout<T> layout) where T : class, new()
    {
        ArgumentNullException.ThrowIfNull(layout);
        if (ListVersions(layout.Name).Contains(layout.Version))
            return Problem(layout, layout.Version) is { } problem ? throw CodeException.BadLayout(problem) : false;
        try
        {
            new DirectoryStorage(FolderOf(layout.Name)).Write(
                Path.GetFileName(FileOf(layout.Name, layout.Version)), Encoding.UTF8.GetBytes(layout.ToJson() + "\n"), replace: false);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw StorageException.From(exception, FileOf(layout.Name, layout.Version));
        }
        return true;
    }

    /// <summary>
    /// Compares a layout with the pinned ones. Lists the versions whose codes it would decode to the wrong state, or can no longer decode.
    /// </summary>
    /// <exception cref="CodeException">A file is not a layout.</exception>
    /// <exception cref="StorageException">A file cannot be read.</exception>
    public IReadOnlyList<string> ProblemsOf<T>(CodeLayout<T> layout) where T : class, new()
    {
        ArgumentNullException.ThrowIfNull(layout);
        return [.. ListVersions(layout.Name).Select(version => Problem(layout, version)).OfType<string>()];
    }

    private string? Problem<T>(CodeLayout<T> layout, int version) where T : class, new()
    {
        var pinned = Read(layout.Name, version);
        if (version > layout.Version)
            return $"Version {version} of the codes \"{layout.Name}\" is pinned, and the game has version {layout.Version}.";
        if (layout.DocumentOf(version) is not { } today)
            return $"Codes \"{layout.Name}\" of version {version} can no longer be decoded. Add their layout with Accepts.";
        return today.DifferenceTo(pinned) is { } difference
            ? $"Codes \"{layout.Name}\" of version {version} would be decoded to the wrong state: {difference}. Restore "
                + "it, and give the new layout another version."
            : null;
    }

    private CodeLayoutDocument Read(string name, int version)
    {
        try
        {
            var pinned = CodeLayoutDocument.FromJson(File.ReadAllText(FileOf(name, version)));
            return pinned.Name == name && pinned.Version == version
                ? pinned
                : throw CodeException.BadLayout(
                    $"The file {FileOf(name, version)} has the layout \"{pinned.Name}\" of version {pinned.Version}.");
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw StorageException.From(exception, FileOf(name, version));
        }
    }

    /// <summary>The folder of a layout, whose name may have characters that a folder's has not.</summary>
    private string FolderOf(string name) => Path.Combine(_folder, Uri.EscapeDataString(name).Replace(".", "%2E", StringComparison.Ordinal));
}

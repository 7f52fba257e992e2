using System.Globalization;
using Lodrik.Storage;

namespace Lodrik.Migrations;

/// <summary>What came of recording a shape.</summary>
public enum LedgerOutcome
{
    /// <summary>The version is new in the ledger.</summary>
    Recorded,

    /// <summary>The version was recorded before and not released; its file has the new shape now.</summary>
    RecordedAnew,

    /// <summary>The file has this shape already.</summary>
    Unchanged,

    /// <summary>The version is released, and only what is free was added since: its file stays as it is.</summary>
    OnlyAdded,
}

/// <summary>How an assembly compares to the ledger.</summary>
/// <param name="Version">The assembly's save version.</param>
/// <param name="IsRecorded">Whether the ledger has that version.</param>
/// <param name="IsReleased">Whether it is released.</param>
/// <param name="Changes">What changed since it was recorded.</param>
/// <param name="Problems">Ledger files that are not as they were written, each in words.</param>
public sealed record LedgerCheck(
    int Version, bool IsRecorded, bool IsReleased, IReadOnlyList<ShapeChange> Changes, IReadOnlyList<string> Problems)
{
    /// <summary>Whether nothing needs to be done.</summary>
    public bool IsFine => IsRecorded && Problems.Count == 0 && !Changes.Any(change => change.IsLoss);
}

/// <summary>
/// The recorded shapes of a game's saves: a folder with a file for each version, kept with the game's sources. The file of a released
/// version does not change any more.
/// </summary>
public sealed class Ledger
{
    private const string Extension = ".json";
    private readonly string _folder;

    private Ledger(string folder) => _folder = folder;

    /// <summary>Opens a ledger. A folder that is not there is an empty one.</summary>
    public static Ledger Open(string folder)
    {
        ArgumentException.ThrowIfNullOrEmpty(folder);
        return new Ledger(Path.GetFullPath(folder));
    }

    /// <summary>The recorded versions, in order.</summary>
    public IReadOnlyList<int> ListVersions() => !Directory.Exists(_folder) ? [] :
    [
        .. Directory.EnumerateFiles(_folder, "*" + Extension)
            .Select(file => int.TryParse(
                Path.GetFileNameWithoutExtension(file), NumberStyles.None, CultureInfo.InvariantCulture, out var version) ? version : 0)
            .Where(version => version > 0)
            .Order(),
    ];

    /// <summary>The file of a version.</summary>
    public string FileOf(int version) => Path.Combine(_folder, version.ToString(CultureInfo.InvariantCulture) + Extension);

    /// <summary>The shape of a recorded version.</summary>
    /// <exception cref="LedgerException">It is not recorded, or its file is not a shape.</exception>
    /// <exception cref="StorageException">The file cannot be read.</exception>
    public SaveShape Read(int version)
    {
        var file = FileOf(version);
        if (!File.Exists(file))
            throw new LedgerException($"Version {version} is not recorded.", new SaveLocation { File = file },
                ListVersions() is { Count: > 0 } recorded ? $"Recorded versions: {string.Join(", ", recorded)}." : "The ledger is empty.");
        try
        {
            var shape = SaveShape.Parse(File.ReadAllText(file));
            return shape.Version == version ? shape : throw new FormatException($"It is the shape of version {shape.Version}.");
        }
        catch (FormatException problem)
        {
            throw new LedgerException($"The ledger's file cannot be read: {problem.Message}",
                new SaveLocation { File = file }, "Restore it from version control.", problem);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw StorageException.From(exception, file);
        }
    }

    /// <summary>Records a shape as that of its version.</summary>
    /// <exception cref="LedgerException">
    /// The version is released and has lost something since, or is older than one that is recorded.
    /// </exception>
    /// <exception cref="StorageException">The file cannot be written.</exception>
    public LedgerOutcome Record(SaveShape shape)
    {
        ArgumentNullException.ThrowIfNull(shape);
        var versions = ListVersions();
        if (versions.Count > 0 && shape.Version < versions[^1])
            throw new LedgerException($"The assembly has version {shape.Version}, and version {versions[^1]} is recorded already.",
                new SaveLocation { File = FileOf(shape.Version) }, "Only the newest version can be recorded.");
        if (!versions.Contains(shape.Version))
        {
            Write(shape);
            return LedgerOutcome.Recorded;
        }
        var known = Read(shape.Version);
        if (known.Game != shape.Game)
            throw new LedgerException($"The ledger belongs to \"{known.Game}\", but the assembly to \"{shape.Game}\".",
                new SaveLocation { File = FileOf(shape.Version) }, "Check the folder.");
        if (known.Digest == shape.Digest)
            return LedgerOutcome.Unchanged;
        if (!known.IsReleased)
        {
            Write(shape);
            return LedgerOutcome.RecordedAnew;
        }
        return known.ChangesTo(shape).FirstOrDefault(change => change.IsLoss) is not { } loss
            ? LedgerOutcome.OnlyAdded
            : throw new LedgerException(
            $"Version {shape.Version} is released, and its shape is settled: {loss}.",
            new SaveLocation { File = FileOf(shape.Version) }, "Raise the version of the save root, and add a migration step.");
    }

    /// <summary>Marks a version as released: from now on its file does not change.</summary>
    /// <returns>False where it is released already.</returns>
    /// <exception cref="LedgerException">It is not recorded, or its file was changed since it was released.</exception>
    public bool Release(int version)
    {
        var shape = Read(version);
        if (ProblemOf(shape) is { } problem)
            throw new LedgerException(problem, new SaveLocation { File = FileOf(version) }, "Restore it from version control.");
        if (shape.IsReleased)
            return false;
        shape.MarkReleased();
        Write(shape);
        return true;
    }

    /// <summary>Holds an assembly's shape against the ledger.</summary>
    /// <exception cref="LedgerException">A file of the ledger cannot be read.</exception>
    public LedgerCheck Check(SaveShape shape)
    {
        ArgumentNullException.ThrowIfNull(shape);
        var recorded = ListVersions().ToDictionary(version => version, Read);
        var problems = recorded.Values.Select(ProblemOf).OfType<string>().ToList();
        problems.AddRange(recorded.Where(one => one.Value.Game != shape.Game)
            .Select(one => $"The file of version {one.Key} is that of \"{one.Value.Game}\", not of \"{shape.Game}\"."));
        problems.AddRange(recorded.Keys.Where(version => version > shape.Version)
            .Select(version => $"Version {version} is recorded, but the assembly has only version {shape.Version}."));
        return recorded.TryGetValue(shape.Version, out var known)
            ? new LedgerCheck(shape.Version, true, known.IsReleased, known.ChangesTo(shape), problems)
            : new LedgerCheck(shape.Version, false, false, [], problems);
    }

    private static string? ProblemOf(SaveShape shape) => shape.IsReleased && shape.RecordedDigest != shape.Digest
        ? $"The file of version {shape.Version} was changed since it was released."
        : null;

    private void Write(SaveShape shape)
    {
        try
        {
            new Storage.DirectoryStorage(_folder)
                .Write(Path.GetFileName(FileOf(shape.Version)), System.Text.Encoding.UTF8.GetBytes(shape.ToText()), replace: true);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw StorageException.From(exception, FileOf(shape.Version));
        }
    }
}

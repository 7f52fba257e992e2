using System.Runtime.CompilerServices;
using Lodrik.Migrations;
using Lodrik.State;

namespace Lodrik.Testing;

/// <summary>
/// Proves that the saves of all recorded versions of a game load today, in one line of a test:
/// <c>SaveCompatibility.Of&lt;MySave&gt;("../ledger",
/// MySave.Migrations).WithScenes(MyBindings.Create()).WithSamples("../saves").Check();</c>
/// </summary>
public static class SaveCompatibility
{
    /// <summary>Begins a check.</summary>
    /// <typeparam name="T">The game's save root.</typeparam>
    /// <param name="ledger">The ledger's folder; a relative one is looked for from the file of the calling code.</param>
    /// <param name="migrations">The game's migrations; null if there are none yet.</param>
    /// <param name="here">The file of the calling code, filled in by the compiler.</param>
    public static CompatibilityCheck<T> Of<T>(string ledger, MigrationChain? migrations = null, [CallerFilePath] string here = "")
        where T : class, IStateRoot<T>
    {
        ArgumentException.ThrowIfNullOrEmpty(ledger);
        ArgumentNullException.ThrowIfNull(here);
        return new CompatibilityCheck<T>(ledger, migrations, FolderOf(here));
    }

    /// <summary>The folder from which relative ones are looked for.</summary>
    internal static string FolderOf(string here) =>
        Path.GetDirectoryName(here) is { Length: > 0 } folder && Directory.Exists(folder) ? folder : AppContext.BaseDirectory;
}

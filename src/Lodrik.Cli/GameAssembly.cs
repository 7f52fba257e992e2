using System.Diagnostics.CodeAnalysis;
using System.Reflection;
using System.Runtime.CompilerServices;
using System.Runtime.Loader;
using Lodrik.Migrations;

namespace Lodrik.Cli;

/// <summary>A game's assembly, loaded to get its migrations: its own code runs.</summary>
/// <param name="Migrations">The chain.</param>
/// <param name="Shape">The shape of its saves.</param>
[UnconditionalSuppressMessage("Trimming", "IL2026", Justification = NotNative)]
[UnconditionalSuppressMessage("Trimming", "IL2075", Justification = NotNative)]
internal sealed record GameAssembly(MigrationChain Migrations, SaveShape Shape)
{
    private const string NotNative = "A native build, the only one that is trimmed, refuses to load assemblies.";

    /// <summary>Loads an assembly and finds the chain in it.</summary>
    /// <param name="path">The assembly's file.</param>
    /// <param name="root">The full name of the save root; null if there is one only.</param>
    /// <param name="chain">Where the chain is, as Game.Saves.Migrations; null if there is one only.</param>
    /// <exception cref="LedgerException">It cannot be loaded, or has no chain, or several.</exception>
    public static GameAssembly Load(string path, string? root, string? chain)
    {
        if (!RuntimeFeature.IsDynamicCodeSupported)
            throw new LedgerException("This is the native build of lodrik, which cannot load a game's assembly.",
                remedy: "Use the ordinary build: dotnet run --project src/Lodrik.Cli.");
        var file = Path.GetFullPath(path);
        var shape = SaveShape.OfAssembly(file, root);
        var beside = new AssemblyDependencyResolver(file);
        AssemblyLoadContext.Default.Resolving += (context, name) =>
            beside.ResolveAssemblyToPath(name) is { } found ? context.LoadFromAssemblyPath(found) : null;
        try
        {
            var assembly = AssemblyLoadContext.Default.LoadFromAssemblyPath(file);
            return new GameAssembly(Find(assembly, file, chain), shape);
        }
        catch (Exception exception) when (exception is FileLoadException or BadImageFormatException or ReflectionTypeLoadException
            or FileNotFoundException)
        {
            throw new LedgerException($"The assembly cannot be loaded: {exception.Message}",
                new SaveLocation { File = file }, "Pass the game's built .dll. The assemblies that it needs have to be next to it.",
                exception);
        }
        catch (TargetInvocationException exception)
        {
            throw new LedgerException($"The game's migrations cannot be created: {exception.InnerException?.Message}",
                new SaveLocation { File = file }, "Fix the chain.", exception);
        }
    }

    private static MigrationChain Find(Assembly assembly, string file, string? chosen)
    {
        var found = new SortedDictionary<string, Func<MigrationChain?>>(StringComparer.Ordinal);
        foreach (var type in assembly.GetTypes().Where(type => !type.ContainsGenericParameters))
        {
            const BindingFlags Static = BindingFlags.Static | BindingFlags.Public | BindingFlags.NonPublic | BindingFlags.DeclaredOnly;
            foreach (var property in type.GetProperties(Static)
                .Where(one => one.PropertyType == typeof(MigrationChain) && one.GetIndexParameters().Length == 0))
                found[$"{type.FullName}.{property.Name}"] = () => (MigrationChain?)property.GetValue(null);
            foreach (var field in type.GetFields(Static).Where(one => one.FieldType == typeof(MigrationChain) && !one.Name.StartsWith('<')))
                found[$"{type.FullName}.{field.Name}"] = () => (MigrationChain?)field.GetValue(null);
        }
        if (chosen is not null)
        {
            return found.TryGetValue(chosen, out var get) && get() is { } migrations ? migrations : throw new LedgerException(
                $"There is no migration chain {chosen} in the assembly.", new SaveLocation { File = file },
                found.Count == 0 ? "There is none at all." : $"There are: {string.Join(", ", found.Keys)}.");
        }
        return found.Count == 1 && found.First().Value() is { } only ? only : throw new LedgerException(
            found.Count == 0
                ? "There is no migration chain in the assembly."
                : $"There are several migration chains in the assembly: {string.Join(", ", found.Keys)}.",
            new SaveLocation { File = file },
            found.Count == 0 ? "Keep it in a static property of the type MigrationChain." : "Choose one with --chain.");
    }
}

using System.Diagnostics;
using System.Reflection;

namespace Lodrik.Slots;

/// <summary>How the game was built.</summary>
internal static class GameBuild
{
    /// <summary>Whether the assembly of a type was compiled for debugging, without optimisations.</summary>
    public static bool IsForDebugging(Type type) =>
        type.Assembly.GetCustomAttribute<DebuggableAttribute>() is { IsJITOptimizerDisabled: true };
}

using System.Diagnostics.CodeAnalysis;
using Lodrik.State;

namespace Lodrik.Inspection;

/// <summary>Where an entity is, found by what games call it.</summary>
internal static class EntityPosition
{
    private static readonly string[] Axes = ["x", "y", "z"];

    /// <summary>Whether a member of this name says where an entity is.</summary>
    public static bool IsName(string step) => step is "place" or "placement" or "position" or "at";

    /// <summary>
    /// Two or three coordinates, from a vector or from members x, y and z below such a name; null if an entity has none.
    /// </summary>
    public static double[]? Of(SaveValue parts) => parts is SaveMap map
        ? map.Where(entry => IsName(entry.Key)).Select(entry => Coordinates(entry.Value)).FirstOrDefault(found => found is not null)
            ?? map.Select(entry => Of(entry.Value)).FirstOrDefault(found => found is not null)
        : null;

    private static double[]? Coordinates(SaveValue value)
    {
        switch (value)
        {
            case SaveList { Count: 2 or 3 } list when list.All(IsNumber):
                return [.. list.Select(item => item.AsDouble())];
            case SaveMap map when Number(map, Axes[0], out var x) && Number(map, Axes[1], out var y):
                return Number(map, Axes[2], out var z) ? [x, y, z] : [x, y];
            default:
                return null;
        }
    }

    private static bool Number(SaveMap map, string key, [NotNullWhen(true)] out double number)
    {
        number = map.TryGet(key, out var value) && IsNumber(value) ? value.AsDouble() : double.NaN;
        return double.IsFinite(number);
    }

    private static bool IsNumber(SaveValue value) =>
        value.Kind is SaveValueKind.Integer or SaveValueKind.Single or SaveValueKind.Double or SaveValueKind.Decimal
            && double.IsFinite(value.AsDouble());
}

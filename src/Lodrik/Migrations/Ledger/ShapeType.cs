namespace Lodrik.Migrations;

/// <summary>The shape of a state type or an enum: what a save of it has.</summary>
#if GENERATOR
internal
#else
public
#endif
sealed class ShapeType
{
    internal ShapeType()
    {
    }

    /// <summary>The type of each member by its key in the save.</summary>
    public SortedDictionary<string, string> Members { get; } = new(StringComparer.Ordinal);

    /// <summary>The member's name in C#, by its key, where the key does not follow from it.</summary>
    public SortedDictionary<string, string> Named { get; } = new(StringComparer.Ordinal);

    /// <summary>The key of today by each key that a member had before and still loads under.</summary>
    public SortedDictionary<string, string> FormerKeys { get; } = new(StringComparer.Ordinal);

    /// <summary>The keys that a save has to have.</summary>
    public SortedSet<string> Required { get; } = new(StringComparer.Ordinal);

    /// <summary>The type of each variant by its name in the save; empty for a type without variants.</summary>
    public SortedDictionary<string, string> Variants { get; } = new(StringComparer.Ordinal);

    /// <summary>The names of an enum's values, in their order; empty for a state type.</summary>
    public List<string> Values { get; } = [];

    /// <summary>The names that an enum's values had before.</summary>
    public SortedSet<string> FormerValues { get; } = new(StringComparer.Ordinal);

    /// <summary>Whether this is a struct, of which there is always a value.</summary>
    public bool IsStruct { get; internal set; }

    /// <summary>Whether its objects are shared, so that a number stands for each.</summary>
    public bool IsShared { get; internal set; }

    /// <summary>Whether it keeps members that it does not know.</summary>
    public bool KeepsUnknown { get; internal set; }

    /// <summary>Whether this is an enum whose values are together: one with <see cref="FlagsAttribute"/>.</summary>
    public bool IsFlags { get; internal set; }

    /// <summary>The key of today of what an older save has under a key.</summary>
    internal string KeyOf(string key) => !Members.ContainsKey(key) && FormerKeys.TryGetValue(key, out var today) ? today : key;

    /// <summary>Whether this is an enum.</summary>
    public bool IsEnum => Values.Count > 0;
}

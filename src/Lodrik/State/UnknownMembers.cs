using System.Text.RegularExpressions;

namespace Lodrik.State;

/// <summary>A member or section of a file that the game's types do not know. It is lost when the state is saved again.</summary>
/// <param name="Key">The member's key, or the section's name.</param>
/// <param name="Location">Where it is. For a list of many items, the first of them.</param>
public sealed record UnknownMember(string Key, SaveLocation Location)
{
    /// <summary>The member as a line for a log or a console.</summary>
    public override string ToString() => $"Unknown member \"{Key}\" ({Location})";
}

/// <summary>Gathers what is not known while sections are read.</summary>
internal sealed partial class UnknownMembers
{
    private const int MostInAll = 1000;
    private const int MostOfOneKey = 16;

    private readonly List<UnknownMember> _found = [];
    private readonly List<(string Key, Exception At)> _open = [];
    private readonly Dictionary<string, int> _counts = new(StringComparer.Ordinal);
    private readonly HashSet<string> _known = new(StringComparer.Ordinal);

    public IReadOnlyList<UnknownMember> Found => _found;

    /// <summary>How many have no place yet.</summary>
    public int OpenCount => _open.Count;

    /// <summary>Whether a member of that key is still of interest: of a list of many, the first ones say all.</summary>
    public bool Wants(string key) => _counts.TryGetValue(key, out var count) ? count < MostOfOneKey : _counts.Count < MostInAll;

    /// <summary>Notes a member.</summary>
    /// <param name="key">Its key.</param>
    /// <param name="at">An error at that place.</param>
    public void Add(string key, Exception at)
    {
        _counts[key] = _counts.GetValueOrDefault(key) + 1;
        _open.Add((key, at));
    }

    /// <summary>Notes a section.</summary>
    public void AddSection(string name, SaveLocation location) => _found.Add(new UnknownMember(name, location));

    /// <summary>Gives their places to those that were noted last.</summary>
    /// <param name="first">How many had none before.</param>
    /// <param name="locate">Says where an error is.</param>
    public void Locate(int first, Func<Exception, SaveLocation> locate)
    {
        for (var i = first; i < _open.Count; i++)
        {
            var location = locate(_open[i].At);
            if (_known.Add($"{location.Section} {_open[i].Key} {Items.Replace(location.Path ?? "", "/*")}"))
                _found.Add(new UnknownMember(_open[i].Key, location));
        }
        _open.RemoveRange(first, _open.Count - first);
    }

    [GeneratedRegex("/[0-9]+(?=/|$)")]
    private static partial Regex Items { get; }
}

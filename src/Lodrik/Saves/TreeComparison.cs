using Lodrik.Formats;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>
/// What is different between two trees: maps by their keys in any order, lists item by item between what is equal at both ends.
/// </summary>
internal static class TreeComparison
{
    private const int MostVectorItems = 4;

    /// <summary>Adds what is different. Applied one after the other, the changes make the second tree of the first.</summary>
    /// <param name="path">The path of the two.</param>
    /// <param name="before">The first tree.</param>
    /// <param name="after">The second one.</param>
    /// <param name="changes">Where the changes go.</param>
    /// <param name="wholeVectors">Whether a few numbers that mean one thing together, such as a position, are one value.</param>
    public static void Compare(string path, SaveValue? before, SaveValue? after, List<StateChange> changes, bool wholeVectors = false)
    {
        switch (before, after)
        {
            case (SaveMap one, SaveMap other):
                foreach (var key in one.Keys.Union(other.Keys))
                {
                    one.TryGet(key, out var was);
                    other.TryGet(key, out var @is);
                    Compare($"{path}/{PointerBuilder.Escape(key)}", was, @is, changes, wholeVectors);
                }
                break;
            case (SaveList one, SaveList other) when !wholeVectors || !IsVector(one) || !IsVector(other):
                CompareLists(path, [.. one], [.. other], changes, wholeVectors);
                break;
            default:
                if (before is null || after is null ? !ReferenceEquals(before, after) : !AreSame(before, after))
                    changes.Add(new StateChange(path, before, after));
                break;
        }
    }

    /// <summary>
    /// What is equal at both ends stays out of it; in between items are compared in pairs, and the rest was put in or taken out. Each path
    /// is that of the list as the changes before it have left it.
    /// </summary>
    private static void CompareLists(string path, List<SaveValue> one, List<SaveValue> other, List<StateChange> changes, bool wholeVectors)
    {
        var (start, end) = (0, 0);
        while (start < one.Count && start < other.Count && AreSame(one[start], other[start]))
            start++;
        while (end < one.Count - start && end < other.Count - start && AreSame(one[^(end + 1)], other[^(end + 1)]))
            end++;
        var (left, right) = (one.Count - start - end, other.Count - start - end);
        for (var i = 0; i < Math.Min(left, right); i++)
            Compare($"{path}/{start + i}", one[start + i], other[start + i], changes, wholeVectors);
        for (var i = left; i < right; i++)
            changes.Add(new StateChange($"{path}/{start + i}", null, other[start + i]));
        for (var i = left - 1; i >= right; i--)
            changes.Add(new StateChange($"{path}/{start + i}", one[start + i], null));
    }

    /// <summary>
    /// Whether two values are the same but for what a form makes of them: a number of single precision is a longer one in text, and bytes
    /// are text there.
    /// </summary>
    private static bool AreSame(SaveValue one, SaveValue other) => (one, other) switch
    {
        (SaveMap left, SaveMap right) =>
            left.Count == right.Count && left.All(entry => right.TryGet(entry.Key, out var value) && AreSame(entry.Value, value)),
        (SaveList left, SaveList right) => left.Count == right.Count && left.Zip(right).All(pair => AreSame(pair.First, pair.Second)),
        (SaveScalar { Kind: SaveValueKind.Bytes } bytes, SaveScalar { Kind: SaveValueKind.Text } text) =>
            Convert.ToBase64String(bytes.Bytes.Span) == text.Text,
        (SaveScalar { Kind: SaveValueKind.Text }, SaveScalar { Kind: SaveValueKind.Bytes }) => AreSame(other, one),
        _ when one.Kind != other.Kind && IsFraction(one) && IsFraction(other) => (float)one.AsDouble() == (float)other.AsDouble(),
        _ => one.Equals(other),
    };

    private static bool IsFraction(SaveValue value) => value.Kind is SaveValueKind.Single or SaveValueKind.Double;

    /// <summary>Whether a list is a few numbers that mean one thing together, such as a position.</summary>
    private static bool IsVector(SaveList list) =>
        list.Count is > 0 and <= MostVectorItems && list.All(item =>
            item.Kind is SaveValueKind.Integer or SaveValueKind.Single or SaveValueKind.Double or SaveValueKind.Decimal);
}

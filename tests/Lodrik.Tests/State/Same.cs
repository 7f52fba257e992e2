using Lodrik.State;

namespace Lodrik.Tests.State;

/// <summary>Compares trees, and says where they differ.</summary>
internal static class Same
{
    public static void Assert(SaveValue expected, SaveValue actual) => Xunit.Assert.Null(Difference("", expected, actual));

    private static string? Difference(string path, SaveValue expected, SaveValue actual)
    {
        if (expected.Equals(actual))
            return null;
        return (expected, actual) switch
        {
            (SaveMap a, SaveMap b) when a.Keys.Order().SequenceEqual(b.Keys.Order()) =>
                a.Select(entry => Difference($"{path}/{entry.Key}", entry.Value, b[entry.Key])).First(one => one is not null),
            (SaveMap a, SaveMap b) => $"{path}: keys {string.Join(", ", a.Keys)} became {string.Join(", ", b.Keys)}",
            (SaveList a, SaveList b) when a.Count == b.Count =>
                a.Select((item, i) => Difference($"{path}/{i}", item, b[i])).First(one => one is not null),
            _ => $"{path}: {expected.Kind} {expected} became {actual.Kind} {actual}",
        };
    }
}

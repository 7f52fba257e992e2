using System.Runtime.CompilerServices;

namespace Lodrik.State;

/// <summary>Where the kinds of <see cref="PreparedKeys{T}"/> get their places from.</summary>
internal static class PreparedKeys
{
    private static int _places;

    public static int NextPlace() => Interlocked.Increment(ref _places) - 1;
}

/// <summary>
/// What a format makes of the keys of a table, once for each table. The table keeps it without knowing what it is, so that formats
/// can be added without a change here.
/// </summary>
/// <param name="prepare">Makes it; with two threads at once it may be made twice, and either may be kept.</param>
internal sealed class PreparedKeys<T>(Func<KeyTable, T> prepare) where T : class
{
    private readonly int _place = PreparedKeys.NextPlace();

    public T Of(KeyTable keys) => keys.Prepared(_place) is { } prepared ? Unsafe.As<T>(prepared) : Prepare(keys);

    private T Prepare(KeyTable keys)
    {
        var prepared = prepare(keys);
        keys.Prepare(_place, prepared);
        return prepared;
    }
}

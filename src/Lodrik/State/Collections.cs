using System.Collections.Concurrent;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Lodrik.State;

/// <summary>Whose a collection is.</summary>
internal static class CollectionTypes
{
    /// <summary>Whether a type is the platform's own, so that none of the game's constructors runs when one is made.</summary>
    public static bool IsOfPlatform<T>() => typeof(T).Namespace is { } name
        && (name == "System" || name.StartsWith("System.", StringComparison.Ordinal)) && typeof(T).Assembly != typeof(StateTypes).Assembly;
}

/// <summary>Items of two collections, compared one by one.</summary>
internal static class Items
{
    public static bool AreEqual<T, TCodec>(ReadOnlySpan<T> one, ReadOnlySpan<T> other, CompareContext? context)
        where TCodec : IStateCodec<T>
    {
        if (one.Length != other.Length)
            return false;
        for (var i = 0; i < one.Length; i++)
        {
            if (!TCodec.AreEqual(one[i], other[i], context))
                return false;
        }
        return true;
    }

    /// <summary>Whether numbers are the same bit for bit: 0.0 and -0.0 are not.</summary>
    public static bool AreBitwiseEqual<T>(ReadOnlySpan<T> one, ReadOnlySpan<T> other) where T : unmanaged =>
        MemoryMarshal.AsBytes(one).SequenceEqual(MemoryMarshal.AsBytes(other));
}

/// <summary>Empty collections with the comparer of others.</summary>
internal static class EmptyCollections
{
    /// <summary>An empty collection that compares its items as another does.</summary>
    public static TCollection NewLike<TCollection, T>(TCollection other) where TCollection : ICollection<T>, new() => other switch
    {
        HashSet<T> set => (TCollection)(object)new HashSet<T>(set.Comparer),
        SortedSet<T> set => (TCollection)(object)new SortedSet<T>(set.Comparer),
        _ => new TCollection(),
    };

    /// <summary>An empty map that compares its keys as another does.</summary>
    public static TDictionary NewLike<TDictionary, TKey, TValue>(TDictionary other)
        where TDictionary : IDictionary<TKey, TValue>, new() where TKey : notnull => other switch
        {
            Dictionary<TKey, TValue> map => (TDictionary)(object)new Dictionary<TKey, TValue>(map.Comparer),
            SortedDictionary<TKey, TValue> map => (TDictionary)(object)new SortedDictionary<TKey, TValue>(map.Comparer),
            SortedList<TKey, TValue> map => (TDictionary)(object)new SortedList<TKey, TValue>(map.Comparer),
            OrderedDictionary<TKey, TValue> map => (TDictionary)(object)new OrderedDictionary<TKey, TValue>(map.Comparer),
            ConcurrentDictionary<TKey, TValue> map => (TDictionary)(object)new ConcurrentDictionary<TKey, TValue>(map.Comparer),
            _ => new TDictionary(),
        };
}

/// <summary>How often the growth of a collection is counted while it is read.</summary>
internal static class CollectionSize
{
    /// <summary>A power of two: so many items are counted at once.</summary>
    public const int AtOnce = 4096;

    /// <summary>Counts the items of many lists.</summary>
    public static void Count<T>(ReadContext? context, ReadOnlySpan<long> lengths)
    {
        if (context?.Allowance is not { } allowance)
            return;
        foreach (var length in lengths)
        {
            if (length >= AtOnce)
                allowance.Take(length / AtOnce * AtOnce * Of<T>());
        }
    }

    /// <summary>About what an item takes: a value is in the collection itself, an object is beside it.</summary>
    public static int Of<T>() => typeof(T).IsValueType ? Unsafe.SizeOf<T>() : Allowance.Value;
}

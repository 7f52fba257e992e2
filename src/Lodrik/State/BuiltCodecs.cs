using System.Collections.Frozen;
using System.Collections.Immutable;
using System.ComponentModel;

namespace Lodrik.State;

// Collections that cannot be filled in place: those that never change, and those declared by an interface. They are read into a
// list or a dictionary, and made of it.

#pragma warning disable CS1591 // Named by generated code only.

/// <summary>How a collection is made of a list.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IBuild<TCollection, T>
{
    /// <summary>Whether the collection is none at all.</summary>
    static virtual bool IsNone(TCollection? collection) => collection is null;

    /// <summary>The items in the order that <see cref="From"/> takes them.</summary>
    static abstract IEnumerable<T> Items(TCollection collection);

    /// <summary>The collection of these items.</summary>
    /// <param name="items">The items.</param>
    /// <param name="like">One whose comparer it gets; null for the usual comparer.</param>
    static abstract TCollection From(List<T> items, TCollection? like);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct BuiltCodec<TCollection, T, TCodec, TBuild> : IStateCodec<TCollection?>
    where TCodec : IStateCodec<T> where TBuild : IBuild<TCollection, T>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
        visitor.Visit<List<T>?, ListCodec<T, TCodec>>();
        visitor.VisitEmpty<TCollection?, BuiltCodec<TCollection, T, TCodec, TBuild>>(TBuild.From([], default));
    }

    public static void Write<TWriter>(ref TWriter writer, TCollection? value) where TWriter : IStateWriter, allows ref struct =>
        ListCodec<T, TCodec>.Write(ref writer, TBuild.IsNone(value) ? null : [.. TBuild.Items(value!)]);

    public static void Read<TReader>(ref TReader reader, ref TCollection? value) where TReader : IStateReader, allows ref struct
    {
        List<T>? items = null;
        ListCodec<T, TCodec>.Read(ref reader, ref items);
        value = items is null ? default : TBuild.From(items, value);
    }

    public static TCollection? Copy(TCollection? value, TCollection? into, CopyContext? context) =>
        TBuild.IsNone(value)
            ? default
            : TBuild.From([.. TBuild.Items(value!).Select(item => TCodec.Copy(item, TCodec.Initial, context))], value);

    public static bool AreEqual(TCollection? one, TCollection? other, CompareContext? context)
    {
        if (TBuild.IsNone(one) || TBuild.IsNone(other))
            return TBuild.IsNone(one) == TBuild.IsNone(other);
        return one is IReadOnlySet<T> set
            ? set.SetEquals(TBuild.Items(other!))
            : ListCodec<T, TCodec>.AreEqual([.. TBuild.Items(one!)], [.. TBuild.Items(other!)], context);
    }
}

/// <summary>IEnumerable, IReadOnlyCollection, IReadOnlyList, ICollection and IList: a list.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct InterfaceListBuild<TCollection, T> : IBuild<TCollection, T> where TCollection : class, IEnumerable<T>
{
    public static IEnumerable<T> Items(TCollection collection) => collection;

    public static TCollection From(List<T> items, TCollection? like) => (TCollection)(object)items;
}

/// <summary>ISet and IReadOnlySet: a hash set.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct InterfaceSetBuild<TCollection, T> : IBuild<TCollection, T> where TCollection : class, IEnumerable<T>
{
    public static IEnumerable<T> Items(TCollection collection) => collection;

    public static TCollection From(List<T> items, TCollection? like) => (TCollection)(like switch
    {
        HashSet<T> set => (object)new HashSet<T>(items, set.Comparer),
        SortedSet<T> set => new SortedSet<T>(items, set.Comparer),
        _ => new HashSet<T>(items),
    });
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ImmutableArrayBuild<T> : IBuild<ImmutableArray<T>, T>
{
    public static bool IsNone(ImmutableArray<T> collection) => collection.IsDefault;

    public static IEnumerable<T> Items(ImmutableArray<T> collection) => collection;

    public static ImmutableArray<T> From(List<T> items, ImmutableArray<T> like) => [.. items];
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ImmutableListBuild<T> : IBuild<ImmutableList<T>, T>
{
    public static IEnumerable<T> Items(ImmutableList<T> collection) => collection;

    public static ImmutableList<T> From(List<T> items, ImmutableList<T>? like) => [.. items];
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ImmutableHashSetBuild<T> : IBuild<ImmutableHashSet<T>, T>
{
    public static IEnumerable<T> Items(ImmutableHashSet<T> collection) => SetOrder.Stable(collection);

    public static ImmutableHashSet<T> From(List<T> items, ImmutableHashSet<T>? like) => items.ToImmutableHashSet(like?.KeyComparer);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ImmutableSortedSetBuild<T> : IBuild<ImmutableSortedSet<T>, T>
{
    public static IEnumerable<T> Items(ImmutableSortedSet<T> collection) => collection;

    public static ImmutableSortedSet<T> From(List<T> items, ImmutableSortedSet<T>? like) => items.ToImmutableSortedSet(like?.KeyComparer);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ImmutableQueueBuild<T> : IBuild<ImmutableQueue<T>, T>
{
    public static IEnumerable<T> Items(ImmutableQueue<T> collection) => collection;

    public static ImmutableQueue<T> From(List<T> items, ImmutableQueue<T>? like) => [.. items];
}

/// <summary>From the bottom to the top, as a stack is.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ImmutableStackBuild<T> : IBuild<ImmutableStack<T>, T>
{
    public static IEnumerable<T> Items(ImmutableStack<T> collection) => collection.Reverse();

    public static ImmutableStack<T> From(List<T> items, ImmutableStack<T>? like) => [.. items];
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct FrozenSetBuild<T> : IBuild<FrozenSet<T>, T>
{
    public static IEnumerable<T> Items(FrozenSet<T> collection) => SetOrder.Stable(collection);

    public static FrozenSet<T> From(List<T> items, FrozenSet<T>? like) => items.ToFrozenSet(like?.Comparer);
}

/// <summary>An order for sets that have none, so that the same set is written the same every time.</summary>
internal static class SetOrder
{
    public static IEnumerable<T> Stable<T>(IEnumerable<T> items) =>
        typeof(T) == typeof(string) ? items.OrderBy(item => (string?)(object?)item, StringComparer.Ordinal)
        : typeof(IComparable<T>).IsAssignableFrom(typeof(T)) ? items.Order()
        : items;
}

/// <summary>How a map is made of a dictionary.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IBuildMap<TMap, TKey, TValue> where TKey : notnull
{
    /// <summary>The map of these entries.</summary>
    /// <param name="entries">The entries.</param>
    /// <param name="like">One whose comparer it gets; null for the usual comparer.</param>
    static abstract TMap From(Dictionary<TKey, TValue> entries, TMap? like);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct BuiltMapCodec<TMap, TKey, TValue, TKeyCodec, TCodec, TBuild> : IStateCodec<TMap?>
    where TMap : class, IEnumerable<KeyValuePair<TKey, TValue>>
    where TKey : notnull
    where TKeyCodec : IKeyCodec<TKey>
    where TCodec : IStateCodec<TValue>
    where TBuild : IBuildMap<TMap, TKey, TValue>
{
    public static bool HasColumns => TCodec.HasColumns;

    public static void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct =>
        visitor.Visit<Dictionary<TKey, TValue>?, DictionaryCodec<Dictionary<TKey, TValue>, TKey, TValue, TKeyCodec, TCodec>>();

    public static void Write<TWriter>(ref TWriter writer, TMap? value) where TWriter : IStateWriter, allows ref struct =>
        DictionaryCodec<Dictionary<TKey, TValue>, TKey, TValue, TKeyCodec, TCodec>.Write(
            ref writer, value is null ? null : new Dictionary<TKey, TValue>(value));

    public static void Read<TReader>(ref TReader reader, ref TMap? value) where TReader : IStateReader, allows ref struct
    {
        Dictionary<TKey, TValue>? entries = null;
        DictionaryCodec<Dictionary<TKey, TValue>, TKey, TValue, TKeyCodec, TCodec>.Read(ref reader, ref entries);
        value = entries is null ? null : TBuild.From(entries, value);
    }

    public static TMap? Copy(TMap? value, TMap? into, CopyContext? context) =>
        value is null
            ? null
            : TBuild.From(value.ToDictionary(entry => entry.Key, entry => TCodec.Copy(entry.Value, TCodec.Initial, context)), value);

    public static bool AreEqual(TMap? one, TMap? other, CompareContext? context) =>
        one is null || other is null
            ? ReferenceEquals(one, other)
            : DictionaryCodec<Dictionary<TKey, TValue>, TKey, TValue, TKeyCodec, TCodec>.AreEqual(
                new Dictionary<TKey, TValue>(one), new Dictionary<TKey, TValue>(other), context);
}

/// <summary>IDictionary and IReadOnlyDictionary: a dictionary.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct InterfaceMapBuild<TMap, TKey, TValue> : IBuildMap<TMap, TKey, TValue> where TMap : class where TKey : notnull
{
    public static TMap From(Dictionary<TKey, TValue> entries, TMap? like) => (TMap)(like switch
    {
        Dictionary<TKey, TValue> map => (object)new Dictionary<TKey, TValue>(entries, map.Comparer),
        SortedDictionary<TKey, TValue> map => new SortedDictionary<TKey, TValue>(entries, map.Comparer),
        _ => entries,
    });
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ImmutableDictionaryBuild<TKey, TValue> : IBuildMap<ImmutableDictionary<TKey, TValue>, TKey, TValue>
    where TKey : notnull
{
    public static ImmutableDictionary<TKey, TValue> From(Dictionary<TKey, TValue> entries, ImmutableDictionary<TKey, TValue>? like) =>
        entries.ToImmutableDictionary(like?.KeyComparer, like?.ValueComparer);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ImmutableSortedDictionaryBuild<TKey, TValue> : IBuildMap<ImmutableSortedDictionary<TKey, TValue>, TKey, TValue>
    where TKey : notnull
{
    public static ImmutableSortedDictionary<TKey, TValue> From(
        Dictionary<TKey, TValue> entries, ImmutableSortedDictionary<TKey, TValue>? like) =>
        entries.ToImmutableSortedDictionary(like?.KeyComparer, like?.ValueComparer);
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct FrozenDictionaryBuild<TKey, TValue> : IBuildMap<FrozenDictionary<TKey, TValue>, TKey, TValue> where TKey : notnull
{
    public static FrozenDictionary<TKey, TValue> From(Dictionary<TKey, TValue> entries, FrozenDictionary<TKey, TValue>? like) =>
        entries.ToFrozenDictionary(like?.Comparer);
}

using System.Collections;
using System.Globalization;
using System.Numerics;

namespace Lodrik.State;

/// <summary>What a value of a save is, whichever form it is written in.</summary>
public enum SaveValueKind
{
    /// <summary>No value.</summary>
    Null,

    /// <summary>True or false.</summary>
    Bool,

    /// <summary>A whole number of any size.</summary>
    Integer,

    /// <summary>A single-precision number.</summary>
    Single,

    /// <summary>A double-precision number.</summary>
    Double,

    /// <summary>A decimal number with its scale.</summary>
    Decimal,

    /// <summary>Text.</summary>
    Text,

    /// <summary>Bytes.</summary>
    Bytes,

    /// <summary>A list of values.</summary>
    List,

    /// <summary>Values under names, in an order that carries no meaning.</summary>
    Map,
}

/// <summary>
/// The untyped form of saved state: a tree of scalars, lists and maps. Free-form members, migrations and the command-line
/// tool work on it. Two trees are equal by content; the order of a map's entries does not count, and 1 is not 1.0.
/// </summary>
public abstract partial class SaveValue : IEquatable<SaveValue>
{
    private protected SaveValue(SaveValueKind kind) => Kind = kind;

    /// <summary>What this value is.</summary>
    public SaveValueKind Kind { get; }

    /// <summary>The value that stands for no value.</summary>
    public static SaveValue Null { get; } = new SaveScalar(SaveValueKind.Null, DBNull.Value);

    /// <summary>A truth value.</summary>
    public static implicit operator SaveValue(bool value) => new SaveScalar(SaveValueKind.Bool, value);

    /// <summary>A whole number.</summary>
    public static implicit operator SaveValue(long value) => new SaveScalar(SaveValueKind.Integer, new BigInteger(value));

    /// <summary>A whole number of any size.</summary>
    public static implicit operator SaveValue(BigInteger value) => new SaveScalar(SaveValueKind.Integer, value);

    /// <summary>A single-precision number.</summary>
    public static implicit operator SaveValue(float value) => new SaveScalar(SaveValueKind.Single, value);

    /// <summary>A double-precision number.</summary>
    public static implicit operator SaveValue(double value) => new SaveScalar(SaveValueKind.Double, value);

    /// <summary>A decimal number.</summary>
    public static implicit operator SaveValue(decimal value) => new SaveScalar(SaveValueKind.Decimal, value);

    /// <summary>Text; null becomes <see cref="Null"/>.</summary>
    public static implicit operator SaveValue(string? value) => value is null ? Null : new SaveScalar(SaveValueKind.Text, value);

    /// <summary>Bytes; null becomes <see cref="Null"/>.</summary>
    public static implicit operator SaveValue(byte[]? value) => value is null ? Null : new SaveScalar(SaveValueKind.Bytes, value);

    /// <summary>
    /// The value as another kind, as far unchanged for one: 5 as "5", "5" as 5, 5.0 as 5. Null stays null; a list and a map are nothing
    /// but themselves.
    /// </summary>
    /// <exception cref="InvalidCastException">It stands for no value of that kind; the message has both.</exception>
    public SaveValue ConvertTo(SaveValueKind kind) => Conversion.Convert(this, kind);

    /// <summary>The whole number that this is, or that its text or its digits stand for.</summary>
    /// <exception cref="InvalidCastException">It is not a 64-bit whole number.</exception>
    public long AsInt64() => ConvertTo(SaveValueKind.Integer) is SaveScalar { Kind: SaveValueKind.Integer, Integer: var whole }
        && whole >= long.MinValue && whole <= long.MaxValue
        ? (long)whole
        : throw new InvalidCastException($"{this} is not a 64-bit whole number.");

    /// <summary>The number that this is, or that its text stands for.</summary>
    /// <exception cref="InvalidCastException">It is not a number.</exception>
    public double AsDouble() => ConvertTo(SaveValueKind.Double) is SaveScalar { Kind: SaveValueKind.Double, Double: var number }
        ? number
        : throw new InvalidCastException("Null is not a number.");

    /// <summary>The truth value that this is, or that its text stands for.</summary>
    /// <exception cref="InvalidCastException">It is not a truth value.</exception>
    public bool AsBool() => ConvertTo(SaveValueKind.Bool) is SaveScalar { Kind: SaveValueKind.Bool, Bool: var flag }
        ? flag
        : throw new InvalidCastException("Null is neither true nor false.");

    /// <summary>The single value as text; null if it is null.</summary>
    /// <exception cref="InvalidCastException">It is a list or a map.</exception>
    public string? AsText() => ConvertTo(SaveValueKind.Text) is SaveScalar { Kind: SaveValueKind.Text, Text: var text } ? text : null;

    /// <summary>The single value as text; null if there is none, or it is a list or a map: for what anybody may have written.</summary>
    internal string? TextIfSingle() => this is SaveScalar ? AsText() : null;

    /// <inheritdoc/>
    public abstract bool Equals(SaveValue? other);

    /// <inheritdoc/>
    public sealed override bool Equals(object? obj) => Equals(obj as SaveValue);

    /// <inheritdoc/>
    public abstract override int GetHashCode();
}

/// <summary>A single value of the tree: anything but a list and a map.</summary>
public sealed class SaveScalar : SaveValue
{
    private readonly object _value;

    internal SaveScalar(SaveValueKind kind, object value) : base(kind) => _value = value;

    /// <summary>The truth value.</summary>
    /// <exception cref="InvalidCastException">This is of another kind; so for each of the following.</exception>
    public bool Bool => (bool)_value;

    /// <summary>The whole number.</summary>
    public BigInteger Integer => (BigInteger)_value;

    /// <summary>The single-precision number.</summary>
    public float Single => (float)_value;

    /// <summary>The double-precision number.</summary>
    public double Double => (double)_value;

    /// <summary>The decimal number.</summary>
    public decimal Decimal => (decimal)_value;

    /// <summary>The text.</summary>
    public string Text => (string)_value;

    /// <summary>The bytes.</summary>
    public ReadOnlyMemory<byte> Bytes => (byte[])_value;

    /// <inheritdoc/>
    public override bool Equals(SaveValue? other) => other is SaveScalar scalar && scalar.Kind == Kind && Kind switch
    {
        SaveValueKind.Null => true,
        SaveValueKind.Single => BitConverter.SingleToInt32Bits(Single) == BitConverter.SingleToInt32Bits(scalar.Single),
        SaveValueKind.Double => BitConverter.DoubleToInt64Bits(Double) == BitConverter.DoubleToInt64Bits(scalar.Double),
        SaveValueKind.Decimal => decimal.GetBits(Decimal).AsSpan().SequenceEqual(decimal.GetBits(scalar.Decimal)),
        SaveValueKind.Bytes => Bytes.Span.SequenceEqual(scalar.Bytes.Span),
        _ => _value.Equals(scalar._value),
    };

    /// <inheritdoc/>
    public override int GetHashCode() => Kind == SaveValueKind.Bytes ? Bytes.Length : HashCode.Combine(Kind, _value);

    /// <summary>The value as a person would write it.</summary>
    public override string ToString() => Kind switch
    {
        SaveValueKind.Null => "null",
        SaveValueKind.Bool => Bool ? "true" : "false",
        SaveValueKind.Single => NumberText.Of(Single),
        SaveValueKind.Double => NumberText.Of(Double),
        SaveValueKind.Text => Text,
        SaveValueKind.Bytes => Convert.ToBase64String(Bytes.Span),
        _ => Convert.ToString(_value, CultureInfo.InvariantCulture) ?? "",
    };
}

/// <summary>
/// A list of the tree. One that was saved column by column is decoded item by item as it is gone through, and only laid out in memory
/// once an item is asked for by its index to be changed, or the list itself is changed.
/// </summary>
public sealed class SaveList : SaveValue, IReadOnlyList<SaveValue>
{
    private RowSource? _rows;
    private List<SaveValue>? _items;

    /// <summary>A list without items.</summary>
    public SaveList() : base(SaveValueKind.List) => _items = [];

    internal SaveList(RowSource rows) : base(SaveValueKind.List) => _rows = rows;

    /// <summary>How many items there are.</summary>
    public int Count => _rows?.Count ?? _items!.Count;

    /// <summary>The item at an index.</summary>
    public SaveValue this[int index]
    {
        get => Items[index];
        set => Items[index] = value ?? Null;
    }

    /// <summary>Whether the items are still in their columns.</summary>
    internal bool IsTable => _rows is not null;

    private List<SaveValue> Items
    {
        get
        {
            _items ??= [.. _rows!.Read()];
            _rows = null;
            return _items;
        }
    }

    /// <summary>Appends an item.</summary>
    public void Add(SaveValue item) => Items.Add(item ?? Null);

    /// <summary>Takes an item out.</summary>
    public void RemoveAt(int index) => Items.RemoveAt(index);

    /// <summary>
    /// A look at the item at an index; of a large list nothing else is decoded, and changing what is returned may change nothing.
    /// </summary>
    /// <exception cref="ArgumentOutOfRangeException">There is no such index.</exception>
    public SaveValue Peek(int index)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(index);
        ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual(index, Count);
        return _rows is { } rows ? rows.Read(index) : Items[index];
    }

    /// <summary>
    /// One member of every item, in order; null for an item that has none of that name. Of a large list nothing else is decoded.
    /// </summary>
    public IEnumerable<SaveValue?> Member(string key)
    {
        ArgumentNullException.ThrowIfNull(key);
        return _rows is { } rows
            ? rows.ReadMember(key)
            : Items.Select(item => item is SaveMap map && map.TryGet(key, out var value) ? value : null);
    }

    /// <inheritdoc/>
    public IEnumerator<SaveValue> GetEnumerator() => _rows is { } rows ? rows.Read().GetEnumerator() : Items.GetEnumerator();

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();

    /// <inheritdoc/>
    public override bool Equals(SaveValue? other) => other is SaveList list && Count == list.Count && this.SequenceEqual(list);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Kind, Count);

    /// <summary>The number of items, in words.</summary>
    public override string ToString() => Count == 1 ? "1 item" : $"{Count} items";
}

/// <summary>A map of the tree: values under names, kept in the order in which they came.</summary>
public sealed class SaveMap() : SaveValue(SaveValueKind.Map), IReadOnlyCollection<KeyValuePair<string, SaveValue>>
{
    private readonly OrderedDictionary<string, SaveValue> _entries = new(StringComparer.Ordinal);

    /// <summary>How many names there are.</summary>
    public int Count => _entries.Count;

    /// <summary>The names, in order.</summary>
    public IReadOnlyCollection<string> Keys => _entries.Keys;

    /// <summary>The value under a name; setting a new name appends it.</summary>
    /// <exception cref="KeyNotFoundException">There is no such name.</exception>
    public SaveValue this[string key]
    {
        get => _entries[key];
        set => _entries[key] = value ?? Null;
    }

    /// <summary>Whether there is a value under that name, and which.</summary>
    public bool TryGet(string key, [System.Diagnostics.CodeAnalysis.NotNullWhen(true)] out SaveValue? value) =>
        _entries.TryGetValue(key, out value);

    /// <summary>Adds a value under a new name; false if the name is taken.</summary>
    public bool TryAdd(string key, SaveValue value) => _entries.TryAdd(key, value ?? Null);

    /// <summary>Takes everything out.</summary>
    public void Clear() => _entries.Clear();

    /// <summary>Gives an entry another name, in its place; false if that name is taken or the entry is not there.</summary>
    internal bool TryRename(string key, string newKey)
    {
        var index = _entries.IndexOf(key);
        if (index < 0 || _entries.ContainsKey(newKey))
            return false;
        var value = _entries.GetAt(index).Value;
        if (index == _entries.Count - 1)
        {
            _entries.RemoveAt(index);
            _entries.Add(newKey, value);
            return true;
        }
        _entries.RemoveAt(index);
        _entries.Insert(index, newKey, value);
        return true;
    }

    /// <summary>Takes a name and its value out; false if there is none.</summary>
    public bool Remove(string key) => _entries.Remove(key);

    /// <inheritdoc/>
    public IEnumerator<KeyValuePair<string, SaveValue>> GetEnumerator() => _entries.GetEnumerator();

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();

    /// <inheritdoc/>
    public override bool Equals(SaveValue? other)
    {
        if (other is not SaveMap map || map.Count != Count)
            return false;
        foreach (var (key, value) in _entries)
        {
            if (!map.TryGet(key, out var theirs) || !value.Equals(theirs))
                return false;
        }
        return true;
    }

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Kind, Count);

    /// <summary>The number of entries, in words.</summary>
    public override string ToString() => Count == 1 ? "1 entry" : $"{Count} entries";
}

/// <summary>The items of a list that were checked and are not decoded yet.</summary>
internal abstract class RowSource
{
    public abstract int Count { get; }

    /// <summary>The items in order, each decoded when its turn comes.</summary>
    public abstract IEnumerable<SaveValue> Read();

    /// <summary>One item, without the others.</summary>
    public abstract SaveValue Read(int index);

    /// <summary>One member of every item in order; null if an item does not have it. Nothing else is decoded.</summary>
    public abstract IEnumerable<SaveValue?> ReadMember(string key);
}

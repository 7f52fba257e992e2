using System.Text;

namespace Lodrik.State;

/// <summary>
/// The keys of a state type's members, prepared once. A member is known to the generated code by its number here; each format
/// looks names up in its own way, and keeps what it prepared for that by <see cref="PreparedKeys{T}"/>.
/// </summary>
public sealed class KeyTable
{
    private static int _lastId;

    private readonly string[] _names;
    private readonly byte[][] _utf8;
    private readonly Dictionary<string, int> _numbers;
    private readonly (byte[] Utf8, int Number)[] _former = [];
    private KeyTable?[]? _single;
    private object?[] _prepared = [];

    /// <summary>Makes the table.</summary>
    /// <param name="names">The keys, each once, in the members' order.</param>
    public KeyTable(params string[] names)
    {
        ArgumentNullException.ThrowIfNull(names);
        _names = names;
        _utf8 = Array.ConvertAll(names, Encoding.UTF8.GetBytes);
        _numbers = new Dictionary<string, int>(names.Length, StringComparer.Ordinal);
        for (var i = 0; i < names.Length; i++)
            _numbers.Add(names[i], i);
    }

    /// <summary>Makes the table of members some of which had other keys before.</summary>
    /// <param name="names">The keys, each once, in the members' order.</param>
    /// <param name="formerNames">Earlier keys, under which members are found as well.</param>
    /// <param name="members">For each earlier key the number of its member.</param>
    public KeyTable(string[] names, string[] formerNames, int[] members) : this(names)
    {
        ArgumentNullException.ThrowIfNull(formerNames);
        ArgumentNullException.ThrowIfNull(members);
        _former = [.. formerNames.Select((name, i) => (Encoding.UTF8.GetBytes(name), members[i]))];
        for (var i = 0; i < formerNames.Length; i++)
            _numbers.Add(formerNames[i], members[i]);
    }

    /// <summary>A number that no other table has, for comparing tables quickly; never 0.</summary>
    internal int Id { get; } = Interlocked.Increment(ref _lastId);

    /// <summary>How many keys there are.</summary>
    public int Count => _names.Length;

    /// <summary>The key of that number.</summary>
    public string this[int index] => _names[index];

    /// <summary>The keys with commas between.</summary>
    public override string ToString() => string.Join(", ", _names);

    /// <summary>A table of that one key, the same one every time.</summary>
    internal KeyTable Only(int index)
    {
        // Two threads that ask at once must get the same one: a table is known by what it is, not by its names.
        var all = _single ?? Interlocked.CompareExchange(ref _single, new KeyTable?[_names.Length], null) ?? _single;
        return all[index] ?? Interlocked.CompareExchange(ref all[index], new KeyTable(_names[index]), null) ?? all[index]!;
    }

    /// <summary>What was prepared from the names and kept at that place; null before.</summary>
    internal object? Prepared(int place)
    {
        var prepared = _prepared;
        return place < prepared.Length ? prepared[place] : null;
    }

    /// <summary>Keeps at that place what was prepared from the names.</summary>
    internal void Prepare(int place, object prepared)
    {
        lock (_names)
        {
            // What is read without the lock is never changed: a new array takes its place.
            var all = new object?[Math.Max(_prepared.Length, place + 1)];
            _prepared.CopyTo(all, 0);
            all[place] = prepared;
            Volatile.Write(ref _prepared, all);
        }
    }

    /// <summary>The key of that number in UTF-8.</summary>
    internal byte[] Utf8(int index) => _utf8[index];

    /// <summary>The number of a key, or -1.</summary>
    /// <param name="name">The key.</param>
    /// <param name="expected">The number it most likely has: the one after the key before.</param>
    internal int Find(string name, int expected)
    {
        if ((uint)expected < (uint)_names.Length && string.Equals(_names[expected], name, StringComparison.Ordinal))
            return expected;
        return _numbers.TryGetValue(name, out var number) ? number : -1;
    }

    /// <summary>The number of a key in UTF-8, or -1.</summary>
    internal int Find(ReadOnlySpan<byte> utf8, int expected)
    {
        if ((uint)expected < (uint)_utf8.Length && utf8.SequenceEqual(_utf8[expected]))
            return expected;
        for (var i = 0; i < _utf8.Length; i++)
        {
            if (utf8.SequenceEqual(_utf8[i]))
                return i;
        }
        foreach (var (former, number) in _former)
        {
            if (utf8.SequenceEqual(former))
                return number;
        }
        return -1;
    }
}

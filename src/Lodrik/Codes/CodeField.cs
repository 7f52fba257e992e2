using System.Numerics;

namespace Lodrik.Codes;

/// <summary>One field of a layout: a digit of its own base.</summary>
internal abstract class CodeField<T>(string name, int since, BigInteger radix, string what)
{
    public string Name => name;

    /// <summary>The version that it came with.</summary>
    public int Since => since;

    /// <summary>How many values it can have.</summary>
    public BigInteger Radix => radix;

    /// <summary>What it is, in words that say all that decides about its digit.</summary>
    public string What => what;

    /// <summary>The digit of a state.</summary>
    /// <exception cref="CodeException">The layout has no room for the state's value.</exception>
    public abstract BigInteger Get(T state);

    public abstract void Set(T state, BigInteger digit);

    /// <summary>The value that a digit stands for, for people.</summary>
    public abstract string Show(BigInteger digit);
}

/// <summary>A field whose value is one of so many.</summary>
internal sealed class ValueField<T, TValue>(
    string name, int since, BigInteger radix, string what, Func<T, TValue> get, Action<T, TValue> set, Func<TValue, BigInteger> toDigit,
    Func<BigInteger, TValue> toValue)
    : CodeField<T>(name, since, radix, what)
{
    public override BigInteger Get(T state)
    {
        var digit = toDigit(get(state));
        return digit >= 0 && digit < Radix
            ? digit
            : throw CodeException.DoesNotFit(Name, $"is {get(state)}, but the layout has {What}.");
    }

    public override void Set(T state, BigInteger digit) => set(state, toValue(digit));

    public override string Show(BigInteger digit) => FormattableString.Invariant($"{toValue(digit)}");
}

/// <summary>A set of named things, each a bit.</summary>
internal sealed class SetField<T, TItem>(
    string name, int since, string what, IReadOnlyList<TItem> items, Func<T, IEnumerable<TItem>> get, Action<T, IReadOnlyList<TItem>> set)
    : CodeField<T>(name, since, BigInteger.One << items.Count, what) where TItem : notnull
{
    private readonly Dictionary<TItem, int> _places = items.Select((item, i) => (item, i)).ToDictionary(one => one.item, one => one.i);

    public override BigInteger Get(T state)
    {
        var digit = BigInteger.Zero;
        foreach (var item in get(state))
        {
            if (!_places.TryGetValue(item, out var place))
                throw CodeException.DoesNotFit(Name, $"has {item}, which is not in the layout.");
            digit |= BigInteger.One << place;
        }
        return digit;
    }

    public override void Set(T state, BigInteger digit) => set(state, In(digit));

    public override string Show(BigInteger digit) => digit.IsZero ? "none" : string.Join(", ", In(digit));

    private List<TItem> In(BigInteger digit) => [.. items.Where((_, place) => !((digit >> place) & 1).IsZero)];
}

/// <summary>A list of at most so many items, each a digit; shorter lists come first, so that none of the room is wasted.</summary>
internal sealed class ListField<T, TItem>(
    string name, int since, string what, int most, BigInteger radix, Func<T, IReadOnlyList<TItem>> get, Action<T, List<TItem>> set,
    Func<TItem, BigInteger> toDigit, Func<BigInteger, TItem> toItem, Func<BigInteger, string> show)
    : CodeField<T>(name, since, Shorter(most + 1, radix), what)
{
    public override BigInteger Get(T state)
    {
        var items = get(state);
        if (items.Count > most)
            throw CodeException.DoesNotFit(Name, $"has {items.Count} items, but the layout has room for {most}.");
        var digit = BigInteger.Zero;
        for (var i = items.Count - 1; i >= 0; i--)
        {
            var item = toDigit(items[i]);
            if (item < 0 || item >= radix)
                throw CodeException.DoesNotFit(Name, $"has {items[i]}, but the layout has {What}.");
            digit = (digit * radix) + item;
        }
        return Shorter(items.Count, radix) + digit;
    }

    public override void Set(T state, BigInteger digit) => set(state, [.. Items(digit).Select(toItem)]);

    public override string Show(BigInteger digit) => digit.IsZero ? "none" : string.Join(", ", Items(digit).Select(show));

    private List<BigInteger> Items(BigInteger digit)
    {
        var count = 0;
        while (count < most && digit >= Shorter(count + 1, radix))
            count++;
        digit -= Shorter(count, radix);
        var items = new List<BigInteger>(count);
        for (var i = 0; i < count; i++)
        {
            items.Add(digit % radix);
            digit /= radix;
        }
        return items;
    }

    /// <summary>How many lists there are of fewer items.</summary>
    private static BigInteger Shorter(int count, BigInteger radix)
    {
        var (lists, power) = (BigInteger.Zero, BigInteger.One);
        for (var i = 0; i < count; i++)
        {
            lists += power;
            power *= radix;
        }
        return lists;
    }
}

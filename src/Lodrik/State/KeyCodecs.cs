using System.ComponentModel;
using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Reflection;

namespace Lodrik.State;

// How a map's keys stand as text. Numbers and enums, dates and Guid are keys as well as strings are.

#pragma warning disable CS1591 // Named by generated code only.

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct TextKey : IKeyCodec<string>
{
    public static string ToText(string key) => key;

    public static bool TryParse(string text, out string key)
    {
        key = text;
        return true;
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct BoolKey : IKeyCodec<bool>
{
    public static string ToText(bool key) => key ? "true" : "false";

    public static bool TryParse(string text, out bool key) => bool.TryParse(text, out key);
}

/// <summary>Numbers, char, Guid, dates and times: anything with its own invariant text.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct ParsableKey<T> : IKeyCodec<T> where T : struct, ISpanFormattable, ISpanParsable<T>
{
    /// <summary>The format that keeps every bit: ISO 8601 for dates and times, hyphenated for Guid, the shortest for numbers.</summary>
    internal static string? Format =>
        typeof(T) == typeof(DateTime) || typeof(T) == typeof(DateTimeOffset) || typeof(T) == typeof(DateOnly)
        || typeof(T) == typeof(TimeOnly) ? "O"
        : typeof(T) == typeof(Guid) ? "D"
        : typeof(T) == typeof(TimeSpan) ? "c"
        : null;

    public static string ToText(T key) => key.ToString(Format, CultureInfo.InvariantCulture);

    public static bool TryParse(string text, out T key)
    {
        if (typeof(T) == typeof(DateTime))
        {
            // T.TryParse would turn a time in UTC into local time.
            var valid = DateTime.TryParseExact(text, "O", CultureInfo.InvariantCulture, DateTimeStyles.RoundtripKind, out var time)
                || DateTime.TryParse(text, CultureInfo.InvariantCulture, DateTimeStyles.RoundtripKind, out time);
            key = (T)(object)time;
            return valid;
        }
        return T.TryParse(text, CultureInfo.InvariantCulture, out key);
    }
}

[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct EnumKey<[DynamicallyAccessedMembers(DynamicallyAccessedMemberTypes.PublicFields)] T> : IKeyCodec<T>
    where T : struct, Enum
{
    public static string ToText(T key) => EnumNames<T>.ToText(key);

    public static bool TryParse(string text, out T key) => EnumNames<T>.TryParse(text, out key);
}

/// <summary>An enum by the names of its values; flags as names with commas between.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct EnumCodec<[DynamicallyAccessedMembers(DynamicallyAccessedMemberTypes.PublicFields)] T> : IStateCodec<T>
    where T : struct, Enum
{
    public static void Write<TWriter>(ref TWriter writer, T value) where TWriter : IStateWriter, allows ref struct =>
        writer.WriteText(EnumNames<T>.ToText(value));

    public static void Read<TReader>(ref TReader reader, ref T value) where TReader : IStateReader, allows ref struct
    {
        // A number is what a value without a name was saved as, and what a person may have written.
        var text = reader.Peek() == SaveValueKind.Integer
            ? reader.ReadBigInteger().ToString(CultureInfo.InvariantCulture)
            : reader.ReadText();
        if (!EnumNames<T>.TryParse(text, out value))
            throw reader.Wrong(
                $"\"{Shorten.Text(text)}\" is not a valid {typeof(T).Name}. Valid names: {string.Join(", ", Enum.GetNames<T>())}.");
    }
}

/// <summary>The names of an enum's values, asked for once.</summary>
internal static class EnumNames<[DynamicallyAccessedMembers(DynamicallyAccessedMemberTypes.PublicFields)] T> where T : struct, Enum
{
    private static readonly Dictionary<T, string> Names = CollectNames();
    private static readonly Dictionary<string, T> Values = CollectValues();

    /// <summary>The value's name; names with commas for a set of flags; the number for a value without a name.</summary>
    public static string ToText(T value) => Names.TryGetValue(value, out var name) ? name : value.ToString();

    public static bool TryParse(string text, out T value)
    {
        if (Values.TryGetValue(text, out value))
            return true;
        // A set of flags may have former names among its own.
        if (Values.Count > Enum.GetNames<T>().Length && text.Contains(',', StringComparison.Ordinal))
            text = string.Join(", ", text.Split(',', StringSplitOptions.TrimEntries)
                .Select(name => Values.TryGetValue(name, out var known) ? ToText(known) : name));
        return Enum.TryParse(text, out value);
    }

    private static Dictionary<T, string> CollectNames()
    {
        var names = new Dictionary<T, string>();
        foreach (var name in Enum.GetNames<T>())
            names.TryAdd(Enum.Parse<T>(name), name);
        return names;
    }

    private static Dictionary<string, T> CollectValues()
    {
        var values = new Dictionary<string, T>(StringComparer.Ordinal);
        foreach (var name in Enum.GetNames<T>())
            values.TryAdd(name, Enum.Parse<T>(name));
        foreach (var field in typeof(T).GetFields(BindingFlags.Public | BindingFlags.Static))
        {
            foreach (var former in field.GetCustomAttribute<FormerNameAttribute>()?.Names ?? [])
                values.TryAdd(former, Enum.Parse<T>(field.Name));
        }
        return values;
    }
}

/// <summary>Keys of a type that is saved as another one, by the game's adapter.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct AdapterKey<TForeign, TSaved, TKey, TAdapter> : IKeyCodec<TForeign>
    where TKey : IKeyCodec<TSaved> where TAdapter : struct, ISaveAdapter<TForeign, TSaved>
{
    public static bool MayBeOneText => true;

    public static string ToText(TForeign key) => TKey.ToText(TAdapter.ToSaved(key));

    public static bool TryParse(string text, out TForeign key)
    {
        key = default!;
        if (!TKey.TryParse(text, out var saved))
            return false;
        // What the adapter throws is reported at this place, as with values.
        key = TAdapter.FromSaved(saved);
        return key is not null;
    }
}

/// <summary>Makes sure that no two keys of a map would be written as one.</summary>
internal static class KeyTexts
{
    /// <exception cref="ContentException">Two keys have one text.</exception>
    public static void Check<TKey, TKeyCodec>(IEnumerable<TKey> keys) where TKeyCodec : IKeyCodec<TKey>
    {
        if (!TKeyCodec.MayBeOneText)
            return;
        var texts = new HashSet<string>(StringComparer.Ordinal);
        foreach (var text in keys.Select(TKeyCodec.ToText))
        {
            if (!texts.Add(text))
                throw new ContentException(
                    SaveErrorCode.Invalid, $"Two keys of the map have the same saved form \"{Shorten.Text(text)}\".",
                    new ContentPlace(long.MaxValue, int.MaxValue));
        }
    }
}

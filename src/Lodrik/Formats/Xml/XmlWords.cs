using System.Globalization;
using System.Text;
using System.Xml;
using Lodrik.State;

namespace Lodrik.Formats.Xml;

/// <summary>
/// The words of the XML form, and how text is in it. XML 1.0 has no way to write most control characters, so text that
/// holds one is written with JSON's escapes (\u0000) in an element marked <c>escaped="true"</c>.
/// </summary>
internal static class XmlWords
{
    public const string Root = "save";
    public const string Item = "item";
    public const string Entry = "entry";
    public const string Key = "key";
    public const string EscapedKey = "escapedKey";
    public const string Type = "type";
    public const string Escaped = "escaped";
    public const string Yes = "true";

    // The type is written only where the content alone would be taken for something else.
    public const string NullType = "null";
    public const string ListType = "list";
    public const string NumbersType = "numbers";
    public const string MapType = "map";
    public const string TextType = "text";
    public const string BytesType = "bytes";
    public const string DecimalType = "decimal";

    public static bool IsName(string key)
    {
        if (key.Length == 0 || key == Entry || !XmlConvert.IsStartNCNameChar(key[0]))
            return false;
        foreach (var c in key)
        {
            if (!XmlConvert.IsNCNameChar(c))
                return false;
        }
        return true;
    }

    public static bool NeedsEscape(ReadOnlySpan<char> text)
    {
        for (var i = 0; i < text.Length; i++)
        {
            if (XmlConvert.IsXmlChar(text[i]))
                continue;
            if (i + 1 < text.Length && char.IsSurrogatePair(text[i], text[i + 1]))
                i++;
            else
                return true;
        }
        return false;
    }

    public static string Escape(ReadOnlySpan<char> text)
    {
        var escaped = new StringBuilder(text.Length + 16);
        for (var i = 0; i < text.Length; i++)
        {
            var c = text[i];
            if (c == '\\')
                escaped.Append(@"\\");
            else if (XmlConvert.IsXmlChar(c))
                escaped.Append(c);
            else if (i + 1 < text.Length && char.IsSurrogatePair(c, text[i + 1]))
                escaped.Append(c).Append(text[++i]);
            else if (char.IsSurrogate(c))
                escaped.Append('\uFFFD');
            else
                escaped.Append(CultureInfo.InvariantCulture, $@"\u{(int)c:x4}");
        }
        return escaped.ToString();
    }

    /// <summary>The text that an escaped one stands for; null if an escape is not one of ours.</summary>
    public static string? Unescape(string escaped)
    {
        var text = new StringBuilder(escaped.Length);
        for (var i = 0; i < escaped.Length; i++)
        {
            if (escaped[i] != '\\')
                text.Append(escaped[i]);
            else if (i + 1 < escaped.Length && escaped[i + 1] == '\\')
                text.Append(escaped[++i]);
            else if (i + 5 < escaped.Length && escaped[i + 1] == 'u'
                && ushort.TryParse(escaped.AsSpan(i + 2, 4), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var code))
            {
                text.Append((char)code);
                i += 5;
            }
            else
                return null;
        }
        // Half of a character pair is not text: writers replace it, and nothing else may bring it in.
        var whole = text.ToString();
        return LoneSurrogates.AreIn(whole) ? null : whole;
    }

    /// <summary>Whether bare text would be read as a number, a truth value or a float's word.</summary>
    public static bool LooksLikeScalar(ReadOnlySpan<char> text) =>
        text.Length > 0 && (text[0] is >= '0' and <= '9' or '-' or '+' or '.' or 't' or 'f' or 'N' or 'I')
        && (text is "true" or "false" || State.NumberText.IsFloatWord(text) || IsInteger(text) || IsFloat(text));

    public static bool IsInteger(ReadOnlySpan<char> text)
    {
        var digits = text.Length > 0 && text[0] == '-' ? text[1..] : text;
        return digits.Length > 0 && digits.IndexOfAnyExceptInRange('0', '9') < 0;
    }

    public static bool IsFloat(ReadOnlySpan<char> text) =>
        text.Length > 0 && text.IndexOfAnyExcept("-+.0123456789eE") < 0 && text.IndexOfAny(".eE") >= 0
        && double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out _);
}

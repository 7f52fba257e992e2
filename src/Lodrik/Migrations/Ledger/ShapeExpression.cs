namespace Lodrik.Migrations;

/// <summary>
/// The type of a value as ledgers write it: <c>int32</c>, <c>text?</c>, <c>list&lt;Game.Item&gt;</c>, <c>map&lt;text, int32&gt;</c>,
/// <c>single*2</c> for a vector, <c>list&lt;int32&gt;*4</c> for an array of fixed length, <c>entry&lt;Game.Items&gt;</c> for a name in a
/// catalogue. A name with a dot or a capital is a type of the game. A word after a type says what its values mean: <c>single*4
/// quaternion</c>, <c>set&lt;text caseless&gt;</c>, <c>tuple&lt;int32 oil, int32 wick&gt;</c>.
/// </summary>
internal sealed class ShapeExpression
{
    /// <summary>How deep a type may be nested: what values may be.</summary>
    private const int MostDepth = 128;

    /// <summary>Behind a text that is the same as another one if only their case is different.</summary>
    public const string Caseless = "caseless";

    private static readonly HashSet<string> Lists = ["list", "set", "sortedset", "queue", "stack"];
    private static readonly HashSet<string> Maps = ["map", "orderedmap"];
    private static readonly HashSet<string> Generic = [.. Lists, .. Maps, "tuple", "grid2", "grid3", "entry"];

    private ShapeExpression(string name, IReadOnlyList<ShapeExpression> arguments, int count, bool isNullable, string label)
    {
        Label = label;
        Name = name;
        Arguments = arguments;
        Count = count;
        IsNullable = isNullable;
    }

    /// <summary>The word, or the name of the game's type.</summary>
    public string Name { get; }

    /// <summary>What a list, a map or a tuple is of.</summary>
    public IReadOnlyList<ShapeExpression> Arguments { get; }

    /// <summary>How many numbers, of a vector and the like, or how many items of an array of fixed length; 0 otherwise.</summary>
    public int Count { get; }

    /// <summary>Whether null may be there.</summary>
    public bool IsNullable { get; }

    /// <summary>The word after the type; empty for none.</summary>
    public string Label { get; }

    /// <summary>Whether it is saved as a list of items.</summary>
    public bool IsList => Lists.Contains(Name);

    /// <summary>Whether an item can be in it once only.</summary>
    public bool IsSet => Name is "set" or "sortedset";

    /// <summary>Whether it is saved as a map.</summary>
    public bool IsMap => Maps.Contains(Name);

    /// <summary>Whether this is a type of the game: a state type or an enum.</summary>
    public bool IsNamed => Arguments.Count == 0 && (Name.IndexOf('.') >= 0 || (Name.Length > 0 && char.IsUpper(Name[0])));

    /// <summary>Reads a type.</summary>
    /// <exception cref="FormatException">It is none.</exception>
    public static ShapeExpression Parse(string text)
    {
        var at = 0;
        var parsed = Parse(text, ref at, MostDepth);
        return at == text.Length ? parsed : throw new FormatException($"\"{text}\" is not a valid type.");
    }

    public override string ToString() =>
        Name + (Arguments.Count > 0 ? $"<{string.Join(", ", Arguments)}>" : "") + (Count > 0 ? $"*{Count}" : "") + (IsNullable ? "?" : "")
        + (Label.Length > 0 ? $" {Label}" : "");

    private static ShapeExpression Parse(string text, ref int at, int depth)
    {
        if (depth == 0)
            throw new FormatException($"The type is nested more than {MostDepth} deep.");
        var name = ReadName(text, ref at);
        var arguments = ReadArguments(text, ref at, name, depth);
        var count = ReadCount(text, ref at);
        var isNullable = Take(text, ref at, '?');
        var label = ReadWord(text, ref at);
        return HasArguments(name, arguments.Count)
            ? new ShapeExpression(name, arguments, count, isNullable, label)
            : throw new FormatException($"\"{text}\" is not a valid type.");
    }

    /// <summary>The name; to that of a generic type of the game, its arguments belong.</summary>
    private static string ReadName(string text, ref int at)
    {
        while (At(text, at) == ' ')
            at++;
        var start = at;
        while (true)
        {
            while (at < text.Length && text[at] is not ('<' or '>' or ',' or '?' or '*' or ' '))
                at++;
            if (At(text, at) != '<' || Generic.Contains(text.Substring(start, at - start)))
                return text.Substring(start, at - start);
            SkipBrackets(text, ref at);
        }
    }

    private static string ReadWord(string text, ref int at)
    {
        var start = at;
        while (at < text.Length && text[at] is not ('<' or '>' or ',' or '?' or '*'))
            at++;
        return text.Substring(start, at - start).Trim();
    }

    private static void SkipBrackets(string text, ref int at)
    {
        var depth = 0;
        do
        {
            depth += At(text, at) == '<' ? 1 : At(text, at) == '>' ? -1 : 0;
            at++;
        }
        while (at < text.Length && depth > 0);
    }

    private static List<ShapeExpression> ReadArguments(string text, ref int at, string name, int depth)
    {
        var arguments = new List<ShapeExpression>();
        if (!Generic.Contains(name) || !Take(text, ref at, '<'))
            return arguments;
        do
        {
            arguments.Add(Parse(text, ref at, depth - 1));
        }
        while (Take(text, ref at, ','));
        return Take(text, ref at, '>') ? arguments : throw new FormatException($"\"{text}\" is not a valid type: a bracket is not closed.");
    }

    /// <summary>How many there are of a fixed number, after a star; 0 without.</summary>
    private static int ReadCount(string text, ref int at)
    {
        if (!Take(text, ref at, '*'))
            return 0;
        var start = at;
        while (char.IsDigit(At(text, at)))
            at++;
        return int.TryParse(text.Substring(start, at - start), out var count)
            ? count
            : throw new FormatException($"\"{text}\" is not a valid type: a number is missing after the star.");
    }

    private static bool HasArguments(string name, int arguments) => name switch
    {
        "" => false,
        "grid2" or "grid3" or "entry" => arguments == 1,
        _ when Lists.Contains(name) => arguments == 1,
        _ when Maps.Contains(name) => arguments == 2,
        "tuple" => arguments > 0,
        _ => true,
    };

    private static char At(string text, int at) => at < text.Length ? text[at] : '\0';

    private static bool Take(string text, ref int at, char mark)
    {
        if (At(text, at) != mark)
            return false;
        at++;
        return true;
    }
}

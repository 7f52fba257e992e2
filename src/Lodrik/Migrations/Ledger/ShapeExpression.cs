namespace Lodrik.Migrations;

/// <summary>
/// The type of a value as ledgers write it: <c>int32</c>, <c>text?</c>, <c>list&lt;Game.Item&gt;</c>, <c>map&lt;text, int32&gt;</c>,
/// <c>single*2</c> for a vector, <c>entry&lt;Game.Items&gt;</c> for a name in a catalogue. A name with a dot or a capital is a type of the
/// game.
/// </summary>
internal sealed class ShapeExpression
{
    private static readonly HashSet<string> Generic = ["list", "map", "tuple", "grid2", "grid3", "entry"];

    private ShapeExpression(string name, IReadOnlyList<ShapeExpression> arguments, int count, bool isNullable)
    {
        Name = name;
        Arguments = arguments;
        Count = count;
        IsNullable = isNullable;
    }

    /// <summary>The word, or the name of the game's type.</summary>
    public string Name { get; }

    /// <summary>What a list, a map or a tuple is of.</summary>
    public IReadOnlyList<ShapeExpression> Arguments { get; }

    /// <summary>How many numbers, of a vector and the like; 0 otherwise.</summary>
    public int Count { get; }

    /// <summary>Whether null may stand there.</summary>
    public bool IsNullable { get; }

    /// <summary>Whether this is a type of the game: a state type or an enum.</summary>
    public bool IsNamed => Arguments.Count == 0 && (Name.IndexOf('.') >= 0 || (Name.Length > 0 && char.IsUpper(Name[0])));

    /// <summary>Reads a type.</summary>
    /// <exception cref="FormatException">It is none.</exception>
    public static ShapeExpression Parse(string text)
    {
        var at = 0;
        var parsed = Parse(text, ref at);
        return at == text.Length ? parsed : throw new FormatException($"\"{text}\" is no type.");
    }

    public override string ToString() =>
        Name + (Arguments.Count > 0 ? $"<{string.Join(", ", Arguments)}>" : "") + (Count > 0 ? $"*{Count}" : "") + (IsNullable ? "?" : "");

    private static ShapeExpression Parse(string text, ref int at)
    {
        var start = at;
        while (at < text.Length && text[at] is not ('<' or '>' or ',' or '?' or '*'))
            at++;
        var name = text.Substring(start, at - start).Trim();
        var arguments = new List<ShapeExpression>();
        if (at < text.Length && text[at] == '<')
        {
            if (!Generic.Contains(name))
            {
                // The arguments of a generic type of the game belong to its name.
                for (var depth = 0; at < text.Length; at++)
                {
                    depth += text[at] == '<' ? 1 : text[at] == '>' ? -1 : 0;
                    if (depth == 0)
                        break;
                }
                at++;
                name = text.Substring(start, Math.Min(at, text.Length) - start).Trim();
            }
            else
            {
                do
                {
                    at++;
                    arguments.Add(Parse(text, ref at));
                }
                while (at < text.Length && text[at] == ',');
                if (at >= text.Length || text[at] != '>')
                    throw new FormatException($"\"{text}\" is no type: a bracket is not closed.");
                at++;
            }
        }
        var count = 0;
        if (at < text.Length && text[at] == '*')
        {
            start = ++at;
            while (at < text.Length && char.IsDigit(text[at]))
                at++;
            if (!int.TryParse(text.Substring(start, at - start), out count))
                throw new FormatException($"\"{text}\" is no type: a number is missing behind the star.");
        }
        var isNullable = at < text.Length && text[at] == '?';
        if (isNullable)
            at++;
        var expected = name switch
        {
            "map" => 2,
            "list" or "grid2" or "grid3" or "entry" => 1,
            _ => -1,
        };
        if (name.Length == 0 || (expected >= 0 && arguments.Count != expected) || (name == "tuple" && arguments.Count == 0))
            throw new FormatException($"\"{text}\" is no type.");
        return new ShapeExpression(name, arguments, count, isNullable);
    }
}

using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik.Codes;

/// <summary>Layouts that are in a JSON document, for states without their own type: what the tool uses.</summary>
public static class CodeLayoutFile
{
    /// <summary>
    /// Reads a layout from JSON (<see cref="CodeLayout{T}.ToJson"/>). Its states are maps from field names to values.
    /// </summary>
    /// <param name="json">The document.</param>
    /// <param name="key">The key of keyed codes; null if they have none.</param>
    /// <exception cref="CodeException">The document is none, or its layout cannot be.</exception>
    public static CodeLayout<SaveMap> Read(string json, SaveKey? key = null)
    {
        ArgumentNullException.ThrowIfNull(json);
        var document = CodeLayoutDocument.FromJson(json);
        try
        {
            return new CodeLayout<SaveMap>(
                document.Name, document.Version, fields => Declare(fields, document), document.Options(key), document.Oldest);
        }
        catch (Exception exception) when (exception is ArgumentException or OverflowException)
        {
            // What a programmer gets told as an argument that cannot be is here what the document says.
            throw CodeException.BadLayout($"The layout is invalid: {exception.Message}");
        }
    }

    private static void Declare(CodeFields<SaveMap> fields, CodeLayoutDocument document)
    {
        var version = document.Oldest;
        foreach (var field in document.Fields)
        {
            if (field.Since is { } since && since != version)
                fields.Since(version = since);
            Declare(fields, field);
        }
    }

    private static void Declare(CodeFields<SaveMap> fields, CodeFieldDocument field)
    {
        var name = field.Name;
        _ = field switch
        {
            { Flag: true } =>
                fields.Flag(name, state => Value(state, name, value => value.AsBool()), (state, value) => state[name] = value),
            { Set: { } known } => fields.Set(name, known, state => List(state, name, value => value.AsText() ?? ""),
                (state, values) => state[name] = ListOf(values.Select(value => (SaveValue)value))),
            { Choices: { } choices, Items: { } most } => fields.Choices(name, most, choices, state => List(state, name,
                value => value.AsText() ?? ""), (state, values) => state[name] = ListOf(values.Select(value => (SaveValue)value))),
            { Choices: { } choices } => fields.Choice(
                name, choices, state => Value(state, name, value => value.AsText() ?? ""), (state, value) => state[name] = value),
            { From: { } least, To: { } most, Items: { } items } => fields.Numbers(name, items, least, most, state => List(
                state, name, value => value.AsInt64()), (state, values) => state[name] = ListOf(values.Select(value => (SaveValue)value))),
            { From: { } least, To: { } most } => fields.Number(
                name, least, most, state => Value(state, name, value => value.AsInt64()), (state, value) => state[name] = value),
            _ => throw CodeException.BadLayout($"The field \"{name}\" is neither a range (from, to), a flag, choices, nor a set."),
        };
    }

    private static TValue Value<TValue>(SaveMap state, string name, Func<SaveValue, TValue> read)
    {
        if (!state.TryGet(name, out var value))
            throw CodeException.DoesNotFit(name, "is missing.");
        try
        {
            return read(value);
        }
        catch (InvalidCastException exception)
        {
            throw CodeException.DoesNotFit(name, $"does not match the layout: {exception.Message}");
        }
    }

    private static List<TValue> List<TValue>(SaveMap state, string name, Func<SaveValue, TValue> read) =>
        Value(state, name, value => value is SaveList list ? list.Select(read).ToList()
            : throw new InvalidCastException("It is not a list."));

    private static SaveList ListOf(IEnumerable<SaveValue> values)
    {
        var list = new SaveList();
        foreach (var value in values)
            list.Add(value);
        return list;
    }
}

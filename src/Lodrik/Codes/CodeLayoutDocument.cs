using System.Text.Json;
using System.Text.Json.Serialization;
using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik.Codes;

/// <summary>A field as a layout's document has it: a range, a flag, choices or a set; a list of these where it has items.</summary>
internal sealed record CodeFieldDocument(string Name)
{
    public int? Since { get; set; }

    public long? From { get; set; }

    public long? To { get; set; }

    public bool? Flag { get; set; }

    public IReadOnlyList<string>? Choices { get; set; }

    public IReadOnlyList<string>? Set { get; set; }

    public int? Items { get; set; }
}

/// <summary>A layout as a JSON document, for the tool and for other programs.</summary>
/// <remarks>Its members can be set, because the serializer's generated code gives what is missing no default otherwise.</remarks>
internal sealed record CodeLayoutDocument(string Name, int Version)
{
    public int Oldest { get; set; } = 1;

    public int Check { get; set; } = 3;

    public int Corrects { get; set; } = 1;

    public int Mark { get; set; } = 1;

    public int Group { get; set; } = 4;

    public bool Scrambled { get; set; } = true;

    public int Variants { get; set; } = 1;

    public int Versions { get; set; } = 16;

    public int Tag { get; set; } = 4;

    public IReadOnlyList<CodeFieldDocument> Fields { get; set; } = [];

    public static CodeLayoutDocument Of<T>(CodeLayout<T> layout) where T : class, new() => new(layout.Name, layout.Version)
    {
        Oldest = layout.Oldest,
        Check = layout.Options.CheckCharacters,
        Corrects = layout.Options.Corrects,
        Mark = layout.Options.MarkCharacters,
        Group = layout.Options.GroupSize,
        Scrambled = layout.Options.Scrambled,
        Variants = layout.Options.Variants,
        Versions = layout.Options.Versions,
        Tag = layout.Options.TagCharacters,
        Fields = [.. layout.Documents.Select(field => field.Since > layout.Oldest ? field : field with { Since = null })],
    };

    public string ToJson() => JsonSerializer.Serialize(this, CodeLayoutJson.Default.CodeLayoutDocument);

    /// <exception cref="CodeException">The document is none, or its layout cannot be.</exception>
    public static CodeLayoutDocument FromJson(string json)
    {
        try
        {
            return JsonSerializer.Deserialize(json, CodeLayoutJson.Default.CodeLayoutDocument)
                is { Name: not null, Fields: not null } document && document.Fields.All(field => field is { Name: not null })
                ? document
                : throw CodeException.BadLayout("The layout has no name, or a field has none.");
        }
        catch (JsonException exception)
        {
            throw CodeException.BadLayout($"The layout is not one that can be read: {exception.Message}");
        }
    }

    public CodeOptions Options(SaveKey? key) => new()
    {
        CheckCharacters = Check,
        Corrects = Corrects,
        MarkCharacters = Mark,
        GroupSize = Group,
        Scrambled = Scrambled,
        Variants = Variants,
        Versions = Versions,
        TagCharacters = Tag,
        Key = key,
    };
}

[JsonSourceGenerationOptions(
    PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, WriteIndented = true, NewLine = "\n",
    DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    ReadCommentHandling = JsonCommentHandling.Skip, AllowTrailingCommas = true,
    UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow)]
[JsonSerializable(typeof(CodeLayoutDocument))]
internal sealed partial class CodeLayoutJson : JsonSerializerContext;

/// <summary>Layouts that stand in a JSON document, for states without a type of their own: what the tool uses.</summary>
public static class CodeLayoutFile
{
    /// <summary>
    /// Builds the layout of a document (<see cref="CodeLayout{T}.ToJson"/>). A state is a map from the names of the fields to their values.
    /// </summary>
    /// <param name="json">The document.</param>
    /// <param name="key">The key of keyed codes; null where they have none.</param>
    /// <exception cref="CodeException">The document is none, or its layout cannot be.</exception>
    public static CodeLayout<SaveMap> Read(string json, SaveKey? key = null)
    {
        ArgumentNullException.ThrowIfNull(json);
        var document = CodeLayoutDocument.FromJson(json);
        return new CodeLayout<SaveMap>(
            document.Name, document.Version, fields => Declare(fields, document), document.Options(key), document.Oldest);
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
            _ => throw CodeException.BadLayout($"The field \"{name}\" is none of a range (from, to), a flag, choices, a set."),
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
            throw CodeException.DoesNotFit(name, $"is not what the layout has there: {exception.Message}");
        }
    }

    private static List<TValue> List<TValue>(SaveMap state, string name, Func<SaveValue, TValue> read) =>
        Value(state, name, value => value is SaveList list ? list.Select(read).ToList() : throw new InvalidCastException("It is no list."));

    private static SaveList ListOf(IEnumerable<SaveValue> values)
    {
        var list = new SaveList();
        foreach (var value in values)
            list.Add(value);
        return list;
    }
}

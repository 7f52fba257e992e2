using System.Text.Json;
using System.Text.Json.Serialization;
using Lodrik.Protection;

namespace Lodrik.Codes;

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

    /// <summary>The document of a layout.</summary>
    public static CodeLayoutDocument Of(
        string name, int version, int oldest, CodeOptions options, IReadOnlyList<CodeFieldDocument> fields) => new(name, version)
        {
            Oldest = oldest,
            Check = options.CheckCharacterCount,
            Corrects = options.Corrects,
            Mark = options.MarkCharacterCount,
            Group = options.GroupSize,
            Scrambled = options.Scrambled,
            Variants = options.VariantCount,
            Versions = options.VersionCount,
            Tag = options.TagCharacterCount,
            Fields = [.. fields.Select(field => field.Since > oldest ? field : field with { Since = null })],
        };

    /// <summary>What decides how a code of the version is read, and is another in the other document, in words; null for nothing.</summary>
    public string? DifferenceTo(CodeLayoutDocument before)
    {
        foreach (var (what, was, now) in new[]
        {
            ("check characters", before.Check, Check), ("mark characters", before.Mark, Mark), ("variants", before.Variants, Variants),
            ("versions that there can ever be", before.Versions, Versions), ("tag characters", before.Tag, Tag),
        })
        {
            if (was != now)
                return $"there were {was} {what}, and are {now}";
        }
        if (before.Scrambled != Scrambled)
            return before.Scrambled ? "they were scrambled" : "they were not scrambled";
        for (var i = 0; i < Math.Max(before.Fields.Count, Fields.Count); i++)
        {
            if (i >= Fields.Count)
                return $"the field \"{before.Fields[i].Name}\" is gone";
            if (i >= before.Fields.Count)
                return $"the field \"{Fields[i].Name}\" was not there";
            if (before.Fields[i].What != Fields[i].What)
                return $"the field \"{Fields[i].Name}\" was {before.Fields[i].What}, and is {Fields[i].What}";
        }
        return null;
    }

    public string ToJson() => JsonSerializer.Serialize(this, CodeLayoutJson.Default.CodeLayoutDocument);

    /// <exception cref="CodeException">The document is none, or its layout cannot be.</exception>
    public static CodeLayoutDocument FromJson(string json)
    {
        try
        {
            return JsonSerializer.Deserialize(json, CodeLayoutJson.Default.CodeLayoutDocument)
                is { Name: not null, Fields: not null } document
                && document.Fields.All(field => field is { Name: not null } && HasNoNull(field.Set) && HasNoNull(field.Choices))
                ? document
                : throw CodeException.BadLayout("The layout has no name, or a field or a choice has none.");
        }
        catch (JsonException exception)
        {
            throw CodeException.BadLayout($"The layout cannot be read: {exception.Message}");
        }
    }

    private static bool HasNoNull(IReadOnlyList<string>? words) => words?.All(word => word is not null) != false;

    public CodeOptions Options(SaveKey? key) => new()
    {
        CheckCharacterCount = Check,
        Corrects = Corrects,
        MarkCharacterCount = Mark,
        GroupSize = Group,
        Scrambled = Scrambled,
        VariantCount = Variants,
        VersionCount = Versions,
        TagCharacterCount = Tag,
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

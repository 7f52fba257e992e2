using System.Runtime.Serialization.Json;
using System.Text;
using System.Xml;
using System.Xml.Linq;

namespace Lodrik.Migrations;

/// <summary>
/// The shape of a game's saves in one version: its state types with their members, the kinds of its scenes with their parts, and the parts
/// of the game that have their own section. The generator puts it into the assembly, a ledger keeps it for each version.
/// </summary>
/// <remarks>The file of a ledger, and the text in an assembly, is a JSON document (RFC 8259); docs/migrations.md describes it.</remarks>
#if GENERATOR
internal
#else
public
#endif
sealed partial class SaveShape
{
    /// <summary>The layout of ledger files that this library knows.</summary>
    public const int CurrentLayout = 1;

    internal SaveShape()
    {
    }

    /// <summary>The game's id.</summary>
    public string Game { get; private set; } = "";

    /// <summary>The save version; 0 if no save root is known.</summary>
    public int Version { get; private set; }

    /// <summary>The name of the save root's type.</summary>
    public string Root { get; private set; } = "";

    /// <summary>Whether players have saves of this version, so that its shape is settled.</summary>
    public bool IsReleased { get; private set; }

    /// <summary>The digest of a released shape as its file has it; null if it has none.</summary>
    internal string? RecordedDigest { get; private set; }

    /// <summary>The game's state types and enums by their full names.</summary>
    public SortedDictionary<string, ShapeType> Types { get; } = new(StringComparer.Ordinal);

    /// <summary>
    /// The kinds of entities, each with the types of its parts by their names. What is under <c>*</c> may belong to any kind.
    /// </summary>
    public SortedDictionary<string, SortedDictionary<string, string>> Kinds { get; } = new(StringComparer.Ordinal);

    /// <summary>The names that kinds had before, with those of today.</summary>
    public SortedDictionary<string, string> FormerKinds { get; } = new(StringComparer.Ordinal);

    /// <summary>The names of the scenes that are in the game's code, and <c>*</c> where there may be others.</summary>
    public SortedSet<string> Scenes { get; } = new(StringComparer.Ordinal);

    /// <summary>The types of the sections that parts of the game keep, by their names.</summary>
    public SortedDictionary<string, string> Subsystems { get; } = new(StringComparer.Ordinal);

    /// <summary>Puts together what several assemblies, or several types of one, say of their shapes.</summary>
    /// <param name="documents">JSON documents, as the generator puts them into an assembly.</param>
    /// <exception cref="FormatException">One of them is none.</exception>
    public static SaveShape Of(IEnumerable<string> documents)
    {
        var shape = new SaveShape();
        foreach (var document in documents)
            shape.Add(document);
        return shape;
    }

    /// <summary>Reads a shape from the text of a ledger's file.</summary>
    /// <exception cref="FormatException">It is none, or of a newer layout.</exception>
    public static SaveShape Parse(string text)
    {
        var shape = Of([text]);
        // A type is looked at when something compares it, which is too late for an error that names the file.
        foreach (var type in shape.AllTypes())
            Migrations.ShapeExpression.Parse(type);
        return shape.Version > 0 ? shape : throw new FormatException("It is not the shape of a version.");
    }

    /// <summary>The save roots that the documents speak of: mostly one.</summary>
    internal List<(string Game, int Version, string Root)> Roots { get; } = [];

    /// <summary>The shape of one root of several, with what is reached from it, from scenes and from the game's parts.</summary>
    internal SaveShape ForRoot(string root)
    {
        var (game, version, _) = Roots.Find(one => one.Root == root);
        var shape = new SaveShape { Game = game ?? "", Version = version, Root = root };
        foreach (var kind in Kinds)
            shape.Kinds.Add(kind.Key, kind.Value);
        foreach (var former in FormerKinds)
            shape.FormerKinds.Add(former.Key, former.Value);
        shape.Scenes.UnionWith(Scenes);
        foreach (var subsystem in Subsystems)
            shape.Subsystems.Add(subsystem.Key, subsystem.Value);
        shape.TakeReached(this);
        return shape;
    }

    /// <summary>Whether saves of the shape can have a scene of a name.</summary>
    internal bool CanHaveScene(string name) => Scenes.Count == 0 || Scenes.Contains(name) || Scenes.Contains("*");

    /// <summary>Takes over the types of another shape that have one of these names, with what they lead to.</summary>
    internal void TakeNamed(SaveShape other, IEnumerable<string> names)
    {
        foreach (var name in names.Where(name => !Types.ContainsKey(name)))
        {
            if (other.Find(name) is { } type)
                Types.Add(name, type);
        }
        TakeReached(other);
    }

    /// <summary>Takes over the types of another shape that something in this one speaks of.</summary>
    internal void TakeReached(SaveShape other)
    {
        var toVisit = new Queue<string>(Types.Values.SelectMany(Mentioned)
            .Concat(Kinds.Values.SelectMany(parts => parts.Values).SelectMany(NamesIn))
            .Concat(Subsystems.Values.SelectMany(NamesIn))
            .Append(Root));
        while (toVisit.Count > 0)
        {
            var name = toVisit.Dequeue();
            if (Types.ContainsKey(name) || other.Find(name) is not { } type)
                continue;
            Types.Add(name, type);
            foreach (var mentioned in Mentioned(type))
                toVisit.Enqueue(mentioned);
        }
    }

    private IEnumerable<string> AllTypes() => Types.Values.SelectMany(type => type.Members.Values)
        .Concat(Kinds.Values.SelectMany(parts => parts.Values)).Concat(Subsystems.Values);

    private static IEnumerable<string> Mentioned(ShapeType type) => type.Members.Values.SelectMany(NamesIn).Concat(type.Variants.Values);

    private static IEnumerable<string> NamesIn(string type) => NamesIn(Migrations.ShapeExpression.Parse(type));

    private static IEnumerable<string> NamesIn(Migrations.ShapeExpression type) =>
        type.Arguments.SelectMany(NamesIn).Concat(type.IsNamed ? [type.Name] : Array.Empty<string>());

    /// <summary>A type by its name; null if it is not known.</summary>
    public ShapeType? Find(string name) => Types.TryGetValue(name, out var type) ? type : null;

    private void Add(string document)
    {
        // The reader takes a document for whole that ends after a number; one that was cut short must not pass for a smaller shape.
        if (!IsClosed(document))
            throw new FormatException("It is not a JSON document, or only the beginning of one.");
        XElement root;
        try
        {
            using var reader = JsonReaderWriterFactory.CreateJsonReader(Encoding.UTF8.GetBytes(document), XmlDictionaryReaderQuotas.Max);
            root = XElement.Load(reader);
        }
        catch (Exception exception) when (exception is XmlException or ArgumentException or InvalidOperationException)
        {
            throw new FormatException($"It is not a JSON document: {exception.Message}", exception);
        }
        foreach (var (key, value) in Entries(root))
        {
            switch (key)
            {
                case "ledger" when Number(value) > CurrentLayout:
                    throw new FormatException(
                        $"The ledger has layout {value.Value}, and layouts up to {CurrentLayout} are known. Update Lodrik.");
                case "game":
                    Game = value.Value;
                    break;
                case "version":
                    Version = Number(value);
                    break;
                case "root":
                    Root = value.Value;
                    Roots.Add((Game, Version, Root));
                    break;
                case "released":
                    IsReleased = value.Value == "true";
                    break;
                case "digest":
                    RecordedDigest = value.Value;
                    break;
                case "types":
                    foreach (var (name, type) in Entries(value))
                        Types[name] = ReadType(type);
                    break;
                case "kinds":
                    foreach (var (name, parts) in Entries(value))
                        AddKind(name, parts);
                    break;
                case "formerKinds":
                    Fill(FormerKinds, value);
                    break;
                case "scenes":
                    Scenes.UnionWith(value.Elements().Select(item => item.Value));
                    break;
                case "subsystems":
                    Fill(Subsystems, value);
                    break;
            }
        }
    }

    /// <summary>Whether every bracket that is opened is closed again.</summary>
    private static bool IsClosed(string document)
    {
        var depth = 0;
        for (var i = 0; i < document.Length; i++)
        {
            switch (document[i])
            {
                case '"':
                    for (i++; i < document.Length && document[i] != '"'; i++)
                        i += document[i] == '\\' ? 1 : 0;
                    break;
                case '{' or '[':
                    depth++;
                    break;
                case '}' or ']':
                    depth--;
                    break;
            }
        }
        return depth == 0 && document.TrimEnd().EndsWith("}", StringComparison.Ordinal);
    }

    private void AddKind(string name, XElement parts)
    {
        if (!Kinds.TryGetValue(name, out var known))
            Kinds.Add(name, known = new SortedDictionary<string, string>(StringComparer.Ordinal));
        Fill(known, parts);
    }

    private static ShapeType ReadType(XElement element)
    {
        var type = new ShapeType();
        foreach (var (key, value) in Entries(element))
        {
            switch (key)
            {
                case "members":
                    Fill(type.Members, value);
                    break;
                case "named":
                    Fill(type.Named, value);
                    break;
                case "formerKeys":
                    Fill(type.FormerKeys, value);
                    break;
                case "variants":
                    Fill(type.Variants, value);
                    break;
                case "required":
                    type.Required.UnionWith(value.Elements().Select(item => item.Value));
                    break;
                case "values":
                    type.Values.AddRange(value.Elements().Select(item => item.Value));
                    break;
                case "formerValues":
                    type.FormerValues.UnionWith(value.Elements().Select(item => item.Value));
                    break;
                case "struct":
                    type.IsStruct = value.Value == "true";
                    break;
                case "shared":
                    type.IsShared = value.Value == "true";
                    break;
                case "flags":
                    type.IsFlags = value.Value == "true";
                    break;
                case "keepsUnknown":
                    type.KeepsUnknown = value.Value == "true";
                    break;
            }
        }
        return type;
    }

    private static void Fill(SortedDictionary<string, string> target, XElement element)
    {
        foreach (var (key, value) in Entries(element))
            target[key] = value.Value;
    }

    /// <summary>The entries of a JSON object. A key that cannot be the name of an element is in an attribute.</summary>
    private static IEnumerable<(string Key, XElement Value)> Entries(XElement element) =>
        element.Elements().Select(entry => ((string?)entry.Attribute("item") ?? entry.Name.LocalName, entry));

    private static int Number(XElement element) =>
        int.TryParse(element.Value, out var number) ? number : throw new FormatException($"\"{element.Value}\" is not a number.");
}

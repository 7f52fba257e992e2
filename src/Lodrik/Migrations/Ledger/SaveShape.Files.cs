using System.Reflection.Metadata;
using System.Reflection.PortableExecutable;
using System.Security.Cryptography;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using Lodrik.Storage;

namespace Lodrik.Migrations;

// Where shapes come from, the text that a ledger keeps of them, and how two of them differ.
public sealed partial class SaveShape
{
    private const string AttributeName = "StateShapeAttribute";

    /// <summary>
    /// The shape of the saves that an assembly, with those it refers to beside it, describes. Its code is not loaded: only what the
    /// generator put into it is read (ECMA-335, custom attributes).
    /// </summary>
    /// <param name="path">The assembly's file.</param>
    /// <param name="root">The full name of the save root; null if there is one only.</param>
    /// <exception cref="LedgerException">It is not an assembly, or there is no such root, or several and none was named.</exception>
    public static SaveShape OfAssembly(string path, string? root = null)
    {
        ArgumentException.ThrowIfNullOrEmpty(path);
        var (game, library) = (new List<string>(), new List<string>());
        Collect(path, game, library, []);
        var whole = Of(game);
        var roots = whole.Roots.ConvertAll(one => one.Root);
        if (roots.Count == 0)
            throw new LedgerException("There is no save root in the assembly.",
                new SaveLocation { File = path }, "Mark one with [SaveFile], and reference Lodrik's generator.");
        if (root is null && roots.Count > 1)
            throw new LedgerException($"There are several save roots in the assembly: {string.Join(", ", roots)}.",
                new SaveLocation { File = path }, "Name one of them.");
        if (root is not null && !roots.Contains(root))
            throw new LedgerException($"There is no save root {root} in the assembly.", new SaveLocation { File = path },
                $"There are: {string.Join(", ", roots)}.");
        // Of several roots each has what it reaches; the only one has all of its game's types.
        var shape = roots.Count == 1 ? whole : whole.ForRoot(root!);
        shape.TakeReached(Of(library));
        return shape;
    }

    /// <summary>The text that a ledger keeps: JSON (RFC 8259) with one line for each member, in a fixed order.</summary>
    public string ToText() => Write(withRelease: true);

    /// <summary>The digest of the shape (SHA-256, FIPS 180-4, in hexadecimal): of its text without what is said of its release.</summary>
    internal string Digest => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(Write(withRelease: false))));

    internal void MarkReleased()
    {
        IsReleased = true;
        RecordedDigest = Digest;
    }

    private string Write(bool withRelease)
    {
        var buffer = new MemoryStream();
        using (var writer = new Utf8JsonWriter(
            buffer, new JsonWriterOptions { Indented = true, NewLine = "\n", Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping }))
        {
            writer.WriteStartObject();
            writer.WriteNumber("ledger", CurrentLayout);
            writer.WriteString("game", Game);
            writer.WriteNumber("version", Version);
            if (withRelease && IsReleased)
            {
                writer.WriteBoolean("released", true);
                writer.WriteString("digest", RecordedDigest);
            }
            writer.WriteString("root", Root);
            writer.WriteStartObject("types");
            foreach (var (name, type) in Types)
                Write(writer, name, type);
            writer.WriteEndObject();
            writer.WriteStartObject("kinds");
            foreach (var (kind, parts) in Kinds)
                Write(writer, kind, parts, always: true);
            writer.WriteEndObject();
            Write(writer, "formerKinds", FormerKinds);
            Write(writer, "scenes", Scenes);
            Write(writer, "subsystems", Subsystems, always: true);
            writer.WriteEndObject();
        }
        return Encoding.UTF8.GetString(buffer.ToArray()) + "\n";
    }

    private static void Write(Utf8JsonWriter writer, string name, ShapeType type)
    {
        writer.WriteStartObject(name);
        if (type.IsEnum)
            Write(writer, "values", type.Values);
        else
            Write(writer, "members", type.Members, always: true);
        Write(writer, "formerValues", type.FormerValues);
        Write(writer, "formerKeys", type.FormerKeys);
        Write(writer, "named", type.Named);
        Write(writer, "required", type.Required);
        Write(writer, "variants", type.Variants);
        foreach (var (flag, isSet) in new[] { ("struct", type.IsStruct), ("shared", type.IsShared), ("keepsUnknown", type.KeepsUnknown),
            ("flags", type.IsFlags) })
        {
            if (isSet)
                writer.WriteBoolean(flag, true);
        }
        writer.WriteEndObject();
    }

    private static void Write(Utf8JsonWriter writer, string name, SortedDictionary<string, string> entries, bool always = false)
    {
        if (entries.Count == 0 && !always)
            return;
        writer.WriteStartObject(name);
        foreach (var (key, value) in entries)
            writer.WriteString(key, value);
        writer.WriteEndObject();
    }

    private static void Write(Utf8JsonWriter writer, string name, IReadOnlyCollection<string> items)
    {
        if (items.Count == 0)
            return;
        writer.WriteStartArray(name);
        foreach (var item in items)
            writer.WriteStringValue(item);
        writer.WriteEndArray();
    }

    /// <summary>Collects what an assembly says, then what those say that it refers to and that lie beside it.</summary>
    private static void Collect(string path, List<string> game, List<string> library, HashSet<string> seen)
    {
        var name = Path.GetFileNameWithoutExtension(path);
        if (!seen.Add(name))
            return;
        var (documents, references) = ReadAssembly(path);
        (name == typeof(SaveShape).Assembly.GetName().Name ? library : game).AddRange(documents);
        foreach (var reference in references)
        {
            var beside = Path.Combine(Path.GetDirectoryName(Path.GetFullPath(path))!, reference + ".dll");
            if (File.Exists(beside))
                Collect(beside, game, library, seen);
        }
    }

    private static (List<string> Documents, List<string> References) ReadAssembly(string path)
    {
        try
        {
            using var stream = File.OpenRead(path);
            using var image = new PEReader(stream);
            if (!image.HasMetadata)
                throw new BadImageFormatException("it has no metadata");
            var metadata = image.GetMetadataReader();
            var documents = metadata.GetAssemblyDefinition().GetCustomAttributes()
                .Select(metadata.GetCustomAttribute)
                .Where(attribute => IsShape(metadata, attribute))
                .Select(attribute => DocumentOf(metadata, attribute))
                .ToList();
            return (documents,
                [.. metadata.AssemblyReferences.Select(handle => metadata.GetString(metadata.GetAssemblyReference(handle).Name))]);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw StorageException.From(exception, path);
        }
        catch (Exception exception) when (exception is BadImageFormatException or InvalidOperationException)
        {
            throw new LedgerException(
                $"It is not a .NET assembly: {exception.Message}", new SaveLocation { File = path }, "Pass the game's .dll.", exception);
        }
    }

    private static bool IsShape(MetadataReader metadata, CustomAttribute attribute)
    {
        var type = attribute.Constructor.Kind switch
        {
            HandleKind.MemberReference => metadata.GetMemberReference((MemberReferenceHandle)attribute.Constructor).Parent,
            HandleKind.MethodDefinition => metadata.GetMethodDefinition((MethodDefinitionHandle)attribute.Constructor).GetDeclaringType(),
            _ => default,
        };
        return type.Kind switch
        {
            HandleKind.TypeReference =>
                metadata.StringComparer.Equals(metadata.GetTypeReference((TypeReferenceHandle)type).Name, AttributeName),
            HandleKind.TypeDefinition =>
                metadata.StringComparer.Equals(metadata.GetTypeDefinition((TypeDefinitionHandle)type).Name, AttributeName),
            _ => false,
        };
    }

    /// <summary>The attribute's only argument: a prolog of two bytes, then the string (ECMA-335 II.23.3).</summary>
    private static string DocumentOf(MetadataReader metadata, CustomAttribute attribute)
    {
        var blob = metadata.GetBlobReader(attribute.Value);
        blob.ReadUInt16();
        return blob.ReadSerializedString() ?? "";
    }
}

using System.Formats.Cbor;
using System.Globalization;
using System.IO.Compression;
using System.Numerics;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Xml;
using System.Xml.Linq;
using Lodrik.Codes;
using Lodrik.Inspection;
using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.Storage;
using Tidewarden;
using static Lodrik.Fuzz.Attempt;

namespace Lodrik.Fuzz;

/// <summary>
/// Changes what stands below the digests: CBOR items, JSON values and XML nodes of header, table, tables and sections, compressed and sealed
/// ones as well. Digests, compression and seals are made anew, so that each change is reached by whoever reads it.
/// </summary>
public sealed class StructureFuzz
{
    private readonly Random _random;
    private readonly SaveProtection _sealing;
    private readonly SaveProtection _encrypting;
    private readonly List<SavedFile> _saves = [];
    private readonly List<string> _ledgers;
    private readonly List<string> _layouts;
    private readonly Dictionary<string, int> _reached = new(StringComparer.Ordinal);

    public StructureFuzz(int seed, string examples)
    {
        _random = new Random(seed);
        var secret = SaveKey.FromBytes("secret", SHA256.HashData("of the fuzzer"u8));
        (_sealing, _encrypting) = (SaveProtection.With(secret), SaveProtection.Encrypted(secret));
        foreach (var form in Enum.GetValues<SaveForm>())
            _saves.Add(SavedFile.FromBytes(Evening(form)));
        _ledgers = [.. Directory.EnumerateFiles(Path.Combine(examples, "ledger"), "*.json").Order(StringComparer.Ordinal).Select(File.ReadAllText)];
        _layouts = [.. Directory.EnumerateFiles(examples, "*code*.json", SearchOption.AllDirectories).Take(3).Select(File.ReadAllText)];
        if (_layouts.Count == 0)
            _layouts.Add("""{"name":"marsh","version":1,"fields":[{"name":"day","from":0,"to":99},{"name":"lit","flag":true},{"name":"kind","choices":["oil","wick"]},{"name":"found","set":["heron","letter"]}]}""");
    }

    /// <summary>How many inputs were read.</summary>
    public int Runs { get; private set; }

    /// <summary>Of each kind of target, how many were read, and how many of those by at least one reader to their end.</summary>
    public IReadOnlyDictionary<string, int> Reached => _reached;

    /// <summary>Makes one input and reads it; null where all is well.</summary>
    public FuzzFinding? Run()
    {
        Runs++;
        var (target, input, read) = Make();
        var before = GC.GetAllocatedBytesForCurrentThread();
        // Work, and not time: the machine may have something else to do.
        var started = Environment.CpuUsage.TotalTime;
        try
        {
            Count(target, read(input));
        }
        catch (Exception exception)
        {
            return new FuzzFinding(input, $"{target}: {exception}");
        }
        var used = GC.GetAllocatedBytesForCurrentThread() - before;
        var took = Environment.CpuUsage.TotalTime - started;
        // Buffers grow to their double, and each of a few readers has an allowance of its own.
        if (used > 16 * ReadAllowance.Default.For(input.Length))
            return new FuzzFinding(input, $"{target}: {used} bytes of memory for {input.Length} bytes of input");
        return took.TotalSeconds > 2 + (input.Length / 1000.0) ? new FuzzFinding(input, $"{target}: {took.TotalSeconds} seconds for {input.Length} bytes") : null;
    }

    private void Count(string target, int fitting)
    {
        _reached[target] = _reached.GetValueOrDefault(target) + 1;
        if (fitting > 0)
            _reached[$"{target}, read to the end"] = _reached.GetValueOrDefault($"{target}, read to the end") + 1;
    }

    private (string Target, byte[] Input, Func<byte[], int> Read) Make()
    {
        switch (_random.Next(20))
        {
            case 0:
                return ("ledger", Encoding.UTF8.GetBytes(ChangedJson(Pick(_ledgers))), ReadLedger);
            case 1:
                return ("code layout", Encoding.UTF8.GetBytes(ChangedJson(Pick(_layouts))), ReadLayout);
            case 2 or 3:
                return ("packed header", PackedHeader(), ReadSave);
            case 4:
                return ("packed table of sections", PackedTable(), ReadSave);
            case 5:
                return ("readable head", ReadableHead(), ReadSave);
            case 6 or 7:
                return ("compressed section", Compressed(), ReadSave);
            case 8 or 9:
                return ("sealed section", Content(_random.Next(2) == 0 ? _sealing : _encrypting), ReadSave);
            default:
                return ("section", Content(null), ReadSave);
        }
    }

    // Reading.

    private int ReadSave(byte[] input)
    {
        var fitting = 0;
        Func<bool>[] readers =
        [
            () => Try(() => SavedFile.FromBytes(input).Print(full: true)),
            () => Try(() => SavedFile.FromBytes(input).ReadTree()),
            () => Try(() => SavedFile.FromBytes(input).ToForm(Pick([SaveForm.Json, SaveForm.Xml, SaveForm.Binary]))),
            () => Try(() => StateFile.FromBytes<TidewardenSave>(input)),
            () => Try(() => SaveHistory.Migrations.FromBytes<TidewardenSave>(input)),
            () => Try(() => SalvagedSave.FromBytes(input).ToBytes()),
            () => Try(() => SaveWeight.Of(SavedFile.FromBytes(input))),
            () => Try(() => SaveComparison.Of(SavedFile.FromBytes(input), Pick(_saves)).ToJsonPatch()),
            () => Try(() => SavedFile.FromBytes(input).Sections.Select(one => SceneContent.Of(one.Name, SavedFile.FromBytes(input).ReadSection(one.Name))?.Tables()).ToList()),
            () => Try(() => Opened(input).ReadTree()),
            () => Try(() => Opened(input).Protect(_sealing)),
            () => InStore(input),
            () => InGame(input),
        ];
        // All would take long; over many inputs each is tried on everything.
        for (var i = 0; i < 3; i++)
            fitting += Pick(readers)() ? 1 : 0;
        return fitting;
    }

    private SavedFile Opened(byte[] input)
    {
        var file = SavedFile.FromBytes(input);
        file.CheckSeal(file.IsEncrypted ? _encrypting : _sealing);
        return file;
    }

    /// <summary>As the newest generation of a slot: the list says something of it, and a good save below it still loads.</summary>
    private bool InStore(byte[] input)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage, Migrations = SaveHistory.Migrations });
        store.Save("evening", new TidewardenSave());
        storage.Write("slots/evening/00000002.lodrik", input, replace: false);
        store.List();
        store.History("evening");
        var isLoaded = Try(() => store.Load("evening"));
        Try(() => store.Continue());
        store.LoadGeneration("evening", 1);
        return isLoaded;
    }

    /// <summary>Loaded by a running game: its session, its live scene and the parts that other code keeps. What was loaded is then saved.</summary>
    private static bool InGame(byte[] input)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage, Migrations = SaveHistory.Migrations });
        using var game = new Game(store);
        storage.Write("slots/evening/00000001.lodrik", input, replace: false);
        return Try(() => Load("evening")) && Try(() => game.Session.Save("again", new SaveLabel())) && Try(() => Load("again"));

        bool Load(string slot)
        {
            game.Session.Load(slot);
            return true;
        }
    }

    private int ReadLedger(byte[] input)
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-fuzz-");
        try
        {
            // Whichever version it is of: a file says its own, and is asked for by its name.
            for (var version = 1; version <= _ledgers.Count; version++)
                File.WriteAllBytes(Path.Combine(folder.FullName, $"{version}.json"), input);
            var ledger = Ledger.Open(folder.FullName);
            var latest = SaveShape.Parse(_ledgers[^1]);
            return ledger.ListVersions().Count(version => Try(() => ledger.Read(version).ChangesTo(latest).Count + latest.ChangesTo(ledger.Read(version)).Count));
        }
        finally
        {
            folder.Delete(recursive: true);
        }
    }

    private static int ReadLayout(byte[] input)
    {
        try
        {
            var layout = CodeLayoutFile.Read(Encoding.UTF8.GetString(input));
            return layout.LargestNumber > 0 ? 1 : 0;
        }
        catch (CodeException)
        {
            return 0;
        }
    }

    // Making.

    private byte[] PackedHeader()
    {
        var save = Pick(_saves);
        using var buffer = new Formats.PooledBuffer();
        var writer = new Formats.Binary.BinaryStateWriter(buffer);
        SaveHeader.StateCodec.Write(ref writer, save.Header!);
        var header = Node.FromCbor(buffer.Written.ToArray());
        Change(header, deep: false);
        return RawSave.Packed(header.ToCbor(), [.. SectionsOf(save).Select(one => (one.Name, one.Bytes.ToArray(), 0))]);
    }

    private byte[] PackedTable()
    {
        var sections = SectionsOf(_saves[^1]).Select(one => (one.Name, Bytes: one.Bytes.ToArray(), Decompressed: 0)).ToList();
        var table = Node.FromCbor(RawSave.Table(sections));
        Change(table, deep: false);
        var bytes = table.ToCbor();
        return RawSave.Packed(RawSave.Header(bytes, sections.Count, SaveForm.Binary, "tidewarden"), sections, bytes);
    }

    private byte[] ReadableHead()
    {
        var save = _saves[_random.Next(2)];
        var text = Encoding.UTF8.GetString(save.Opened.Bytes.Span);
        return Encoding.UTF8.GetBytes(save.Form == SaveForm.Json ? ChangedJson(text, below: 2) : ChangedXml(text));
    }

    private byte[] Compressed()
    {
        var save = Pick(_saves);
        var sections = SectionsOf(save).Select(one =>
        {
            var bytes = one.Bytes.ToArray();
            return (one.Name, Bytes: _random.Next(3) == 0 ? Changed(bytes, save.Form) : bytes);
        });
        return RawSave.Compressed([.. sections.Select(one => (one.Name, Brotli(one.Bytes), _random.Next(40) == 0 ? _random.Next(1, int.MaxValue) : one.Bytes.Length))], save.Form);
    }

    private byte[] Content(SaveProtection? protection)
    {
        var save = Pick(_saves);
        var sections = SectionsOf(save);
        for (var times = _random.Next(1, 3); times > 0; times--)
        {
            var one = _random.Next(sections.Count);
            sections[one] = EncodedSection.Of(sections[one].Name, Changed(sections[one].Bytes.ToArray(), save.Form));
        }
        using var writer = new SaveWriter();
        return System.Buffers.BuffersExtensions.ToArray(writer.Write(sections, save.Header!.ForVersion(_random.Next(8) == 0 ? _random.Next(0, 6) : save.Header.Version), save.Form, protection));
    }

    private byte[] Changed(byte[] content, SaveForm form)
    {
        switch (form)
        {
            case SaveForm.Json:
                return Encoding.UTF8.GetBytes(ChangedJson(Encoding.UTF8.GetString(content)));
            case SaveForm.Xml:
                return Encoding.UTF8.GetBytes(ChangedXml(Encoding.UTF8.GetString(content)));
            default:
                var node = Node.FromCbor(content);
                Change(node);
                return node.ToCbor();
        }
    }

    private string ChangedJson(string json, int below = int.MaxValue)
    {
        using var document = JsonDocument.Parse(json, new JsonDocumentOptions { CommentHandling = JsonCommentHandling.Skip, AllowTrailingCommas = true });
        var node = Node.FromJson(document.RootElement);
        Change(node, deep: below == int.MaxValue);
        var text = new StringBuilder();
        node.ToJson(text);
        return text.ToString();
    }

    private string ChangedXml(string xml)
    {
        using var reader = XmlReader.Create(new StringReader(xml), new XmlReaderSettings { CheckCharacters = false });
        var root = XElement.Load(reader, LoadOptions.PreserveWhitespace);
        var all = root.DescendantsAndSelf().ToList();
        for (var times = _random.Next(1, 4); times > 0; times--)
        {
            var one = Pick(all);
            switch (_random.Next(7))
            {
                case 0:
                    one.SetAttributeValue("type", Pick(["text", "list", "map", "numbers", "null", "bytes", "decimal", "odd", ""]));
                    break;
                case 1:
                    one.SetAttributeValue(Pick(["escaped", "key", "escapedKey", "type"]), Pick(["true", "yes", "\\u0000", "\\", "\\uD800", "a/b"]));
                    break;
                case 2:
                    one.ReplaceNodes(Pick(Texts));
                    break;
                case 3 when one.Parent is not null:
                    one.AddAfterSelf(new XElement(one));
                    break;
                case 4 when one.Parent is not null:
                    one.Remove();
                    break;
                case 5:
                    one.Add(new XElement(Pick(["item", "entry", "value", "x", "position"]), Pick(Texts)));
                    break;
                default:
                    one.RemoveAttributes();
                    break;
            }
        }
        var text = new StringBuilder();
        // Even characters that XML has no room for: whoever made the file did not ask.
        using (var writer = XmlWriter.Create(text, new XmlWriterSettings { CheckCharacters = false, OmitXmlDeclaration = true }))
            root.WriteTo(writer);
        return text.ToString();
    }

    /// <summary>Changes some nodes of a tree.</summary>
    private void Change(Node root, bool deep = true)
    {
        for (var times = _random.Next(1, 4); times > 0; times--)
        {
            var all = root.All(deep ? int.MaxValue : 3).ToList();
            var (node, other) = (Pick(all), Pick(all));
            switch (_random.Next(9))
            {
                case 0:
                    node.Become(new Node { Kind = Pick(Enum.GetValues<NodeKind>()), Number = Pick(Numbers), Text = Pick(Texts), Real = Pick(Reals), Tag = Pick(Tags) });
                    break;
                case 1 when !other.All(int.MaxValue).Contains(node):
                    node.Become(other.Copy());
                    break;
                case 2 when node.Children.Count > 0:
                    node.Children.RemoveAt(_random.Next(node.Children.Count));
                    break;
                case 3 when node.Children.Count > 0:
                    var child = Pick(node.Children);
                    for (var copies = _random.Next(1, 20); copies > 0; copies--)
                        node.Children.Insert(_random.Next(node.Children.Count + 1), (child.Key, child.Value.Copy()));
                    break;
                case 4:
                    node.Number = _random.Next(3) == 0 ? Pick(Numbers) : node.Number + _random.Next(-2, 3);
                    break;
                case 5:
                    node.Text = Pick(Texts);
                    node.Real = Pick(Reals);
                    break;
                case 6:
                    node.Tag = Pick(Tags);
                    break;
                case 7 when node.Children.Count > 0:
                    var at = _random.Next(node.Children.Count);
                    node.Children[at] = (Pick(Texts), node.Children[at].Value);
                    break;
                default:
                    var inner = node.Copy();
                    node.Become(new Node { Kind = Pick([NodeKind.List, NodeKind.Map, NodeKind.Tag]), Tag = Pick(Tags) });
                    node.Children.Add((Pick(Texts), inner));
                    break;
            }
        }
    }

    private T Pick<T>(IReadOnlyList<T> of) => of[_random.Next(of.Count)];

    private static readonly BigInteger[] Numbers =
    [
        0, 1, -1, 2, 7, 8, 9, 127, 255, 256, 65_535, int.MaxValue, int.MinValue, uint.MaxValue, long.MaxValue, long.MinValue, ulong.MaxValue,
        BigInteger.Pow(10, 60), -BigInteger.Pow(10, 60),
    ];

    private static readonly string[] Texts =
    [
        "", "a", "entities", "gone", "kind", "parent", "parts", "marsh#7", "#0", "#-1", "lodrik", "contents", "seal", "headerDigest", "a/b", "/", "~1", "é\u0301",
        "\u202E", "\u0000", "NaN", "Infinity", "-0", "1e999", "true", "null", "01900000-0000-7000-8000-000000000001", "2031-02-30T00:00:00Z", "12:99:00",
        "Binary", "Json", "7", "list<", "list<list<int32>>", new string('9', 400), new string('x', 5000), "AAAA", "=", "$type", "#shared",
    ];

    private static readonly double[] Reals = [0, -0.0, 1.5, double.NaN, double.PositiveInfinity, double.MaxValue, double.Epsilon, 1e300, -1];

    private static readonly ulong[] Tags = [0, 1, 2, 3, 4, 16, 17, 64, 65, 69, 72, 77, 78, 79, 84, 85, 86, 0x4C44524B, 55799, ulong.MaxValue];

    private static byte[] Brotli(byte[] bytes)
    {
        using var target = new MemoryStream();
        using (var brotli = new BrotliStream(target, CompressionLevel.Fastest, leaveOpen: true))
            brotli.Write(bytes);
        return target.ToArray();
    }

    private static List<EncodedSection> SectionsOf(SavedFile file)
    {
        var source = (CheckedSave)file.Source;
        return [.. source.Names.Select(source.Take)];
    }

    private static byte[] Evening(SaveForm form)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage, Form = form });
        Story.Play(store);
        return storage.Read(storage.List("slots/evening").Single(file => !file.Name.EndsWith(".png", StringComparison.Ordinal)).Name)!;
    }

    private enum NodeKind
    {
        Null,
        True,
        Number,
        Real,
        Text,
        Bytes,
        List,
        Map,
        Tag,
    }

    /// <summary>A CBOR item or a JSON value, with nothing that would keep it from being nonsense.</summary>
    private sealed class Node
    {
        public NodeKind Kind { get; set; }

        public BigInteger Number { get; set; }

        public double Real { get; set; }

        public string Text { get; set; } = "";

        public byte[] Bytes { get; set; } = [];

        public ulong Tag { get; set; }

        public List<(string Key, Node Value)> Children { get; private set; } = [];

        public IEnumerable<Node> All(int depth) => depth == 0 ? [this] : Children.SelectMany(child => child.Value.All(depth - 1)).Prepend(this);

        public Node Copy()
        {
            var copy = new Node();
            copy.Become(this);
            copy.Children = [.. Children.Select(child => (child.Key, child.Value.Copy()))];
            return copy;
        }

        public void Become(Node other)
        {
            (Kind, Number, Real, Text, Bytes, Tag) = (other.Kind, other.Number, other.Real, other.Text, other.Bytes, other.Tag);
            Children = other.Children;
        }

        public static Node FromCbor(byte[] bytes) => Read(new CborReader(bytes, CborConformanceMode.Lax));

        private static Node Read(CborReader reader)
        {
            var node = new Node();
            switch (reader.PeekState())
            {
                case CborReaderState.Null:
                    reader.ReadNull();
                    break;
                case CborReaderState.Boolean:
                    (node.Kind, node.Number) = (NodeKind.True, reader.ReadBoolean() ? 1 : 0);
                    break;
                case CborReaderState.UnsignedInteger:
                    (node.Kind, node.Number) = (NodeKind.Number, reader.ReadUInt64());
                    break;
                case CborReaderState.NegativeInteger:
                    (node.Kind, node.Number) = (NodeKind.Number, -1 - new BigInteger(reader.ReadCborNegativeIntegerRepresentation()));
                    break;
                case CborReaderState.HalfPrecisionFloat or CborReaderState.SinglePrecisionFloat or CborReaderState.DoublePrecisionFloat:
                    (node.Kind, node.Real) = (NodeKind.Real, reader.ReadDouble());
                    break;
                case CborReaderState.TextString:
                    (node.Kind, node.Text) = (NodeKind.Text, reader.ReadTextString());
                    break;
                case CborReaderState.ByteString:
                    (node.Kind, node.Bytes) = (NodeKind.Bytes, reader.ReadByteString());
                    break;
                case CborReaderState.Tag:
                    (node.Kind, node.Tag) = (NodeKind.Tag, (ulong)reader.ReadTag());
                    node.Children.Add(("", Read(reader)));
                    break;
                case CborReaderState.StartArray:
                    node.Kind = NodeKind.List;
                    for (var count = reader.ReadStartArray(); count > 0; count--)
                        node.Children.Add(("", Read(reader)));
                    reader.ReadEndArray();
                    break;
                default:
                    node.Kind = NodeKind.Map;
                    for (var count = reader.ReadStartMap(); count > 0; count--)
                        node.Children.Add((reader.ReadTextString(), Read(reader)));
                    reader.ReadEndMap();
                    break;
            }
            return node;
        }

        public byte[] ToCbor()
        {
            var writer = new CborWriter(CborConformanceMode.Lax);
            Write(writer);
            return writer.Encode();
        }

        private void Write(CborWriter writer)
        {
            switch (Kind)
            {
                case NodeKind.Null:
                    writer.WriteNull();
                    break;
                case NodeKind.True:
                    writer.WriteBoolean(!Number.IsZero);
                    break;
                case NodeKind.Number when Number >= 0 && Number <= ulong.MaxValue:
                    writer.WriteUInt64((ulong)Number);
                    break;
                case NodeKind.Number when Number < 0 && Number >= -1 - new BigInteger(ulong.MaxValue):
                    writer.WriteCborNegativeIntegerRepresentation((ulong)(-1 - Number));
                    break;
                case NodeKind.Number:
                    writer.WriteTag(Number < 0 ? CborTag.NegativeBigNum : CborTag.UnsignedBigNum);
                    writer.WriteByteString(BigInteger.Abs(Number).ToByteArray(isUnsigned: true, isBigEndian: true));
                    break;
                case NodeKind.Real:
                    writer.WriteDouble(Real);
                    break;
                case NodeKind.Text:
                    writer.WriteTextString(Text);
                    break;
                case NodeKind.Bytes:
                    writer.WriteByteString(Bytes);
                    break;
                case NodeKind.Tag:
                    writer.WriteTag((CborTag)Tag);
                    if (Children.Count > 0)
                        Children[0].Value.Write(writer);
                    else
                        writer.WriteNull();
                    break;
                case NodeKind.List:
                    writer.WriteStartArray(Children.Count);
                    foreach (var (_, child) in Children)
                        child.Write(writer);
                    writer.WriteEndArray();
                    break;
                default:
                    writer.WriteStartMap(Children.Count);
                    foreach (var (key, child) in Children)
                    {
                        writer.WriteTextString(key);
                        child.Write(writer);
                    }
                    writer.WriteEndMap();
                    break;
            }
        }

        public static Node FromJson(JsonElement json)
        {
            var node = new Node();
            switch (json.ValueKind)
            {
                case JsonValueKind.Object:
                    node.Kind = NodeKind.Map;
                    foreach (var member in json.EnumerateObject())
                        node.Children.Add((member.Name, FromJson(member.Value)));
                    break;
                case JsonValueKind.Array:
                    node.Kind = NodeKind.List;
                    foreach (var item in json.EnumerateArray())
                        node.Children.Add(("", FromJson(item)));
                    break;
                case JsonValueKind.String:
                    (node.Kind, node.Text) = (NodeKind.Text, json.GetString()!);
                    break;
                case JsonValueKind.Number when BigInteger.TryParse(json.GetRawText(), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var whole):
                    (node.Kind, node.Number) = (NodeKind.Number, whole);
                    break;
                case JsonValueKind.Number:
                    (node.Kind, node.Real) = (NodeKind.Real, json.GetDouble());
                    break;
                case JsonValueKind.True or JsonValueKind.False:
                    (node.Kind, node.Number) = (NodeKind.True, json.GetBoolean() ? 1 : 0);
                    break;
            }
            return node;
        }

        public void ToJson(StringBuilder text)
        {
            switch (Kind)
            {
                case NodeKind.Null:
                    text.Append("null");
                    break;
                case NodeKind.True:
                    text.Append(Number.IsZero ? "false" : "true");
                    break;
                case NodeKind.Number:
                    text.Append(Number.ToString(CultureInfo.InvariantCulture));
                    break;
                case NodeKind.Real:
                    text.Append(double.IsFinite(Real) ? Real.ToString("R", CultureInfo.InvariantCulture) : "\"NaN\"");
                    break;
                case NodeKind.Text:
                    text.Append(JsonSerializer.Serialize(Text));
                    break;
                case NodeKind.Bytes:
                    text.Append(CultureInfo.InvariantCulture, $"\"{Convert.ToBase64String(Bytes)}\"");
                    break;
                case NodeKind.Tag when Children.Count > 0:
                    Children[0].Value.ToJson(text);
                    break;
                case NodeKind.Tag:
                    text.Append("[]");
                    break;
                case NodeKind.List:
                    text.Append('[');
                    for (var i = 0; i < Children.Count; i++)
                    {
                        text.Append(i > 0 ? "," : "");
                        Children[i].Value.ToJson(text);
                    }
                    text.Append(']');
                    break;
                default:
                    text.Append('{');
                    for (var i = 0; i < Children.Count; i++)
                    {
                        text.Append(i > 0 ? "," : "").Append(JsonSerializer.Serialize(Children[i].Key)).Append(':');
                        Children[i].Value.ToJson(text);
                    }
                    text.Append('}');
                    break;
            }
        }
    }
}

using System.Formats.Cbor;
using System.IO.Compression;
using System.Text;

namespace Lodrik.Fuzz;

/// <summary>A file that somebody made to do harm, and what is said of it.</summary>
/// <param name="Name">What it is, as a file name.</param>
/// <param name="Bytes">The file.</param>
/// <param name="Opens">Whether it can be opened: what is wrong is in a section, or nothing is.</param>
/// <param name="Reads">Whether its sections can be read as trees.</param>
public sealed record HostileFile(string Name, byte[] Bytes, bool Opens, bool Reads)
{
    public override string ToString() => Name;
}

/// <summary>Files that were made to do harm: small ones, which ask for much work, much memory, or what no code expects.</summary>
public static class HostileFiles
{
    private const string UsualHeader =
        "{\"format\":1,\"game\":\"\",\"version\":0,\"save\":\"01900000-0000-7000-8000-000000000001\",\"saved\":\"2031-01-01T00:00:00Z\",\"slot\":null,"
        + "\"content\":\"Json\",\"sectionCount\":1,\"contentsDigest\":\"CONTENTS\"}";

    public static IReadOnlyList<HostileFile> All { get; } =
    [
        new("null-header.lodrik", RawSave.Packed([0xF6], [], [0x80]), Opens: false, Reads: false),
        new("null-game.json", Text("{\"lodrik\":{\"format\":1,\"game\":null}}"), Opens: true, Reads: true),
        new("null-title.json", Text("{\"lodrik\":{\"format\":1,\"game\":\"tidewarden\",\"slot\":{\"title\":null}}}"), Opens: true, Reads: true),
        new("null-summary.json", Text("{\"lodrik\":{\"format\":1,\"game\":\"tidewarden\",\"slot\":{\"summary\":null}}}"), Opens: true, Reads: true),
        new("null-contents.json", Text("{\"lodrik\":{\"format\":1},\"contents\":null}"), Opens: false, Reads: false),
        new("header-is-a-list.lodrik", RawSave.Packed([0x80], [], [0x80]), Opens: false, Reads: false),
        new("two-sections-of-one-name.lodrik", RawSave.Packed(("log", Cbor(1)), ("log", Cbor(2))), Opens: false, Reads: false),
        new("two-sections-of-one-name.json", Text("{\"log\":1,\"log\":2}"), Opens: false, Reads: false),
        new("two-sections-of-one-name.xml", Text("<save><log>1</log><log>2</log></save>"), Opens: false, Reads: false),
        new("kind-is-a-list.json", Text("{\"marsh\":{\"gone\":[[1],{}],\"entities\":{\"a\":{\"kind\":[1],\"parent\":{},\"parts\":{}}}}}"), Opens: true, Reads: true),
        new("kind-is-a-map.lodrik", RawSave.Packed(("marsh", Scene())), Opens: true, Reads: true),
        new("many-names.json", Text("{" + string.Join(',', Enumerable.Range(0, 15_000).Select(i => $"\"s{i}\":0")) + "}"), Opens: true, Reads: true),
        new("many-names.xml", Text("<save>" + string.Concat(Enumerable.Range(0, 15_000).Select(i => $"<s{i}>0</s{i}>")) + "</save>"), Opens: true, Reads: true),
        new("many-sections.lodrik", RawSave.Packed([.. Enumerable.Range(0, 10_000).Select(i => ($"s{i}", Cbor(i)))]), Opens: true, Reads: true),
        new("bignum-100-kB.lodrik", RawSave.Packed(("number", Bignum(100_000))), Opens: true, Reads: false),
        new("digits-100-kB.json", Text($"{{\"number\":{new string('7', 100_000)}}}"), Opens: true, Reads: false),
        new("digits-100-kB.xml", Text($"<save><number>{new string('7', 100_000)}</number></save>"), Opens: true, Reads: false),
        new("brotli-of-empty-maps.lodrik", Bomb("{}"), Opens: true, Reads: true),
        new("brotli-of-ones.lodrik", Bomb("1"), Opens: true, Reads: true),
        new("nested-100000.json", Text("{\"deep\":" + new string('[', 100_000) + new string(']', 100_000) + "}"), Opens: false, Reads: false),
        new("nested-100000.xml", Text("<save>" + string.Concat(Enumerable.Repeat("<a>", 100_000)) + string.Concat(Enumerable.Repeat("</a>", 100_000)) + "</save>"), Opens: true, Reads: false),
        new("nested-100000.lodrik", RawSave.Packed(("deep", [.. Enumerable.Repeat((byte)0x81, 100_000), 0])), Opens: true, Reads: false),
        new("a-list-of-two-billion.lodrik", RawSave.Packed(("list", [0x9A, 0x7F, 0xFF, 0xFF, 0xFF])), Opens: true, Reads: false),
        new("a-text-of-two-billion.lodrik", RawSave.Packed(("text", [0x7A, 0x7F, 0xFF, 0xFF, 0xFF])), Opens: true, Reads: false),
        new("document-type.xml", Text("<!DOCTYPE save [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;&a;\">]><save><t>&b;&b;</t></save>"), Opens: false, Reads: false),
        new("one-long-text-in-every-row.lodrik", RawSave.Packed(("tree", SameRows(6_000, 8_000))), Opens: true, Reads: true),
        new("marks-of-direction.json", RawSave.Json(UsualHeader, ("log", "\"Evening \\u202E txt.exe \\u2066 \\u001b[2J\"")), Opens: true, Reads: true),
    ];

    private static byte[] Text(string text) => Encoding.UTF8.GetBytes(text);

    private static byte[] Cbor(int number)
    {
        var writer = new CborWriter(CborConformanceMode.Lax);
        writer.WriteInt32(number);
        return writer.Encode();
    }

    private static byte[] Bignum(int bytes)
    {
        var writer = new CborWriter(CborConformanceMode.Lax);
        writer.WriteTag(CborTag.UnsignedBigNum);
        writer.WriteByteString([.. Enumerable.Repeat((byte)0x7F, bytes)]);
        return writer.Encode();
    }

    private static byte[] Scene()
    {
        var writer = new CborWriter(CborConformanceMode.Lax);
        writer.WriteStartMap(2);
        writer.WriteTextString("gone");
        writer.WriteStartArray(1);
        writer.WriteNull();
        writer.WriteEndArray();
        writer.WriteTextString("entities");
        writer.WriteStartMap(1);
        writer.WriteTextString("a");
        writer.WriteStartMap(2);
        writer.WriteTextString("kind");
        writer.WriteStartMap(0);
        writer.WriteEndMap();
        writer.WriteTextString("parent");
        writer.WriteStartArray(0);
        writer.WriteEndArray();
        writer.WriteEndMap();
        writer.WriteEndMap();
        writer.WriteEndMap();
        return writer.Encode();
    }

    /// <summary>A list of a million bytes of the same item, which compresses to some fifteen thousand.</summary>
    private static byte[] Bomb(string item)
    {
        var text = Text("[" + string.Join(',', Enumerable.Repeat(item, 1_200_000 / (item.Length + 1))) + "]");
        using var target = new MemoryStream();
        using (var brotli = new BrotliStream(target, CompressionLevel.Fastest, leaveOpen: true))
        {
            // Flushing costs a few bytes each time: no denser than a reader takes at all.
            for (var at = 0; at < text.Length; at += 2000)
            {
                brotli.Write(text, at, Math.Min(2000, text.Length - at));
                brotli.Flush();
            }
        }
        return RawSave.Compressed([("list", target.ToArray(), text.Length)], SaveForm.Json);
    }

    /// <summary>A table of rows that all have the same long text, as docs/format.md lays tables out.</summary>
    private static byte[] SameRows(int rows, int characters)
    {
        var writer = new CborWriter(CborConformanceMode.Lax);
        writer.WriteTag((CborTag)0x4C44524B);
        // Lists: every length is the number of rows. Objects with one member. Texts through a dictionary of one.
        List(6, () => List(1, () => writer.WriteInt32(rows)), () => List(8, () => writer.WriteTextString("text"), () => List(
            4, () => List(1, () => writer.WriteInt32(0)), () => writer.WriteInt32(1), () => List(
            3, () => List(1, () => writer.WriteInt32(characters)), () => writer.WriteByteString(Text(new string('x', characters)))))));
        return writer.Encode();

        void List(int kind, params Action[] items)
        {
            writer.WriteStartArray(1 + items.Length);
            writer.WriteInt32(kind);
            foreach (var item in items)
                item();
            writer.WriteEndArray();
        }
    }
}

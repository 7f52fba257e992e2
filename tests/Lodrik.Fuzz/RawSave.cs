using System.Buffers.Binary;
using System.Formats.Cbor;
using System.Text;
using Lodrik.Saves.Forms;

namespace Lodrik.Fuzz;

/// <summary>
/// Makes save files from parts that no writer would make, with digests that fit all the same: what somebody makes who knows the format and
/// has no key.
/// </summary>
public static class RawSave
{
    /// <summary>A packed save.</summary>
    /// <param name="header">The header as CBOR; its digest of the table is mended where it is a map with one.</param>
    /// <param name="sections">The sections: name, bytes, and the size once decompressed, or 0.</param>
    /// <param name="table">The section table as CBOR; null for the one that fits.</param>
    public static byte[] Packed(byte[] header, IReadOnlyList<(string Name, byte[] Bytes, int Decompressed)> sections, byte[]? table = null)
    {
        table ??= Table(sections);
        var digest = new byte[SectionDigest.Size];
        BinaryPrimitives.WriteUInt128BigEndian(digest, SectionDigest.Of(header));
        var writer = new CborWriter(CborConformanceMode.Lax);
        writer.WriteTag(CborTag.SelfDescribeCbor);
        writer.WriteStartArray(5 + sections.Count);
        writer.WriteInt32(1);
        writer.WriteByteString(digest);
        writer.WriteByteString(header);
        writer.WriteByteString(table);
        foreach (var (_, bytes, _) in sections)
            writer.WriteByteString(bytes);
        writer.WriteNull();
        writer.WriteEndArray();
        return writer.Encode();
    }

    /// <summary>A packed save of sections, under a header that fits them.</summary>
    public static byte[] Packed(params (string Name, byte[] Bytes)[] sections) =>
        Compressed([.. sections.Select(section => (section.Name, section.Bytes, 0))]);

    /// <summary>A packed save of sections that are compressed, under a header that fits them.</summary>
    public static byte[] Compressed(IReadOnlyList<(string Name, byte[] Bytes, int Decompressed)> sections, SaveForm content = SaveForm.Binary)
    {
        var table = Table(sections);
        return Packed(Header(table, sections.Count, content), sections, table);
    }

    /// <summary>A header in CBOR.</summary>
    public static byte[] Header(byte[] table, int sections, SaveForm content, string game = "")
    {
        var writer = new CborWriter(CborConformanceMode.Lax);
        writer.WriteStartMap(9);
        Entry("format", () => writer.WriteInt32(1));
        Entry("game", () => writer.WriteTextString(game));
        Entry("version", () => writer.WriteInt32(0));
        Entry("save", () => writer.WriteTextString("01900000-0000-7000-8000-000000000001"));
        Entry("saved", () => writer.WriteTextString("2031-01-01T00:00:00Z"));
        Entry("slot", writer.WriteNull);
        Entry("content", () => writer.WriteTextString(content.ToString()));
        Entry("sectionCount", () => writer.WriteInt32(sections));
        Entry("contentsDigest", () => writer.WriteTextString(SectionDigest.ToText(SectionDigest.Of(table))));
        writer.WriteEndMap();
        return writer.Encode();

        void Entry(string key, Action value)
        {
            writer.WriteTextString(key);
            value();
        }
    }

    /// <summary>The table of sections in CBOR.</summary>
    public static byte[] Table(IReadOnlyList<(string Name, byte[] Bytes, int Decompressed)> sections)
    {
        var digest = new byte[SectionDigest.Size];
        var writer = new CborWriter(CborConformanceMode.Lax);
        writer.WriteStartArray(sections.Count);
        foreach (var (name, bytes, decompressed) in sections)
        {
            writer.WriteStartArray(decompressed > 0 ? 4 : 3);
            writer.WriteTextString(name);
            writer.WriteInt32(bytes.Length);
            BinaryPrimitives.WriteUInt128BigEndian(digest, SectionDigest.Of(bytes));
            writer.WriteByteString(digest);
            if (decompressed > 0)
                writer.WriteInt32(decompressed);
            writer.WriteEndArray();
        }
        writer.WriteEndArray();
        return writer.Encode();
    }

    /// <summary>A readable JSON save of sections, with digests that fit.</summary>
    public static byte[] Json(string header, params (string Name, string Content)[] sections)
    {
        var contents = "{" + string.Join(',', sections.Select(section =>
            $"\"{section.Name}\":\"{Encoding.UTF8.GetByteCount(section.Content)} {DigestOf(section.Content)}\"")) + "}";
        header = header.Replace("CONTENTS", DigestOf(contents), StringComparison.Ordinal);
        return Encoding.UTF8.GetBytes($"{{\"lodrik\":{header},\"headerDigest\":\"{DigestOf(header)}\",\"contents\":{contents}"
            + string.Concat(sections.Select(section => $",\"{section.Name}\":{section.Content}")) + "}");
    }

    private static string DigestOf(string text) => SectionDigest.ToText(SectionDigest.Of(Encoding.UTF8.GetBytes(text)));
}

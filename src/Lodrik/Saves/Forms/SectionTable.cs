using System.Buffers.Binary;
using System.Globalization;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>What the table of a save says of one section.</summary>
/// <param name="Name">The section's name.</param>
/// <param name="Size">Its bytes in the file.</param>
/// <param name="Digest">Their digest.</param>
/// <param name="Decompressed">Its size once decompressed; 0 if it is not compressed.</param>
/// <param name="IsEncrypted">Whether it is encrypted.</param>
internal readonly record struct SectionEntry(string Name, int Size, UInt128 Digest, int Decompressed = 0, bool IsEncrypted = false);

/// <summary>
/// The list of a save's sections, after the header. In readable saves it is a map from the name to "size digest", one line
/// each; in packed ones a list of [name, size, digest], with the decompressed size behind where a section is compressed, and
/// after that true if it is encrypted.
/// </summary>
internal static class SectionTable
{
    public static void WriteReadable<TWriter>(ref TWriter writer, IReadOnlyList<SectionEntry> entries)
        where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginObject(entries.Count);
        foreach (var (name, size, digest, _, _) in entries)
        {
            writer.WriteKey(name);
            writer.WriteText(string.Create(CultureInfo.InvariantCulture, $"{size} {SectionDigest.ToText(digest)}"));
        }
        writer.EndObject();
    }

    public static List<SectionEntry> ReadReadable<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
    {
        var entries = new List<SectionEntry>();
        reader.BeginObject();
        while (reader.ReadKey(out var name))
        {
            var text = reader.ReadText();
            var blank = text.IndexOf(' ', StringComparison.Ordinal);
            if (blank < 0
                || !int.TryParse(text.AsSpan(0, blank), NumberStyles.None, CultureInfo.InvariantCulture, out var size)
                || !SectionDigest.TryParse(text.AsSpan(blank + 1), out var digest))
            {
                throw reader.Wrong($"The section {name} should have its size and its digest here.");
            }
            entries.Add(new SectionEntry(name, size, digest));
        }
        return entries;
    }

    public static void WritePacked(ref BinaryStateWriter writer, IReadOnlyList<SectionEntry> entries)
    {
        Span<byte> bytes = stackalloc byte[SectionDigest.Size];
        writer.BeginList(entries.Count);
        foreach (var (name, size, digest, decompressed, isEncrypted) in entries)
        {
            writer.BeginList(isEncrypted ? 5 : decompressed > 0 ? 4 : 3);
            writer.WriteText(name);
            writer.WriteInteger(size);
            BinaryPrimitives.WriteUInt128BigEndian(bytes, digest);
            writer.WriteBytes(bytes);
            if (decompressed > 0 || isEncrypted)
                writer.WriteInteger(decompressed);
            if (isEncrypted)
                writer.WriteBool(true);
            writer.EndList();
        }
        writer.EndList();
    }

    public static List<SectionEntry> ReadPacked(ref BinaryStateReader reader)
    {
        var entries = new List<SectionEntry>();
        reader.BeginList();
        while (reader.NextItem())
        {
            var values = reader.BeginCountedList();
            if (values is not (3 or 4 or 5))
                throw reader.Wrong("A section is described by three to five values.");
            reader.NextItem();
            var name = reader.ReadText();
            reader.NextItem();
            var size = (int)reader.ReadInteger(0, int.MaxValue);
            reader.NextItem();
            var digest = reader.ReadBytes();
            if (digest.Length != SectionDigest.Size)
                throw reader.Wrong($"A digest has {SectionDigest.Size} bytes.");
            var decompressed = reader.NextItem() ? (int)reader.ReadInteger(values == 5 ? 0 : 1, Array.MaxLength) : 0;
            var isEncrypted = values == 5 && reader.NextItem() && reader.ReadBool();
            if (values > 3)
                reader.NextItem();
            entries.Add(new SectionEntry(name, size, BinaryPrimitives.ReadUInt128BigEndian(digest), decompressed, isEncrypted));
        }
        return entries;
    }
}

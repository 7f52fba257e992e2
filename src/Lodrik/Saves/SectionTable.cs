using System.Buffers.Binary;
using System.Globalization;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>What the table of a save says of one section.</summary>
/// <param name="Name">The section's name.</param>
/// <param name="Size">Its bytes in the file.</param>
/// <param name="Digest">Their digest.</param>
internal readonly record struct SectionEntry(string Name, int Size, UInt128 Digest);

/// <summary>
/// The list of a save's sections, behind the header. In readable saves it is a map from the name to "size digest", one line
/// each; in packed ones a list of [name, size, digest].
/// </summary>
internal static class SectionTable
{
    public static void WriteReadable<TWriter>(ref TWriter writer, IReadOnlyList<SectionEntry> entries) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginObject(entries.Count);
        foreach (var (name, size, digest) in entries)
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
        foreach (var (name, size, digest) in entries)
        {
            writer.BeginList(3);
            writer.WriteText(name);
            writer.WriteInteger(size);
            BinaryPrimitives.WriteUInt128BigEndian(bytes, digest);
            writer.WriteBytes(bytes);
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
            if (reader.BeginCountedList() != 3)
                throw reader.Wrong("A section is described by three values.");
            reader.NextItem();
            var name = reader.ReadText();
            reader.NextItem();
            var size = (int)reader.ReadInteger(0, int.MaxValue);
            reader.NextItem();
            var digest = reader.ReadBytes();
            if (digest.Length != SectionDigest.Size)
                throw reader.Wrong($"A digest has {SectionDigest.Size} bytes.");
            reader.NextItem();
            entries.Add(new SectionEntry(name, size, BinaryPrimitives.ReadUInt128BigEndian(digest)));
        }
        return entries;
    }
}

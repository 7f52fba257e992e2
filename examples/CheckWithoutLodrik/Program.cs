using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;
using CheckWithoutLodrik;

// CheckWithoutLodrik [<save> <key.jwk> [context]]: whether a sealed or signed save is as it was written, by docs/protection.md and nothing else.
if (args.Length is 2 or 3)
    return Check(args[0], File.ReadAllBytes(args[0]), Key.Read(args[1]), args.ElementAtOrDefault(2) ?? "") ? 0 : 1;

// Without arguments: the samples beside this program, and what becomes of them when a bit is flipped.
var samples = Path.Combine(AppContext.BaseDirectory, "samples");
var good = true;
foreach (var file in Directory.GetFiles(samples).Where(file => Path.GetExtension(file) is ".json" or ".lodrik").Order())
{
    var (name, key) = (Path.GetFileName(file), Key.Read(Path.Combine(samples, file.Contains("signed", StringComparison.Ordinal) ? "studio.jwk.pub" : "game.jwk")));
    var save = File.ReadAllBytes(file);
    good &= Check(name, save, key, "");
    save[save.Length / 3] ^= 4;
    good &= !Check($"{name}, with one bit flipped", save, key, "");
}
Console.WriteLine(good ? "As expected." : "NOT as expected.");
return good ? 0 : 1;

static bool Check(string name, byte[] save, Key key, string context)
{
    try
    {
        var parts = save[0] == (byte)'{' ? ReadableSave.Open(save, key) : PackedSave.Open(save, key);

        // The seal says which sections there are, in which order, with which digests …
        var sections = parts.Sections.Select(section => (section.Name, Convert.ToHexString(SHA256.HashData(save.AsSpan(section.Offset, section.Length)))));
        var sealedSections = parts.Seal.Sections.Select(section => (section.Name, Convert.ToHexString(section.Digest)));
        if (!sections.SequenceEqual(sealedSections))
            throw new InvalidDataException("A section is not as it was sealed.");

        // … and has a digest of the frame: all other bytes but its own, behind what the save is bound to.
        using var frame = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        var length = new byte[4];
        BinaryPrimitives.WriteInt32BigEndian(length, Encoding.UTF8.GetByteCount(context));
        frame.AppendData(length);
        frame.AppendData(Encoding.UTF8.GetBytes(context));
        var at = 0;
        foreach (var (_, offset, count) in parts.Sections.Append(("", parts.SealOffset, parts.SealLength)))
        {
            frame.AppendData(save, at, offset - at);
            at = offset + count;
        }
        frame.AppendData(save, at, save.Length - at);
        if (!frame.GetHashAndReset().AsSpan().SequenceEqual(parts.Seal.Frame))
            throw new InvalidDataException("The header, or what stands between the sections, is not as it was sealed.");
        Console.WriteLine($"{name}: {(key.IsPublic ? "signed" : "sealed")} by {key.Id}, {parts.Sections.Count} sections");
        return true;
    }
    catch (Exception problem) when (problem is InvalidDataException or FormatException or InvalidOperationException or System.Text.Json.JsonException or System.Formats.Cbor.CborContentException)
    {
        Console.WriteLine($"{name}: refused. {problem.Message}");
        return false;
    }
}

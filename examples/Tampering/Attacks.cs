using System.IO.Hashing;
using System.Text;
using System.Text.RegularExpressions;

namespace Tampering;

/// <summary>What a player does to a save: the bytes that come of it, or null where there is nothing to take hold of.</summary>
/// <param name="save">The save.</param>
/// <param name="older">The one that the slot held before.</param>
internal delegate byte[]? Attack(byte[] save, byte[] older);

internal static partial class Attacks
{
    public static IReadOnlyList<(string Name, Attack Change)> All { get; } =
    [
        ("more oil, with a text editor", (save, _) => Edit(save, text => text.Replace("\"oil\": 6,", "\"oil\": 99,", StringComparison.Ordinal))),
        ("more oil, and every checksum made to fit", (save, _) => MoreOilAndNewChecksums(save)),
        ("a section of an older save", (save, older) => Edit(save, text => Warden().Replace(text, _ => Warden().Match(Encoding.UTF8.GetString(older)).Value, 1))),
        ("a season less, by taking the section out", (save, _) => Edit(save, text => Season().Replace(text, "", 1))),
        ("another time of saving, in the header", (save, _) => Edit(save, text => Saved().Replace(text, "\"saved\": \"2031", 1))),
        ("more oil, and the seal taken off", (save, _) => Encoding.UTF8.GetString(save).Contains("\"seal\"", StringComparison.Ordinal) ? Edit(MoreOilAndNewChecksums(save), text => Seal().Replace(text, "", 1)) : null),
        ("one bit in the middle", (save, _) => FlipBit(save, save.Length / 2)),
        ("the older save in place of the newer one", (_, older) => older),
    ];

    /// <summary>An edit of the text; null where the save is none, or the text is not in it.</summary>
    private static byte[]? Edit(byte[]? save, Func<string, string> edit)
    {
        if (save is null || save[0] != '{')
            return null;
        var text = Encoding.UTF8.GetString(save);
        return edit(text) is var edited && edited != text ? Encoding.UTF8.GetBytes(edited) : null;
    }

    /// <summary>Checksums are no secret: the document on the file format says how they are made.</summary>
    private static byte[]? MoreOilAndNewChecksums(byte[] save) => Edit(Edit(save, text => text.Replace("\"oil\": 6,", "\"oil\": 99,", StringComparison.Ordinal)), text =>
    {
        // The section's value, without the key and the comma around it.
        var warden = Warden().Match(text).Groups["value"].Value;
        text = Listed().Replace(text, $"\"warden\": \"{Encoding.UTF8.GetByteCount(warden)} {Checksum(warden)}\"", 1);
        text = Digest().Replace(text, $"\"contentsDigest\": \"{Checksum(Contents().Match(text).Groups["value"].Value)}\"", 1);
        return HeaderDigest().Replace(text, $"\"headerDigest\": \"{Checksum(Header().Match(text).Groups["value"].Value)}\"", 1);
    });

    private static string Checksum(string text) => Convert.ToHexStringLower(XxHash128.Hash(Encoding.UTF8.GetBytes(text)));

    private static byte[] FlipBit(byte[] save, int at) => [.. save[..at], (byte)(save[at] ^ 1), .. save[(at + 1)..]];

    [GeneratedRegex("\n  \"warden\": (?<value>\\{.*?\n  \\})", RegexOptions.Singleline)]
    private static partial Regex Warden();

    [GeneratedRegex(",\n  \"season\": \\{.*?\n  \\}", RegexOptions.Singleline)]
    private static partial Regex Season();

    [GeneratedRegex("\"saved\": \"\\d{4}")]
    private static partial Regex Saved();

    [GeneratedRegex(",\n  \"seal\": \"[^\"]*\"")]
    private static partial Regex Seal();

    [GeneratedRegex("\"warden\": \"[^\"]*\"")]
    private static partial Regex Listed();

    [GeneratedRegex("\"contentsDigest\": \"[^\"]*\"")]
    private static partial Regex Digest();

    [GeneratedRegex("\"headerDigest\": \"[^\"]*\"")]
    private static partial Regex HeaderDigest();

    [GeneratedRegex("\n  \"lodrik\": (?<value>\\{.*?\n  \\})", RegexOptions.Singleline)]
    private static partial Regex Header();

    [GeneratedRegex("\n  \"contents\": (?<value>\\{.*?\n  \\})", RegexOptions.Singleline)]
    private static partial Regex Contents();
}

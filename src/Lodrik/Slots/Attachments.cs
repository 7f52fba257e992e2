using System.Buffers;
using System.Buffers.Text;
using System.Security.Cryptography;
using Lodrik.State;

namespace Lodrik.Slots;

/// <summary>
/// The files that belong to a save and are kept beside it, such as its picture: <c>slots/evening/00000007.png</c>,
/// <c>slots/evening/00000007.screenshot.png</c>. The save's header has their digests (SHA-256, FIPS 180-4), so that a file that merely has
/// the name is not taken for the save's own. They are written before their save and deleted after it: a save is never without them.
/// </summary>
internal static class Attachments
{
    /// <summary>The name of a save's picture.</summary>
    public const string Picture = "png";

    private static readonly SearchValues<char> Characters = SearchValues.Create("abcdefghijklmnopqrstuvwxyz0123456789-");

    /// <summary>All that a label says is to be kept beside its save.</summary>
    public static IReadOnlyList<KeyValuePair<string, ReadOnlyMemory<byte>>> Of(SaveLabel label) =>
    [
        .. label.Thumbnail.IsEmpty ? [] : new[] { KeyValuePair.Create(Picture, label.Thumbnail) },
        .. label.Attachments,
    ];

    /// <summary>Takes down in a header what belongs to its save.</summary>
    public static void Note(SlotLabel header, IReadOnlyList<KeyValuePair<string, ReadOnlyMemory<byte>>> attachments)
    {
        if (attachments.Count == 0)
            return;
        var digests = new SaveMap();
        foreach (var (name, bytes) in attachments)
            digests[name] = DigestOf(bytes.Span);
        header.Rest[SlotLabel.AttachmentsKey] = digests;
    }

    /// <summary>The names of what belongs to a save.</summary>
    public static IReadOnlyList<string> NamesIn(SaveHeader? header) =>
        [.. header?.Attachments.Where(name => name == Picture || IsName(name)) ?? []];

    /// <summary>Whether bytes are those that belong to a save under a name.</summary>
    public static bool IsOwn(SaveHeader? header, string name, ReadOnlySpan<byte> bytes) =>
        header?.Slot?.AttachmentDigests is { } digests && digests.TryGet(name, out var digest)
        && digest is SaveScalar { Kind: SaveValueKind.Text } text && text.Text == DigestOf(bytes);

    /// <summary>Whether something kept beside a save can have this name: words and an extension.</summary>
    public static bool IsName(string name)
    {
        var dot = name.IndexOf('.', StringComparison.Ordinal);
        return dot > 0 && dot < name.Length - 1 && name.Length <= 64
            && name.AsSpan(0, dot).IndexOfAnyExcept(Characters) < 0 && name.AsSpan(dot + 1).IndexOfAnyExcept(Characters) < 0;
    }

    private static string DigestOf(ReadOnlySpan<byte> bytes) => Base64Url.EncodeToString(SHA256.HashData(bytes));
}

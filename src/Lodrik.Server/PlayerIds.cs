using System.Buffers;

namespace Lodrik.Server;

/// <summary>The ids of players, which are parts of addresses and names of files.</summary>
internal static class PlayerIds
{
    private const int MaxLength = 100;

    private static readonly SearchValues<char> Characters =
        SearchValues.Create("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_.@:");

    public static bool IsValid(string player) => player.Length is > 0 and <= MaxLength && char.IsAsciiLetterOrDigit(player[0])
        && player.AsSpan().IndexOfAnyExcept(Characters) < 0;

    /// <exception cref="ArgumentException">It is not an id.</exception>
    public static void Check(string player)
    {
        ArgumentNullException.ThrowIfNull(player);
        if (!IsValid(player))
            throw new ArgumentException(
                $"\"{player}\" is not a valid player id. Use up to {MaxLength} letters, digits, and - _ . @ :, a letter or digit first.",
                nameof(player));
    }
}

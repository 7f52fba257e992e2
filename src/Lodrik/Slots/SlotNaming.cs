using System.Globalization;

namespace Lodrik.Slots;

/// <summary>Which slot somebody means by what was typed, and names that no slot has.</summary>
internal static class SlotNaming
{
    /// <summary>The slot that is called so, by the player, by its title or by its own name; null if there is none.</summary>
    public static SlotSummary? Meant(IEnumerable<SlotSummary> slots, string typed)
    {
        var named = slots.Where(slot => !slot.Slot.IsRing).ToList();
        var name = SlotName.FromTitle(typed);
        return named.Find(slot => AreAlike(typed, slot.Name))
            ?? named.Find(slot => slot.Name.Length == 0 && AreAlike(typed, slot.Title))
            ?? named.Find(slot => AreAlike(typed, slot.Slot.ToString()))
            ?? named.Find(slot => slot.Slot == name && name != SlotName.FromTitle("")
                && (slot.Name.Length == 0 || SlotName.FromTitle(slot.Name) == name));
    }

    /// <summary>A slot name that no slot has: the one that is wanted, or that with a number.</summary>
    public static SlotName Free(IEnumerable<SlotName> slots, SlotName wanted)
    {
        var taken = slots.Select(slot => slot.ToString()).ToHashSet(StringComparer.OrdinalIgnoreCase);
        if (!taken.Contains(wanted.ToString()))
            return wanted;
        var start = wanted.ToString();
        if (start.Length > SlotName.MaxLength - 6)
            start = start[..(SlotName.MaxLength - 6)].TrimEnd('-');
        for (var number = 2; ; number++)
        {
            if (!taken.Contains($"{start}-{number}"))
                return new SlotName($"{start}-{number}");
        }
    }

    /// <summary>What a player could call a slot so that it is taken for no other one: what is wanted, or that with a number.</summary>
    public static string FreeTitle(IReadOnlyList<SlotSummary> slots, string wanted)
    {
        if (Meant(slots, wanted) is null)
            return wanted;
        // The copy of a copy has the next number, and not two of them.
        var (start, number) = (wanted, 2);
        if (wanted.LastIndexOf(" (", StringComparison.Ordinal) is > 0 and var at && wanted[^1] == ')'
            && int.TryParse(wanted.AsSpan(at + 2, wanted.Length - at - 3), NumberStyles.None, CultureInfo.InvariantCulture, out var last)
            && last < int.MaxValue)
            (start, number) = (wanted[..at], last + 1);
        if (start.Length > SaveLabel.MaxNameLength - 13)
            start = start[..(SaveLabel.MaxNameLength - 13)];
        for (; ; number++)
        {
            if (Meant(slots, $"{start} ({number})") is null)
                return $"{start} ({number})";
        }
    }

    private static bool AreAlike(string typed, string title) =>
        title.Length > 0 && string.Equals(typed.Trim(), title.Trim(), StringComparison.OrdinalIgnoreCase);
}

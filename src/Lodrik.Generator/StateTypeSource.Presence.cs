namespace Lodrik.Generator;

/// <summary>Types that know which of their members they have.</summary>
internal sealed partial class StateTypeSource
{
    private const string Presence = "HasMembers";

    /// <summary>The expression that says whether a value has a member.</summary>
    public static string Has(string value, int member) => $"({value}.{Presence}{member / 64} & {1UL << (member % 64)}UL) != 0";

    /// <summary>The statement after which a value has all members.</summary>
    public static IEnumerable<string> HasAll(string value, int members)
    {
        for (var word = 0; word * 64 < members; word++)
            yield return $"{value}.{Presence}{word} = {All(word, members)}UL;";
    }

    private static ulong All(int word, int members) => members - word * 64 >= 64 ? ulong.MaxValue : (1UL << (members - word * 64)) - 1;

    private IEnumerable<string> PresenceFields()
    {
        for (var word = 0; word * 64 < model.Members.Count; word++)
            yield return Presence + word;
    }

    private void WritePresenceFields()
    {
        foreach (var field in PresenceFields())
            Line($"public ulong {field};");
        foreach (var member in model.Members)
            Line($"public {member.TypeName} {Name(member)};");
        Line();
    }

    /// <summary>Notes that a value has a member, once it has been read.</summary>
    private void WriteHas(int member, string target)
    {
        if (!model.HasPresence)
            return;
        var one = model.Members[member];
        // Null if the type says that there is none counts as absent.
        if (one.IsNeverNull)
            Line($"if ({target}.{Name(one)} is not null)");
        Line($"{(one.IsNeverNull ? "    " : "")}{target}.{Presence}{member / 64} |= {1UL << (member % 64)}UL;");
    }

    /// <summary>The accessors of a class whose members are saved straight from it.</summary>
    public string WriteAccess()
    {
        WriteAccessors();
        return _text.ToString();
    }
}

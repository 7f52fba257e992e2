namespace Lodrik.Generator;

/// <summary>Objects whose constructor has to be given what was saved.</summary>
internal sealed partial class StateTypeSource
{
    /// <summary>
    /// Whether reading creates the object once it has what the constructor takes. A struct is there from the beginning, and is made anew
    /// when all of it has been read.
    /// </summary>
    private bool CreatesFromValues => model is { IsReferenceType: true, Creation.TakesValues: true };

    private string CreateFromValues => model.Creation.With(one => one.Member < 0 ? one.Default : $"value{one.Member}");

    /// <summary>The members that the constructor takes, with what they are where they were not saved.</summary>
    private IEnumerable<(MemberModel Member, int Index, string Initial)> TakenMembers() => model.Creation.Parameters
        .Where(one => one.Member >= 0)
        .GroupBy(one => one.Member)
        .Select(group => (model.Members[group.Key], group.Key, group.First().Default));

    private string CreateLike(string value, Func<MemberModel, string> member) => model.Creation.With(one =>
        one.Member < 0 ? one.Default : member(model.Members[one.Member]).Replace("{0}", value));

    /// <summary>After all members were read: the object is there, and has them, whatever its constructor made of them.</summary>
    private void WriteCreating()
    {
        if (!model.Creation.TakesValues)
            return;
        if (!model.IsReferenceType)
        {
            Line("value = Recreate(ref value);");
            return;
        }
        Line($"value ??= {CreateFromValues};");
        Line("if (isLate)");
        Line("    value = Recreate(value);");
        Open("if (isNew)");
        foreach (var (member, i, _) in TakenMembers())
        {
            Line($"if (seen.Has({i}))");
            _depth++;
            WriteMemberAssignment(member, $"value{i}", "value");
            _depth--;
        }
        Close();
    }

    /// <summary>An object with the same members, whose constructor was given them.</summary>
    private void WriteRecreating()
    {
        if (!model.Creation.TakesValues)
            return;
        Line();
        Line("/// <summary>The same members in an object whose constructor was given them.</summary>");
        Open($"private static {model.TypeName} Recreate({(model.IsReferenceType ? "" : "ref ")}{model.TypeName} old)");
        Line($"var made = {CreateLike("old", member => $"{{0}}.{Name(member)}")};");
        foreach (var member in model.Members)
            WriteMemberAssignment(member, $"old.{Name(member)}", "made");
        if (model.UnknownMember is not null)
            Line($"global::Lodrik.State.StateTypes.CopyUnknown(old.{model.UnknownMember}, made.{model.UnknownMember});");
        Line("return made;");
        Close();
    }
}

namespace Lodrik.Generator;

/// <summary>Objects whose constructor has to be given what was saved.</summary>
internal sealed partial class StateTypeSource
{
    /// <summary>
    /// Whether reading creates the object once it has what the constructor takes. A struct is there from the beginning, and is made again
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
        Open("if (isLate)");
        Line("// Other members came before those that the constructor takes: it is called again, now with all of them.");
        Line("var early = value;");
        Line($"value = {CreateFromValues};");
        foreach (var (member, i) in OtherMembers())
        {
            Open($"if (seen.Has({i}))");
            WriteMemberReading(
                member,
                one => $"member = global::Lodrik.State.StateTypes.MoveInto<TReader, {one.TypeName}, {one.Codec}>"
                    + $"(ref reader, early.{Name(one)}, member);");
            Close();
        }
        Close();
        Line($"value ??= {CreateFromValues};");
        if (model.UnknownMember is not null)
        {
            Line($"value.{model.UnknownMember}.Clear();");
            Line($"global::Lodrik.State.StateTypes.CopyUnknown(unknown, value.{model.UnknownMember});");
        }
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

    /// <summary>The members that the constructor does not take.</summary>
    private IEnumerable<(MemberModel Member, int Index)> OtherMembers() =>
        model.Members.Select((member, i) => (member, i)).Where(one => TakenMembers().All(taken => taken.Index != one.i))
            .Where(one => LateMembers().All(late => late.Index != one.i));

    /// <summary>What makes an object while not all is known that its constructor takes.</summary>
    private void WriteRecreating()
    {
        if (CreatesFromValues)
            WriteCreatingEarly();
        else if (model.Creation.TakesValues)
            WriteRecreatingStruct();
    }

    private void WriteCreatingEarly()
    {
        if (!OtherMembers().Any())
            return;
        Line();
        Line("/// <summary>An object for what comes before the values that the constructor takes.</summary>");
        Open($"private static {model.TypeName} CreateEarly("
            + string.Join(", ", TakenMembers().Select(one => $"{one.Member.TypeName} value{one.Index}")) + ", ref bool isLate)");
        Open("try");
        Line($"return {CreateFromValues};");
        Close();
        Open("catch (global::System.Exception)");
        Line("isLate = true;");
        Line($"var placeholder = ({model.TypeName})global::System.Runtime.CompilerServices.RuntimeHelpers.GetUninitializedObject("
            + $"typeof({model.TypeName}));");
        Line("global::System.GC.SuppressFinalize(placeholder);");
        Line("return placeholder;");
        Close();
        Close();
    }

    private void WriteRecreatingStruct()
    {
        Line();
        Line("/// <summary>The same members in a value whose constructor was given them.</summary>");
        Open($"private static {model.TypeName} Recreate(ref {model.TypeName} old)");
        Line($"var made = {CreateLike("old", member => $"{{0}}.{Name(member)}")};");
        foreach (var member in model.Members)
            WriteMemberAssignment(member, $"old.{Name(member)}", "made");
        if (model.UnknownMember is not null)
            Line($"global::Lodrik.State.StateTypes.CopyUnknown(old.{model.UnknownMember}, made.{model.UnknownMember});");
        Line("return made;");
        Close();
    }
}

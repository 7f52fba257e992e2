namespace Lodrik.Generator;

/// <summary>Reading the members of an object, one after the other as the file has them.</summary>
internal sealed partial class StateTypeSource
{
    private void WriteReading()
    {
        Open($"public static void Read<TReader>(ref TReader reader, ref {model.TypeName} value) {Reader}");
        if (model.IsReferenceType)
        {
            Open("if (reader.TryReadNull())");
            Line("value = null;");
            Line("return;");
            Close();
            if (!CreatesFromValues)
                Line($"value ??= {model.Creation.Initial};");
        }
        if (model.Hooks.HasFlag(Hooks.Validated))
            Line("var start = reader.Mark();");
        if (model.UnknownMember is not null)
            Line(CreatesFromValues
                ? "var unknown = new global::Lodrik.State.SaveMap();"
                : $"value.{model.UnknownMember}.Clear();");
        if (CreatesFromValues)
        {
            Line("var isNew = value is null;");
            Line("var isLate = false;");
            foreach (var (member, i, initial) in TakenMembers())
                Line($"{member.TypeName} value{i} = {initial};");
        }
        foreach (var (member, i) in LateMembers())
        {
            Line($"{member.TypeName} late{i} = default;");
            Line($"var at{i} = 0L;");
        }
        Line("reader.BeginObject();");
        Line("var key = -1;");
        Line("var seen = default(global::Lodrik.State.SeenKeys);");
        Open("while (reader.ReadKey(Keys, ref key))");
        Line("seen.Note(ref reader, Keys, key);");
        Open("switch (key)");
        for (var i = 0; i < model.Members.Count; i++)
        {
            Line($"case {i}: // {model.Members[i].Key}");
            Open("");
            WriteCase(i);
            Line("break;");
            Close();
        }
        Line("default:");
        var unknown = CreatesFromValues ? "unknown" : $"value.{model.UnknownMember}";
        Line(model.UnknownMember is null
            ? "    global::Lodrik.State.StateTypes.SkipUnknown(ref reader);"
            : $"    global::Lodrik.State.StateTypes.ReadUnknown(ref reader, {unknown});");
        Line("    break;");
        Close();
        Close();
        WriteCreating();
        foreach (var (member, i) in LateMembers())
        {
            Line($"if (seen.Has({i}))");
            Open("");
            Open("try");
            WriteMemberAssignment(member, $"late{i}", "value");
            Close();
            Open("catch (global::System.Exception problem)");
            Line($"throw global::Lodrik.State.StateTypes.NotTaken(ref reader, at{i}, problem);");
            Close();
            Close();
        }
        for (var i = 0; i < model.Members.Count; i++)
        {
            if (model.Members[i].IsRequired)
                Line($"seen.Require(ref reader, Keys, {i});");
        }
        if (model.Hooks.HasFlag(Hooks.Validated))
            Line("global::Lodrik.State.StateTypes.Validate(ref reader, start, value);");
        if (model.Hooks.HasFlag(Hooks.AfterLoading))
            Line("global::Lodrik.State.StateTypes.AfterLoading(ref value);");
        Close();
    }

    /// <summary>Reads a member into the object. A value for the constructor goes into a variable where the object is a new one.</summary>
    private void WriteCase(int i)
    {
        var member = model.Members[i];
        var isTaken = CreatesFromValues && TakenMembers().Any(one => one.Index == i);
        if (isTaken)
        {
            Open("if (isNew)");
            Line($"{member.Codec}.Read(ref reader, ref value{i});");
            if (member.IsNeverNull)
                Line($"value{i} ??= {TakenMembers().First(one => one.Index == i).Initial};");
            Line("isLate |= value is not null;");
            Line("break;");
            Close();
        }
        else if (CreatesFromValues)
        {
            Line($"value ??= CreateEarly({string.Join(", ", TakenMembers().Select(one => $"value{one.Index}"))}, ref isLate);");
        }
        if (!LateMembers().Any(one => one.Index == i))
        {
            WriteMemberReading(member, one => $"{one.Codec}.Read(ref reader, ref member);");
            WriteHas(i, "value");
            return;
        }
        Line($"at{i} = reader.Mark();");
        Line($"late{i} = value.{Name(member)};");
        if (member.IsNeverNull)
            Line($"var initial = late{i};");
        Line($"{member.Codec}.Read(ref reader, ref late{i});");
        if (member.IsNeverNull)
            Line($"late{i} ??= initial;");
    }

    /// <summary>
    /// The members whose setters do something of their own. They are set when all has been read, in the order of the members
    /// and not in that
    /// of the file.
    /// </summary>
    private IEnumerable<(MemberModel Member, int Index)> LateMembers()
    {
        var late = model.Members.Select((member, i) => (Member: member, Index: i)).Where(one =>
            one.Member.HasOwnSetter && one.Member.Setting is Setting.Setter or Setting.Assign
            && !(CreatesFromValues && TakenMembers().Any(taken => taken.Index == one.Index)));
        return late;
    }

    private void WriteMemberReading(MemberModel member, System.Func<MemberModel, string> read, string target = "value")
    {
        var byRef = model.IsReferenceType ? "" : "ref ";
        switch (member.Setting)
        {
            case Setting.BackingField or Setting.ReadOnlyField:
                Line($"ref var member = ref {member.Access}{member.Name}Of({byRef}{target});");
                break;
            case Setting.Field:
                Line($"ref var member = ref {target}.{Name(member)};");
                break;
            default:
                Line($"var member = {target}.{Name(member)};");
                break;
        }
        // Null if the type says that there is none counts as absent: the initial value stays.
        if (member.IsNeverNull)
            Line("var initial = member;");
        Line(read(member));
        if (member.IsNeverNull)
            Line("member ??= initial;");
        if (member.Setting is Setting.Setter or Setting.Assign)
            WriteMemberAssignment(member, "member", target);
    }

    /// <summary>Gives a member a value that is there, without reading the one that it has.</summary>
    private void WriteMemberAssignment(MemberModel member, string value, string target)
    {
        var byRef = model.IsReferenceType ? "" : "ref ";
        Line(member.Setting switch
        {
            Setting.BackingField or Setting.ReadOnlyField => $"{member.Access}{member.Name}Of({byRef}{target}) = {value};",
            Setting.Setter => $"{member.Access}Set{member.Name}({byRef}{target}, {value});",
            _ => $"{target}.{Name(member)} = {value};",
        });
    }

    /// <summary>
    /// Accessors may have no type parameters but those of the type that has the member, so they are in a class of that type. Those of
    /// derived types call it as well.
    /// </summary>
    private void WriteAccessors()
    {
        var members = model.Members.Where(member => member.Access == MemberModel.OwnAccess
            && (member.HasPrivateSetter || member.Setting is Setting.Setter or Setting.BackingField or Setting.ReadOnlyField)).ToList();
        var hidden = model.ChecksType && !IsRoot ? model.Members.Where(member => member.IsHidden).Select(member => member.Name).ToList()
            : [];
        if (members.Count == 0 && hidden.Count == 0)
            return;
        Line();
        Line("/// <summary>Reaches members that are not set by plain assignment.</summary>");
        Line("[global::System.ComponentModel.EditorBrowsable(global::System.ComponentModel.EditorBrowsableState.Never)]");
        Line(Marks);
        Open($"{(model.ChecksType && !IsRoot ? "protected" : "private")} static class {MemberModel.AccessName}");
        if (hidden.Count > 0)
        {
            Line("/// <summary>What is saved and a derived type in another assembly does not see.</summary>");
            Line($"public const string {HiddenName} = {Quote(string.Join(" ", hidden))};");
            if (members.Count > 0)
                Line();
        }
        foreach (var member in members)
        {
            if (member != members[0])
                Line();
            WriteAccessor(member);
        }
        Close();
    }

    private void WriteAccessor(MemberModel member)
    {
        var owner = model.IsReferenceType ? member.Owner : $"ref {member.Owner}";
        const string Kind = "global::System.Runtime.CompilerServices.UnsafeAccessor";
        if (member.Setting is Setting.Setter or Setting.Assign)
        {
            Line($"[{Kind}({Kind}Kind.Method, Name = \"set_{member.Name}\")]");
            Line($"public static extern void Set{member.Name}({owner} owner, {member.TypeName} member);");
        }
        else
        {
            Line($"[{Kind}({Kind}Kind.Field, Name = "
                + $"\"{(member.Setting == Setting.BackingField ? $"<{member.Name}>k__BackingField" : member.Name)}\")]");
            Line($"public static extern ref {member.TypeName} {member.Name}Of({owner} owner);");
        }
    }
}

namespace Lodrik.Generator;

/// <summary>Copies, and comparison by content.</summary>
internal sealed partial class StateTypeSource
{
    private void WriteMembersCopying(string name)
    {
        Line();
        var copied = model.IsReferenceType ? model.TypeName : $"ref {model.TypeName}";
        Open(
            $"public static {model.TypeName} Copy({model.TypeName} value, {model.TypeName} into, "
                + "global::Lodrik.State.CopyContext context)");
        if (model.IsReferenceType)
        {
            Line("if (value is null)");
            Line("    return null;");
            Line("global::Lodrik.State.StateTypes.EnsureStack();");
        }
        if (model.ChecksType)
            Line($"global::Lodrik.State.StateTypes.EnsureDeclared(value, typeof({model.TypeName}));");
        if (model.IsReferenceType)
        {
            // A constructor that takes values gets copies of them.
            var creation = CreatesFromValues
                ? CreateLike("value", member =>
                    $"global::Lodrik.State.StateTypes.Copy<{member.TypeName}, {member.Codec}>({{0}}.{Name(member)}, default, context)")
                : model.Creation.Initial;
            Line($"var copy = ReferenceEquals(into, value) ? {creation} : into ?? {creation};");
            Line("CopyMembers(value, copy, context);");
            Line("return copy;");
        }
        else
        {
            Line("CopyMembers(value, ref into, context);");
            Line($"return {(model.Creation.TakesValues ? "Recreate(ref into)" : "into")};");
        }
        Close();
        Line();
        Line("/// <summary>Gives the copy copies of the members.</summary>");
        Open($"public static void CopyMembers({model.TypeName} value, {copied} copy, global::Lodrik.State.CopyContext context)");
        if (model.Hooks.HasFlag(Hooks.BeforeSaving))
            Line("global::Lodrik.State.StateTypes.BeforeSaving(ref value);");
        foreach (var member in model.Members)
        {
            Open("");
            WriteMemberReading(member, one => Copy(one, "value"), "copy");
            Close();
        }
        if (model.HasPresence)
        {
            foreach (var field in PresenceFields())
                Line($"copy.{field} = value.{field};");
        }
        if (model.UnknownMember is not null)
            Line($"global::Lodrik.State.StateTypes.CopyUnknown(value.{model.UnknownMember}, copy.{model.UnknownMember});");
        if (model.Hooks.HasFlag(Hooks.AfterLoading))
            Line("global::Lodrik.State.StateTypes.AfterLoading(ref copy);");
        Close();
        Line();
        Open($"public static bool AreEqual({model.TypeName} one, {model.TypeName} other, global::Lodrik.State.CompareContext context)");
        if (model.IsReferenceType)
        {
            Line("if (one is null || other is null || ReferenceEquals(one, other))");
            Line("    return ReferenceEquals(one, other);");
            Line("global::Lodrik.State.StateTypes.EnsureStack();");
        }
        var conditions = model.Members.Select(member => AreEqual(member)).ToList();
        if (model.UnknownMember is not null)
            conditions.Add($"Equals(one.{model.UnknownMember}, other.{model.UnknownMember})");
        if (model.HasPresence)
            conditions.InsertRange(0, PresenceFields().Select(field => $"one.{field} == other.{field}"));
        if (conditions.Count == 0)
        {
            Line("return true;");
        }
        else
        {
            for (var i = 0; i < conditions.Count; i++)
                Line($"{(i == 0 ? "return " : "    && ")}{conditions[i]}{(i == conditions.Count - 1 ? ";" : "")}");
        }
        Close();
        if (name != ContentCodecName)
            return;
        Line();
        Line($"public static {model.TypeName} Create<TReader>(ref TReader reader) {Reader} => {model.Creation.Initial};");
        Line();
        Line($"public static {model.TypeName} CreateLike({model.TypeName} value) => {model.Creation.Initial};");
    }

    private void WriteVariantsCopying(string name)
    {
        Line();
        Open(
            $"public static {model.TypeName} Copy({model.TypeName} value, {model.TypeName} into, "
                + "global::Lodrik.State.CopyContext context)");
        Line("if (value is null)");
        Line("    return null;");
        WriteVariantChoice(
            "value",
            variant => $"return {CodecOf(variant)}.Copy(({variant.TypeName})value, {Like(variant, "into")}, context);",
            unknown =>
            {
                Line($"var copy = new {unknown}();");
                Line($"global::Lodrik.State.StateTypes.CopyUnknownVariant(({unknown})value, copy);");
                Line("return copy;");
            });
        Close();
        Line();
        Open($"public static bool AreEqual({model.TypeName} one, {model.TypeName} other, global::Lodrik.State.CompareContext context)");
        Line("if (one is null || other is null || one.GetType() != other.GetType())");
        Line("    return ReferenceEquals(one, other);");
        WriteVariantChoice(
            "one",
            variant => $"return {CodecOf(variant)}.AreEqual(({variant.TypeName})one, ({variant.TypeName})other, context);",
            unknown => Line($"return global::Lodrik.State.StateTypes.AreEqualUnknownVariants(({unknown})one, ({unknown})other);"));
        Close();
        if (name != ContentCodecName)
            return;
        Line();
        Open($"public static {model.TypeName} Create<TReader>(ref TReader reader) {Reader}");
        Open(
            $"switch (global::Lodrik.State.StateTypes.{(model.UnknownVariant is null ? "BeginVariant" : "BeginAnyVariant")}(ref reader, "
                + $"typeof({model.TypeName}), Variants))");
        for (var i = 0; i < model.Variants.Count; i++)
        {
            Line($"case {i}:");
            Line($"    return {CreationOf(model.Variants[i])};");
        }
        Line("default:");
        Line(model.UnknownVariant is null ? "    return null;" : $"    return new {model.UnknownVariant}();");
        Close();
        Close();
        Line();
        Open($"public static {model.TypeName} CreateLike({model.TypeName} value)");
        WriteVariantChoice("value", variant => $"return {CreationOf(variant)};", unknown => Line($"return new {unknown}();"));
        Close();
        Line();
        Open($"public static void CopyMembers({model.TypeName} value, {model.TypeName} copy, global::Lodrik.State.CopyContext context)");
        WriteVariantChoice(
            "value",
            variant => $"{CodecOf(variant)}.CopyMembers(({variant.TypeName})value, ({variant.TypeName})copy, context);",
            unknown => Line($"global::Lodrik.State.StateTypes.CopyUnknownVariant(({unknown})value, ({unknown})copy);"));
        Close();
    }

    /// <summary>A new object of a variant, made by its own type, which knows its constructor.</summary>
    private string CreationOf(VariantModel variant) =>
        variant.IsSelf ? model.Creation.Initial : $"global::Lodrik.State.StateTypes.Create<{variant.TypeName}>()";

    /// <summary>A statement for each variant, chosen by the object's type.</summary>
    private void WriteVariantChoice(string value, Func<VariantModel, string> statement, Action<string> writeUnknown)
    {
        for (var i = 0; i < model.Variants.Count; i++)
        {
            Line($"{(i > 0 ? "else " : "")}if ({value}.GetType() == typeof({model.Variants[i].TypeName}))");
            Line($"    {statement(model.Variants[i])}");
        }
        if (model.UnknownVariant is { } unknown)
        {
            Open($"else if ({value}.GetType() == typeof({unknown}))");
            writeUnknown(unknown);
            Close();
        }
        Line("else");
        Line($"    throw global::Lodrik.State.StateTypes.NoVariant({value}, typeof({model.TypeName}), Variants);");
    }

    private void WriteRootCopying(string self)
    {
        Line(Marks);
        Open(
            $"static {model.TypeName} {self}.CopyState({model.TypeName} state, {model.TypeName} into, "
                + "global::Lodrik.State.CopyContext context)");
        foreach (var member in model.Members)
        {
            Open("");
            WriteMemberReading(
                member,
                one => one.Codec.Length > 0
                    ? Copy(one, "state")
                    : $"global::Lodrik.State.StateContent.CopyGroup(state.{Name(one)}, member ??= new {one.TypeName}());",
                "into");
            Close();
        }
        Line("return into;");
        Close();
        Line();
        Line(Marks);
        Line(
            $"static bool {self}.AreEqualStates({model.TypeName} one, {model.TypeName} other, global::Lodrik.State.CompareContext context) "
                + "=>");
        var conditions = model.Members.Select(member => member.Codec.Length == 0
            ? $"global::Lodrik.State.StateContent.AreEqualGroups(one.{Name(member)}, other.{Name(member)})"
            : AreEqual(member)).ToList();
        Line($"    {(conditions.Count == 0 ? "true" : string.Join(" && ", conditions))};");
    }

    private static string Copy(MemberModel member, string owner) =>
        $"member = global::Lodrik.State.StateTypes.Copy<{member.TypeName}, {member.Codec}>({owner}.{Name(member)}, member, context);";

    /// <summary>An object as the variant's type; the initial value, which is null of a class, if it is another.</summary>
    private static string Like(VariantModel variant, string value) =>
        $"{value}?.GetType() == typeof({variant.TypeName}) ? ({variant.TypeName}){value} : "
            + (variant.IsStruct ? $"{CodecOf(variant)}.Initial" : "null");

    private static string AreEqual(MemberModel member) =>
        $"global::Lodrik.State.StateTypes.AreEqual<{member.TypeName}, {member.Codec}>(one.{Name(member)}, other.{Name(member)}, context)";
}

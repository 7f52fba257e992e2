namespace Lodrik.Generator;

/// <summary>Many objects at once, member by member.</summary>
internal sealed partial class StateTypeSource
{
    /// <summary>Whether many objects can be written and read at once: nothing happens around each of them.</summary>
    private bool HasRows => model.Members.Count is > 0 and <= 64 && model.UnknownMember is null && model.Hooks == Hooks.None;

    private void WriteRowsWriting()
    {
        Open(
            $"public static bool TryWriteRows<TRows>(ref TRows rows, global::System.ReadOnlySpan<{model.TypeName}> items) where TRows : "
                + "global::Lodrik.State.IRowWriter, allows ref struct");
        if (model.HasPresence)
        {
            Open("foreach (ref readonly var one in items)");
            var differences = PresenceFields().Select((field, word) => $"one.{field} != {All(word, model.Members.Count)}UL");
            Line($"if ({string.Join(" || ", differences)})");
            Line("    return false;");
            Close();
        }
        var look = !model.IsReferenceType ? ""
            : $"!global::Lodrik.State.StateTypes.{(model.ChecksType ? "AreDeclared" : "AreThere")}(items) || ";
        Line($"if ({look}!rows.TryBeginRows(Rows, items.Length))");
        Line("    return false;");
        foreach (var (member, i, sort) in RowMembers())
        {
            Open("");
            var type = sort == "Text" ? "string" : member.TypeName;
            Line(sort is "Other" or "Text"
                ? $"var values = rows.RentValues<{type}>(items.Length);"
                : $"var values = rows.{sort}Rows({i});");
            Line("for (var i = 0; i < items.Length; i++)");
            Line($"    values[i] = items[i].{Name(member)};");
            if (sort == "Text")
                Line($"rows.WriteTextRows({i}, values);");
            else if (sort == "Other")
                Line($"rows.WriteRows<{type}, {member.Codec}>({i}, values);");
            Close();
        }
        Line("rows.EndRows();");
        Line("return true;");
        Close();
    }

    private void WriteRowsReading()
    {
        Open(
            $"public static bool TryReadRows<TRows>(ref TRows rows, global::System.Span<{model.TypeName}> items) where TRows : "
                + "global::Lodrik.State.IRowReader, allows ref struct");
        if (CreatesFromValues)
        {
            Line("// What is there already has its values from its own constructor.");
            Line($"if (!global::Lodrik.State.StateTypes.AreNull<{model.TypeName}>(items))");
            Line("    return false;");
        }
        Line("if (!rows.TryBeginRows(Rows, items.Length))");
        Line("    return false;");
        if (CreatesFromValues)
        {
            WriteRowsCreating();
        }
        else if (model.IsReferenceType)
        {
            Line("for (var i = 0; i < items.Length; i++)");
            Line($"    items[i] ??= {model.Creation.Initial};");
        }
        foreach (var (member, i, sort) in RowMembers())
        {
            if (CreatesFromValues && TakenMembers().Any(one => one.Index == i))
                continue;
            Open("");
            if (sort == "Text")
            {
                Line($"var texts = rows.TextRows({i});");
                Open("if (!texts.IsEmpty)");
                Open("for (var i = 0; i < items.Length; i++)");
                if (member.IsNeverNull)
                    Open("if (texts[i] is { } text)");
                WriteRowAssignment(member, i, member.IsNeverNull ? "text" : "texts[i]");
                if (member.IsNeverNull)
                    Close();
                Close();
                Close();
                Open($"else if (rows.HasRows({i}))");
            }
            Line($"var values = rows.RentValues<{member.TypeName}>(items.Length);");
            if (sort is "Other" or "Text")
            {
                Line("for (var i = 0; i < items.Length; i++)");
                Line($"    values[i] = items[i].{Name(member)};");
            }
            Open($"if (rows.ReadRows<{member.TypeName}, {member.Codec}>({i}, values))");
            Open("for (var i = 0; i < items.Length; i++)");
            WriteRowAssignment(member, i, member.IsNeverNull ? $"values[i] ?? items[i].{Name(member)}" : "values[i]");
            Close();
            Close();
            Line("rows.ReturnValues(values);");
            if (sort == "Text")
                Close();
            Close();
        }
        if (model is { IsReferenceType: false, Creation.TakesValues: true })
        {
            Line("foreach (ref var item in items)");
            Line("    item = Recreate(ref item);");
        }
        Line("rows.EndRows();");
        Line("return true;");
        Close();
    }

    private void WriteRowAssignment(MemberModel member, int i, string value)
    {
        WriteMemberAssignment(member, value, "items[i]");
        WriteHas(i, "items[i]");
    }

    /// <summary>New objects for the rows; what their constructor takes is read before.</summary>
    private void WriteRowsCreating()
    {
        var taken = TakenMembers().ToList();
        foreach (var (member, i, initial) in taken)
        {
            Line($"var values{i} = rows.RentValues<{member.TypeName}>(items.Length);");
            Line("for (var i = 0; i < items.Length; i++)");
            Line($"    values{i}[i] = {initial};");
            Line($"var has{i} = rows.ReadRows<{member.TypeName}, {member.Codec}>({i}, values{i});");
        }
        Open("for (var i = 0; i < items.Length; i++)");
        foreach (var (member, i, initial) in taken)
        {
            if (member.IsNeverNull)
                Line($"values{i}[i] ??= {initial};");
        }
        Line($"items[i] = {model.Creation.With(one => one.Member < 0 ? one.Default : $"values{one.Member}[i]")};");
        foreach (var (member, i, _) in taken)
        {
            Line($"if (has{i})");
            _depth++;
            WriteMemberAssignment(member, $"values{i}[i]", "items[i]");
            _depth--;
        }
        Close();
        taken.Reverse();
        foreach (var (_, i, _) in taken)
            Line($"rows.ReturnValues(values{i});");
    }

    /// <summary>Many objects at once, the objects of each variant together.</summary>
    private void WriteVariantRows()
    {
        Line();
        Open(
            $"public static bool TryWriteRows<TRows>(ref TRows rows, global::System.ReadOnlySpan<{model.TypeName}> items) where TRows : "
                + "global::Lodrik.State.IRowWriter, allows ref struct");
        Line("var numbers = rows.RentValues<short>(items.Length);");
        Line("for (var i = 0; i < items.Length; i++)");
        Line("    numbers[i] = NumberOf(items[i]);");
        Open("if (global::System.MemoryExtensions.Contains(numbers, (short)-1) || !rows.TryBeginVariants(Variants, numbers))");
        Line("rows.ReturnValues(numbers);");
        Line("return false;");
        Close();
        ForEachVariant((variant, i) =>
        {
            Line($"var objects = rows.RentValues<{variant.TypeName}>(count);");
            Line("for (int i = 0, next = 0; next < count; i++)");
            _depth++;
            Open($"if (numbers[i] == {i})");
            Line($"objects[next++] = ({variant.TypeName})items[i];");
            Close();
            _depth--;
            Line($"rows.WriteVariant<{variant.TypeName}, {CodecOf(variant)}>(Variants, {i}, objects);");
        });
        Line("rows.EndVariants();");
        Line("rows.ReturnValues(numbers);");
        Line("return true;");
        Close();
        Line();
        Open(
            $"public static bool TryReadRows<TRows>(ref TRows rows, global::System.Span<{model.TypeName}> items) where TRows : "
                + "global::Lodrik.State.IRowReader, allows ref struct");
        Line("var numbers = rows.RentValues<short>(items.Length);");
        Open(
            $"if (!global::Lodrik.State.StateTypes.AreNull<{model.TypeName}>(items) || !rows.TryBeginVariants(Variants, numbers))");
        Line("rows.ReturnValues(numbers);");
        Line("return false;");
        Close();
        ForEachVariant((variant, i) =>
        {
            Line($"var objects = rows.RentValues<{variant.TypeName}>(count);");
            Line("objects.Clear();");
            Line($"rows.ReadVariant<{variant.TypeName}, {CodecOf(variant)}>(Variants, {i}, objects);");
            Line("for (int i = 0, next = 0; next < count; i++)");
            _depth++;
            Open($"if (numbers[i] == {i})");
            Line("items[i] = objects[next++];");
            Close();
            _depth--;
            Line("rows.ReturnValues(objects);");
        });
        Line("rows.EndVariants();");
        Line("rows.ReturnValues(numbers);");
        Line("return true;");
        Close();
        Line();
        Line("/// <summary>The number of an object's variant; -1 for none of them.</summary>");
        Open($"private static short NumberOf({model.TypeName} item)");
        Line("var type = item?.GetType();");
        for (var i = 0; i < model.Variants.Count; i++)
        {
            Line($"if (type == typeof({model.Variants[i].TypeName}))");
            Line($"    return {i};");
        }
        Line("return -1;");
        Close();
    }

    private void ForEachVariant(Action<VariantModel, int> write)
    {
        for (var i = 0; i < model.Variants.Count; i++)
        {
            Open("");
            Line($"var count = global::System.MemoryExtensions.Count(numbers, (short){i});");
            Open("if (count > 0)");
            write(model.Variants[i], i);
            Close();
            Close();
        }
    }

    private IEnumerable<(MemberModel Member, int Index, string Sort)> RowMembers() =>
        model.Members.Select((member, i) => (member, i, RowSort(member)));

    /// <summary>How a member's values are handed over when many objects go at once, by the codec that it has.</summary>
    private static string RowSort(MemberModel member)
    {
        var codec = member.Codec.Substring(TypeCodecs.StateNamespace.Length > member.Codec.Length ? 0 : TypeCodecs.StateNamespace.Length);
        return codec switch
        {
            "BoolCodec" => "Bool",
            "SingleCodec" => "Single",
            "DoubleCodec" => "Double",
            "TextCodec" => "Text",
            _ when codec.StartsWith("IntegerCodec<", StringComparison.Ordinal) => "Integer",
            _ => "Other",
        };
    }
}

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
        Line(model.IsReferenceType
            ? "if (!global::Lodrik.State.StateTypes.AreDeclared(items) || !rows.TryBeginRows(Rows, items.Length))"
            : "if (!rows.TryBeginRows(Rows, items.Length))");
        Line("    return false;");
        foreach (var (member, i, sort) in RowMembers())
        {
            if (sort is not ("Other" or "Text"))
                Line($"var column{i} = rows.{sort}Rows({i});");
        }
        Open("for (var i = 0; i < items.Length; i++)");
        Line("var item = items[i];");
        foreach (var (member, i, sort) in RowMembers())
        {
            if (sort == "Text")
            {
                Line($"rows.WriteTextRow({i}, item.{Name(member)});");
            }
            else if (sort != "Other")
            {
                Line($"column{i}[i] = item.{Name(member)};");
            }
            else
            {
                Line($"rows.AtRow({i});");
                Line($"{member.Codec}.Write(ref rows, item.{Name(member)});");
            }
        }
        Close();
        Line("rows.EndRows();");
        Line("return true;");
        Close();
    }

    private void WriteRowsReading()
    {
        Open(
            $"public static bool TryReadRows<TRows>(ref TRows rows, global::System.Span<{model.TypeName}> items) where TRows : "
                + "global::Lodrik.State.IRowReader, allows ref struct");
        Line("if (!rows.TryBeginRows(Rows, items.Length))");
        Line("    return false;");
        foreach (var (member, i, sort) in RowMembers())
        {
            if (sort == "Integer")
                Line($"var column{i} = rows.IntegerRows({i}, {member.TypeName}.MinValue, {member.TypeName}.MaxValue);");
            else if (sort != "Other")
                Line($"var column{i} = rows.{sort}Rows({i});");
        }
        Open("for (var i = 0; i < items.Length; i++)");
        WriteRowCreating();
        foreach (var (member, i, sort) in RowMembers())
        {
            if (CreatesFromValues && TakenMembers().Any(one => one.Index == i))
                continue;
            if (sort != "Other")
            {
                Open(member.IsNeverNull ? $"if (!column{i}.IsEmpty && column{i}[i] is not null)" : $"if (!column{i}.IsEmpty)");
                WriteMemberAssignment(
                    member, sort == "Integer" && member.TypeName != "long" ? $"({member.TypeName})column{i}[i]" : $"column{i}[i]", "item");
                WriteHas(i, "item");
                Close();
            }
            Open(sort == "Other" ? $"if (rows.AtRow({i}))"
                : member.IsNeverNull ? $"else if (column{i}.IsEmpty && rows.AtRow({i}))"
                : $"else if (rows.AtRow({i}))");
            WriteMemberReading(member, one => $"{one.Codec}.Read(ref rows, ref member);", "item");
            WriteHas(i, "item");
            Close();
        }
        Line($"items[i] = {(model is { IsReferenceType: false, Creation.TakesValues: true } ? "Recreate(ref item)" : "item")};");
        Close();
        Line("rows.EndRows();");
        Line("return true;");
        Close();
    }

    /// <summary>A new object for a row; what its constructor takes is read before.</summary>
    private void WriteRowCreating()
    {
        if (!CreatesFromValues)
        {
            Line($"var item = {model.Creation.Initial};");
            return;
        }
        foreach (var (member, i, initial) in TakenMembers())
        {
            var sort = RowSort(member);
            Line($"{member.TypeName} value{i} = {initial};");
            Line($"var has{i} = {(sort == "Other" ? "" : $"!column{i}.IsEmpty || ")}rows.AtRow({i});");
            if (sort != "Other")
            {
                Line($"if (!column{i}.IsEmpty)");
                Line($"    value{i} = {(sort == "Integer" && member.TypeName != "long" ? $"({member.TypeName})" : "")}column{i}[i];");
            }
            Line($"{(sort == "Other" ? "" : "else ")}if (has{i})");
            Line($"    {member.Codec}.Read(ref rows, ref value{i});");
            if (member.IsNeverNull)
                Line($"value{i} ??= {initial};");
        }
        Line($"var item = {CreateFromValues};");
        foreach (var (member, i, _) in TakenMembers())
        {
            Line($"if (has{i})");
            _depth++;
            WriteMemberAssignment(member, $"value{i}", "item");
            _depth--;
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

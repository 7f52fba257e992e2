namespace Lodrik.Generator;

// What makes a type the root of a file: its sections.
internal sealed partial class StateTypeSource
{
    private void WriteSectionNames()
    {
        Line("/// <summary>The names of this save's sections, for loading only some of them.</summary>");
        Open("public static class Sections");
        foreach (var member in model.Members)
        {
            Line(
                $"/// <summary>The section{(member.Codec.Length == 0 ? "s" : "")} of <see "
                    + $"cref=\"{model.TypeName}.{Name(member)}\"/>.</summary>");
            Line($"public const string {member.Name.TrimStart('_')} = {Quote(SectionName(member))};");
        }
        foreach (var name in model.RefusedMembers)
            Line($"public const string {name.TrimStart('_')} = \"\";");
        Close();
        Line();
    }

    private void WriteRoot()
    {
        const string Contract = "global::Lodrik.State.IStateRoot";
        var self = $"{Contract}<{model.TypeName}>";
        if (model.Root is { } root)
        {
            var sections = string.Join(", ", model.Members.Select(member => Quote(SectionName(member))));
            Line($"static global::Lodrik.State.StateRoot {self}.Root {{ get; }} = new({Quote(root.Game)}, {root.Version}, [{sections}], "
                + $"{DigestName});");
        }
        else
        {
            Line($"static global::Lodrik.State.StateRoot {self}.Root => global::Lodrik.State.StateRoot.Single;");
        }
        Line();
        Line(Marks);
        Line($"static {model.TypeName} {self}.CreateState() => {model.Creation.Initial};");
        if (model is { IsReferenceType: true, Creation.TakesValues: true })
        {
            Line();
            Line("// The constructor is given what was saved, so reading creates the object.");
            Line(Marks);
            Line($"static {model.TypeName} {self}.BeginReading() => null;");
        }
        Line();
        if (IsRoot)
        {
            WriteRootCopying(self);
        }
        else
        {
            Line(Marks);
            Line(
                $"static {model.TypeName} {self}.CopyState({model.TypeName} state, {model.TypeName} into, "
                    + $"global::Lodrik.State.CopyContext context) => {TypeCodecs.CodecName}.Copy(state, into, context);");
            Line();
            Line(Marks);
            Line(
                $"static bool {self}.AreEqualStates({model.TypeName} one, {model.TypeName} other, global::Lodrik.State.CompareContext "
                    + $"context) => {TypeCodecs.CodecName}.AreEqual(one, other, context);");
        }
        Line();
        Line(Marks);
        Open($"static void {self}.VisitSections<TVisitor>(ref TVisitor visitor)");
        foreach (var (type, codec) in IsRoot
            ? model.Members.Where(member => member.Codec.Length > 0).Select(member => (member.TypeName, member.Codec))
            : [(model.TypeName, TypeCodecs.CodecName)])
            Line($"visitor.VisitSection<{type}, {codec}>();");
        Close();
        Line();
        Line(Marks);
        Open($"static void {self}.WriteSections<TSections>(ref TSections sections, {model.TypeName} state)");
        if (IsRoot)
        {
            foreach (var member in model.Members)
                Line(member.Codec.Length == 0
                    ? $"sections.WriteGroup({Quote(member.Key)}, state.{Name(member)});"
                    : $"sections.Write<{member.TypeName}, {member.Codec}>({Quote(member.Key)}, state.{Name(member)});");
        }
        else
        {
            Line($"sections.Write<{model.TypeName}, {TypeCodecs.CodecName}>(global::Lodrik.State.StateRoot.SingleSection, state);");
        }
        Close();
        Line();
        Line(Marks);
        Open($"static void {self}.ReadSections<TSections>(ref TSections sections, ref {model.TypeName} state)");
        if (IsRoot)
        {
            foreach (var member in model.Members)
            {
                Open("");
                WriteMemberReading(
                    member,
                    one => one.Codec.Length == 0
                        ? $"sections.ReadGroup({Quote(one.Key)}, member ??= new {one.TypeName}());"
                        : $"sections.Read<{one.TypeName}, {one.Codec}>({Quote(one.Key)}, ref member);",
                    "state");
                Close();
            }
        }
        else
        {
            Line($"sections.Read<{model.TypeName}, {TypeCodecs.CodecName}>(global::Lodrik.State.StateRoot.SingleSection, ref state);");
        }
        Close();
        if (IsRoot)
        {
            return;
        }
        Line();
        Line(Marks);
        Line(
            $"static void {Interface}.WriteState<TWriter>(ref TWriter writer, {model.TypeName} state) => {TypeCodecs.CodecName}.Write(ref "
                + "writer, state);");
        Line();
        Line(Marks);
        Line(
            $"static void {Interface}.ReadState<TReader>(ref TReader reader, ref {model.TypeName} state) => "
                + $"{TypeCodecs.CodecName}.Read(ref reader, ref state);");
    }

    private static string SectionName(MemberModel member) => member.Codec.Length == 0 ? member.Key + "/" : member.Key;
}

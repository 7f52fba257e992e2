namespace Lodrik.Generator;

// The codec of a base type: which variant it is, and what that one holds.
internal sealed partial class StateTypeSource
{
    /// <summary>A codec that writes an object under the name of its variant, as a map of one entry.</summary>
    private void WriteVariantsCodec(string name)
    {
        Line("/// <summary>Writes and reads objects of this type's variants, each under its name.</summary>");
        Line("[global::System.ComponentModel.EditorBrowsable(global::System.ComponentModel.EditorBrowsableState.Never)]");
        Line(Marks);
        Open($"public {(model.HidesCodec ? "new " : "")}readonly struct {name}{Parameters} : {CodecInterface(name)}{Constraints}");
        Line(
            "private static readonly global::Lodrik.State.KeyTable Variants = "
                + $"new({string.Join(", ", model.Variants.Select(variant => Quote(variant.Name)))});");
        Line();
        Line("public static bool HasColumns => true;");
        Line();
        WriteVisiting(model.Variants.Select(variant => $"visitor.Visit<{variant.TypeName}, {CodecOf(variant)}>();"));
        Open($"public static void Write<TWriter>(ref TWriter writer, {model.TypeName} value) {Writer}");
        Open("if (value is null)");
        Line("writer.WriteNull();");
        Line("return;");
        Close();
        Line("writer.BeginObject(1);");
        for (var i = 0; i < model.Variants.Count; i++)
        {
            var variant = model.Variants[i];
            Open($"{(i > 0 ? "else " : "")}if (value.GetType() == typeof({variant.TypeName}))");
            Line($"writer.WriteKey(Variants, {i});");
            Line($"{CodecOf(variant)}.Write(ref writer, ({variant.TypeName})value);");
            Close();
        }
        if (model.UnknownVariant is not null)
        {
            Open($"else if (value.GetType() == typeof({model.UnknownVariant}))");
            Line($"global::Lodrik.State.StateTypes.WriteUnknownVariant(ref writer, ({model.UnknownVariant})value, Variants);");
            Close();
        }
        Open("else");
        Line($"throw global::Lodrik.State.StateTypes.NoVariant(value, typeof({model.TypeName}), Variants);");
        Close();
        Line("writer.EndObject();");
        Close();
        Line();
        Open($"public static void Read<TReader>(ref TReader reader, ref {model.TypeName} value) {Reader}");
        Open("if (reader.TryReadNull())");
        Line("value = null;");
        Line("return;");
        Close();
        Open(
            $"switch (global::Lodrik.State.StateTypes.{(model.UnknownVariant is null ? "BeginVariant" : "BeginAnyVariant")}(ref reader, "
                + $"typeof({model.TypeName}), Variants))");
        if (model.UnknownVariant is { } unknown)
        {
            Line("case -1:");
            Open("");
            Line($"var variant = value?.GetType() == typeof({unknown}) ? ({unknown})value : new {unknown}();");
            Line("global::Lodrik.State.StateTypes.ReadUnknownVariant(ref reader, ref variant);");
            Line("value = variant;");
            Line("break;");
            Close();
        }
        for (var i = 0; i < model.Variants.Count; i++)
        {
            var variant = model.Variants[i];
            Line($"case {i}: // {variant.Name}");
            Open("");
            Line($"var variant = {Like(variant, "value")};");
            Line($"{CodecOf(variant)}.Read(ref reader, ref variant);");
            Line("value = variant;");
            Line("break;");
            Close();
        }
        Close();
        Line($"global::Lodrik.State.StateTypes.EndVariant(ref reader, typeof({model.TypeName}), Variants);");
        Close();
        WriteVariantRows();
        WriteVariantsCopying(name);
        Close();
        Line();
    }

    private static string CodecOf(VariantModel variant) => variant.IsSelf ? OwnCodecName : variant.Codec;

    private void WriteVariantNames()
    {
        Line("/// <summary>The names of its variants in the save.</summary>");
        Open("public static class Variants");
        foreach (var line in EntitySource.Constants(model.VariantNames, "Variants"))
            Line(line);
        Close();
        Line();
    }
}

using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

// Structs that the game does not own, whose fields are saved.
internal sealed partial class ModelReader
{
    /// <summary>
    /// What has to be generated for the structs that an assembly names with [SaveFields]; nothing for those that are refused.
    /// </summary>
    public static IEnumerable<StateModel> ReadFields(IAssemblySymbol assembly)
    {
        var codecs = TypeCodecs.Of(assembly);
        foreach (var type in SavedFields.Of(assembly).Select(one => one.Type).OfType<INamedTypeSymbol>()
            .Distinct<INamedTypeSymbol>(SymbolEqualityComparer.Default))
        {
            if (type is { TypeKind: TypeKind.Struct, IsRefLikeType: false, IsGenericType: false })
                yield return OfFields(type, codecs);
        }
    }

    private static StateModel OfFields(INamedTypeSymbol type, TypeCodecs codecs)
    {
        var name = TypeCodecs.Name(type);
        var members = (SavedFields.Members(type) ?? []).Select(one => (one.Symbol, one.Type, Codec: codecs.Find(one.Type, out _, out _)))
            // What cannot be saved was reported; the rest gets its code, so that no other error follows.
            .Where(one => one.Codec is not null)
            .Select(one => new MemberModel(one.Symbol.Name, CamelCase(one.Symbol.Name), TypeCodecs.Name(one.Type), one.Codec!,
                one.Symbol switch
                {
                    IFieldSymbol { IsReadOnly: true } => Setting.ReadOnlyField,
                    IFieldSymbol => Setting.Field,
                    _ => Setting.BackingField,
                },
                name, IsRequired: false));
        return new StateModel(
            $"Lodrik.State.{SavedFields.CodecName(type)}.g.cs", "Lodrik.State", new EquatableList<string>([]), "",
            SavedFields.CodecName(type), name, IsReferenceType: false, ChecksType: false, SavedParameters: new EquatableList<string>([]),
            HidesCodec: false, new CreationModel(name, new EquatableList<ParameterModel>([]), "", TakesValues: false), Root: null,
            new EquatableList<MemberModel>([.. members]), new EquatableList<VariantModel>([]), UnknownMember: null, UnknownVariant: null,
            IsShared: false, Hooks.None, Shape: null, new EquatableList<string>([]), new EquatableList<string>([]), CanBeExtended: true,
            IsOnlyBase: false,
            new EquatableList<DiagnosticModel>([]));
    }
}

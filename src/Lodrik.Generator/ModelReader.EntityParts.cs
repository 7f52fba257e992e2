using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

// The parts of entities and their rows.
internal sealed partial class ModelReader
{
    private void AddSaved(ISymbol symbol, MemberModel member, string part, string? putBy)
    {
        var memberType = TypeOf(symbol)!;
        var rowCodec = codecs.Find(memberType, out _, out _)!;
        var isPlain = TypeCodecs.IsScalar(memberType) || IsPlainNullable(memberType);
        // What an object has from its constructor on may have made more of it than the member itself, such as a body in the physics.
        var isConstant = member.Setting is Setting.BackingField or Setting.ReadOnlyField
            && (isPlain || memberType.IsValueType || IsImmutable(memberType));
        var isFixed = putBy is null && _sort is not (DeclaredSort.Component or DeclaredSort.Scene)
            && (isConstant || symbol is IPropertySymbol { SetMethod.IsInitOnly: true });
        var initial = isFixed || putBy is not null ? null : InitialOf(symbol, memberType);
        _saved.Add((part, new SavedMember(member, rowCodec, isPlain, isFixed, initial, putBy)));
        _symbols[member.Name] = symbol;
        _shape.Add(new ShapeMember(
            member.Key, symbol.Name, memberType, IsRequired: false, 0, IgnoresCase(symbol), member.FormerKeys is { } former ? former : []));
        CheckOwnSetter(symbol, member);
    }

    private void CheckOwnSetter(ISymbol symbol, MemberModel member)
    {
        if (member.IsRequired && symbol is IPropertySymbol { SetMethod: null })
            Problem(Diagnostics.BadEntity, symbol, symbol.Name, "it is required and has no setter.");
    }

    private static bool IsPlainNullable(ITypeSymbol type) =>
        type is INamedTypeSymbol { OriginalDefinition.SpecialType: SpecialType.System_Nullable_T } nullable
        && TypeCodecs.IsScalar(nullable.TypeArguments[0]);

    /// <summary>Whether what a member has can only be replaced as a whole.</summary>
    private static bool IsImmutable(ITypeSymbol type) => type.ContainingNamespace?.ToDisplayString()
            is "System.Collections.Immutable" or "System.Collections.Frozen"
        || type.OriginalDefinition.ToDisplayString() is "System.Collections.Generic.IReadOnlyList<T>"
            or "System.Collections.Generic.IReadOnlyCollection<T>" or "System.Collections.Generic.IEnumerable<T>"
            or "System.Collections.Generic.IReadOnlyDictionary<TKey, TValue>" or "System.Collections.Generic.IReadOnlySet<T>";

    private List<PartModel> ReadParts()
    {
        var rules = OwnOwners().SelectMany(one => one.GetAttributes())
            .Where(one => one.AttributeClass?.ToDisplayString() == Scenes + "PartRuleAttribute")
            .GroupBy(one => one.ConstructorArguments[0].Value as string ?? "").ToDictionary(one => one.Key, one => one.Last());
        var parts = new List<PartModel>();
        foreach (var group in _saved.GroupBy(one => one.Part))
        {
            var name = group.Key;
            if (name.Length == 0)
                Problem(Diagnostics.BadEntity, type, type.Name, "a part of it has no name.");
            rules.TryGetValue(name, out var rule);
            rules.Remove(name);
            var members = group.Select(one => one.Member).OrderBy(one => one.Member.Order).ToList();
            foreach (var twice in members.GroupBy(one => one.Member.Key).Where(one => one.Count() > 1))
                Problem(Diagnostics.DoubleKey, _symbols[twice.Last().Member.Name], twice.First().Member.Name, twice.Last().Member.Name,
                    twice.Key);
            var row = StructName(char.ToUpperInvariant(name.Length > 0 ? name[0] : '_')
                + string.Concat(name.Skip(1).Select(c => char.IsLetterOrDigit(c) ? c : '_')), "Row");
            parts.Add(new PartModel(name, row, RowModel(row, members), new EquatableList<SavedMember>(members),
                rule is null ? null : ReadWhen(rule), rule is not null && Named(rule, "OnlyIfChanged") is true));
        }
        foreach (var rule in rules.Values.Where(_ => _sort != DeclaredSort.Base))
            Problem(Diagnostics.BadEntity, type, type.Name,
                $"[PartRule] is about \"{rule.ConstructorArguments[0].Value}\", and it has no member in such a part.");
        if (_sort == DeclaredSort.Component && parts.Count == 0)
            parts.Add(new PartModel(OwnPart, StructName(type.Name, "Row"), RowModel(type.Name + "Row", []),
                new EquatableList<SavedMember>([]), null, false));
        return parts;
    }

    private string? ReadWhen(AttributeData rule)
    {
        if (Named(rule, "When") is not string name)
            return null;
        switch (Member(name))
        {
            case IPropertySymbol { Type.SpecialType: SpecialType.System_Boolean }
                or IFieldSymbol { Type.SpecialType: SpecialType.System_Boolean }:
                return "entity." + Escaped(name);
            case IMethodSymbol { ReturnType.SpecialType: SpecialType.System_Boolean, Parameters.Length: 0 }:
                return "entity." + Escaped(name) + "()";
            default:
                Problem(Diagnostics.BadEntity, type, type.Name,
                    $"[PartRule] names '{name}', which is neither a bool member nor a method without parameters that returns one.");
                return null;
        }
    }

    /// <summary>No two parts or references may have one name.</summary>
    private void CheckNames(List<PartModel> parts)
    {
        var names = new HashSet<string>();
        foreach (var name in parts.Select(part => part.Name).Concat(_links.Where(link => link.Name.Length > 0).Select(link => link.Name)))
        {
            if (!names.Add(name))
                Problem(Diagnostics.BadEntity, type, type.Name,
                    $"\"{name}\" is the name of two of its parts and references. Give one another name.");
        }
        // The kind of an object does not say its class, so a member of a derived class says in which part it is.
        if (_sort == DeclaredSort.Derived && parts.FirstOrDefault(part => part.Name == StatePart) is { } part)
            Problem(Diagnostics.BadEntity, type, type.Name,
                $"the kind of one does not say its class, so '{part.Members[0].Member.Name}' needs a part of "
                + "its own. Mark the class with [Part(\"…\")].");
    }

    private StateModel RowModel(string row, IReadOnlyList<SavedMember> members)
    {
        var name = $"{TypeCodecs.Name(type)}.{CodeName}.{row}";
        var fields = members.Select(one => one.Member with
        {
            Codec = one.RowCodec,
            Setting = Setting.Field,
            Owner = name,
            IsRequired = false,
            HasOwnSetter = false,
            Access = MemberModel.OwnAccess,
            HasPrivateSetter = false,
            IsHidden = false,
        }).ToList();
        return new StateModel(
            HintName().Replace(".State.g.cs", $".{row}.g.cs"), Namespace,
            new EquatableList<string>([.. Containers(), Declaration(type), $"partial class {CodeName}"]),
            $"internal partial struct {row}", row, name,
            IsReferenceType: false, ChecksType: false, SavedParameters: new EquatableList<string>([]), HidesCodec: false,
            new CreationModel(name, new EquatableList<ParameterModel>([]), "", TakesValues: false), Root: null,
            new EquatableList<MemberModel>(fields), new EquatableList<VariantModel>([]), UnknownMember: null, UnknownVariant: null,
            IsShared: false, Hooks.None, Shape: null, new EquatableList<string>(FindShadowedNames(fields)), new EquatableList<string>([]),
            CanBeExtended(type), IsOnlyBase: false, new EquatableList<DiagnosticModel>([]))
        { HasPresence = true };
    }

    /// <summary>What the class has accessors for.</summary>
    private StateModel AccessModel()
    {
        var members = _saved.Where(one => one.Member.PutBy is null && !one.Member.IsFixed).Select(one => one.Member.Member)
            .Concat(_links.Where(link => link.PutBy is null).Select(link => link.Member)).ToList();
        return RowModel("", []) with
        {
            TypeName = TypeCodecs.Name(type),
            IsReferenceType = true,
            ChecksType = !type.IsSealed,
            Members = new EquatableList<MemberModel>(members),
            HasPresence = false,
        };
    }

    private IEnumerable<BoundShape> DescribeParts(List<PartModel> parts)
    {
        var shapes = new TypeShapes(codecs);
        var members = _shape.ToDictionary(one => one.Name, one => one);
        var result = new List<(string Name, string Shape)>();
        foreach (var part in parts)
        {
            var all = part.Members.Where(one => members.ContainsKey(one.Member.Name)).Select(one => members[one.Member.Name]).ToList();
            var name = $"{TypeShapes.NameOf(type)}.{part.Name}";
            shapes.Add(name, all);
            result.Add((part.Name, name));
        }
        result.AddRange(_links.Where(link => link.Name.Length > 0)
            .Select(link => (link.Name, link.Sort == LinkSort.Many ? "list<reference>" : "reference?")));
        var described = new EquatableList<string>([.. shapes.Described.Select(one => $"{TypeShapes.Quote(one.Key)}: {one.Value}")]);
        return result.Select(one => new BoundShape("kinds", "", one.Name, one.Shape, described));
    }
}

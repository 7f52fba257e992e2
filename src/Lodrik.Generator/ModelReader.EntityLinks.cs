using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

// What entities refer to, what they belong to, and what they have of a base that is not the game's own.
internal sealed partial class ModelReader
{
    private void ReadLink(ISymbol symbol, INamedTypeSymbol owner, ITypeSymbol memberType, ITypeSymbol? item)
    {
        if (item is null)
        {
            if (HasNoSetter(symbol))
            {
                Problem(Diagnostics.BadEntity, symbol, symbol.Name,
                    "it refers to an entity and cannot be set. Give it a setter, or mark it with [NotSaved].");
                return;
            }
            AddLink(LinkSort.One, symbol, owner, TypeCodecs.Name(memberType), LinkShape.Filled, CanBeNull(memberType),
                InitialOf(symbol, memberType) is "null");
            return;
        }
        var isFilled = memberType is not IArrayTypeSymbol && Implements(memberType, "System.Collections.Generic.ICollection<T>")
            && MapOf((INamedTypeSymbol)memberType) is null;
        var isAssigned = !isFilled && !HasNoSetter(symbol) && (memberType is IArrayTypeSymbol || memberType.TypeKind == TypeKind.Interface)
            && !(memberType is INamedTypeSymbol map && MapOf(map) is not null);
        if (!isFilled && !isAssigned)
        {
            Problem(Diagnostics.BadEntity, symbol, symbol.Name,
                "it has entities, and references can be put into a list, a set or another collection with Add, or into an array with a "
                    + "setter. Use one of these, or mark it with [NotSaved].");
            return;
        }
        var shape = isFilled ? LinkShape.Filled : LinkShape.Assigned;
        AddLink(LinkSort.Many, symbol, owner, TypeCodecs.Name(item), shape, CanBeNull(memberType), hasInitial: true);
    }

    private static bool HasNoSetter(ISymbol symbol) =>
        symbol is IPropertySymbol { SetMethod: null or { IsInitOnly: true } } or IFieldSymbol { IsReadOnly: true } && !HasAccessor(symbol);

    /// <summary>Whether a base in another assembly has an accessor for a member: its private setters cannot be seen.</summary>
    private static bool HasAccessor(ISymbol symbol) =>
        IsElsewhere(symbol) && AccessOf(symbol.ContainingType)?.GetMembers("Set" + symbol.Name).IsEmpty == false;

    private void AddLink(
        LinkSort sort, ISymbol symbol, INamedTypeSymbol owner, string target, LinkShape shape, bool canBeNull, bool hasInitial)
    {
        var key = Attribute(symbol, "Lodrik.SavedAttribute")?.ConstructorArguments.FirstOrDefault().Value as string
            ?? CamelCase(symbol.Name);
        _links.Add(new LinkModel(sort, key, StructName(symbol.Name, "Link"), Reached(symbol, owner), target, shape, canBeNull, hasInitial));
    }

    /// <summary>How a member is reached that is not a state.</summary>
    private MemberModel Reached(ISymbol symbol, INamedTypeSymbol owner)
    {
        var isBase = !SymbolEqualityComparer.Default.Equals(owner, type);
        var setter = (symbol as IPropertySymbol)?.SetMethod;
        var isHidden = isBase && (setter?.DeclaredAccessibility == Accessibility.Private || HasAccessor(symbol));
        var access = isHidden && IsEntityType(owner) ? $"{TypeCodecs.Name(owner)}.{MemberModel.OwnAccess}" : MemberModel.OwnAccess;
        return new MemberModel(symbol.Name, CamelCase(symbol.Name), TypeCodecs.Name(TypeOf(symbol)!), "",
            isHidden || setter?.IsInitOnly == true ? Setting.Setter : symbol is IFieldSymbol ? Setting.Field : Setting.Assign,
            TypeCodecs.Name(owner), IsRequired: false, Access: access, HasPrivateSetter: setter is not null && IsHidden(setter));
    }

    private void ReadParent(ISymbol symbol, INamedTypeSymbol owner, ITypeSymbol memberType)
    {
        if (!IsEntityType(memberType))
            Problem(Diagnostics.BadEntity, symbol, symbol.Name,
                $"it is a '{TypeCodecs.Plain(memberType)}', and an entity belongs to one entity. "
                + "Give it the type of a class that is marked with [EntityType].");
        else if (_links.Exists(link => link.Sort is LinkSort.Parent or LinkSort.InheritedParent))
            Problem(Diagnostics.BadEntity, symbol, type.Name,
                $"it has two parents; '{symbol.Name}' is the second. Leave [Parent] to one of them.");
        else if (HasNoSetter(symbol))
            Problem(Diagnostics.BadEntity, symbol, symbol.Name,
                "it refers to an entity and cannot be set. Give it a setter, or mark it with [NotSaved].");
        else
            _links.Add(new LinkModel(
                LinkSort.Parent, "", StructName(symbol.Name, "Parent"), Reached(symbol, owner), TypeCodecs.Name(memberType),
                LinkShape.Filled,
                CanBeNull(memberType), HasInitial: true));
    }

    /// <summary>What is said of members of a base that is not the game's own.</summary>
    private void ReadInherited()
    {
        foreach (var attribute in OwnOwners().SelectMany(one => one.GetAttributes())
            .Where(one => one.AttributeClass?.ToDisplayString() == Scenes + "InheritedAttribute"))
        {
            var part = Named(attribute, "Part") as string ?? StatePart;
            var putBy = Named(attribute, "PutBy") as string;
            var sort = Named(attribute, "As") as int? ?? 0;
            foreach (var name in attribute.ConstructorArguments.SelectMany(one => one.Kind == TypedConstantKind.Array ? one.Values : [one])
                .Select(one => one.Value as string ?? ""))
                ReadInherited(name, part, putBy, sort);
        }
    }

    private void ReadInherited(string name, string part, string? putBy, int sort)
    {
        if (Member(name) is not { } symbol || TypeOf(symbol) is not { } memberType || symbol.DeclaredAccessibility == Accessibility.Private)
        {
            Problem(Diagnostics.BadEntity, type, type.Name, $"[Inherited] names '{name}', and no base of it has such a member.");
            return;
        }
        if (putBy is not null && !Above(type).Prepend(type).SelectMany(one => one.GetMembers(putBy)).Any())
        {
            Problem(Diagnostics.BadEntity, type, type.Name, $"[Inherited] names '{putBy}' to put '{name}', and it has no such member.");
            return;
        }
        var isMethod = putBy is not null
            && Above(type).Prepend(type).SelectMany(one => one.GetMembers(putBy)).FirstOrDefault() is IMethodSymbol;
        if (sort == 2)
        {
            _gone = Escaped(name);
            return;
        }
        var owner = symbol.ContainingType;
        var member = new MemberModel(symbol.Name, CamelCase(symbol.Name), TypeCodecs.Name(memberType), "",
            symbol is IFieldSymbol ? Setting.Field : Setting.Assign, TypeCodecs.Name(owner), IsRequired: false, IsNeverNull(memberType));
        var put = putBy is null ? null : isMethod ? Escaped(putBy) + "({0})" : Escaped(putBy) + " = {0}";
        var hasSetter = symbol is IFieldSymbol { IsReadOnly: false }
            or IPropertySymbol
        {
            SetMethod: { IsInitOnly: false, DeclaredAccessibility: not (Accessibility.Private or Accessibility.Internal) },
        };
        if (put is null && !hasSetter)
        {
            Problem(Diagnostics.BadEntity, type, $"{owner.Name}.{name}",
                "it has no setter that can be called. Name a method that puts it with PutBy.");
            return;
        }
        if (sort == 1)
        {
            if (_links.Exists(link => link.Sort is LinkSort.Parent or LinkSort.InheritedParent))
                Problem(Diagnostics.BadEntity, type, type.Name, $"it has two parents; '{name}' is the second.");
            else
                _links.Add(new LinkModel(LinkSort.InheritedParent, "", StructName(name, "Parent"), member, TypeCodecs.Name(memberType),
                    LinkShape.Filled, CanBeNull: true, HasInitial: true, put ?? $"{Escaped(name)} = {{0}}"));
            return;
        }
        if (codecs.Find(memberType, out var reason, out var remedy) is not { } codec)
        {
            Problem(Diagnostics.CannotBeSaved, type, $"{owner.Name}.{name}", reason, remedy);
            return;
        }
        AddSaved(symbol, member with { Codec = codec }, part, put);
    }
}

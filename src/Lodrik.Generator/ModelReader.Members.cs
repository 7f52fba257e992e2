using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

// Which members of a type are saved, and how each is reached.
internal sealed partial class ModelReader
{
    private List<MemberModel> ReadMembers(bool isRoot)
    {
        var members = new List<MemberModel>();
        var byKey = new Dictionary<string, string>();
        foreach (var owner in Owners())
        {
            CheckHidden(owner);
            foreach (var symbol in owner.GetMembers())
            {
                cancellation.ThrowIfCancellationRequested();
                if (ReadMember(symbol, owner, isRoot) is not { } member)
                    continue;
                if (members.Exists(other => other.Name == member.Name))
                {
                    // An override is the same member. One that hides another has its own value, which nobody would save.
                    if (!symbol.IsOverride)
                        Problem(Diagnostics.BadMember, symbol, symbol.Name,
                            "it hides a member of a base type that is saved under this name. Rename it, or mark one of them with "
                                + "[NotSaved].");
                    continue;
                }
                if (byKey.TryGetValue(member.Key, out var other))
                    Problem(Diagnostics.DoubleKey, symbol, other, member.Name, member.Key);
                else if (isRoot && ReservedSections.Contains(member.Key))
                    Problem(Diagnostics.BadRoot, symbol, type.Name,
                        $"\"{member.Key}\" is a word of the file itself. Give '{member.Name}' another key with [Saved(\"…\")].");
                else if (isRoot && member.Key.Contains('/'))
                    Problem(Diagnostics.BadRoot, symbol, type.Name,
                        $"the section name \"{member.Key}\" has a slash, which only groups of sections have.");
                else
                    byKey.Add(member.Key, member.Name);
                members.Add(member);
                _symbols[member.Name] = symbol;
                _shape.Add(new ShapeMember(
                    member.Key, symbol.Name, symbol is IPropertySymbol property ? property.Type : ((IFieldSymbol)symbol).Type,
                    member.IsRequired,
                    member.Codec.StartsWith(FixedArrayCodec, StringComparison.Ordinal) ? LengthOf(symbol) : 0, IgnoresCase(symbol),
                    member.FormerKeys is { } former ? former : []));
            }
        }
        CheckFormerKeys(members, byKey, isRoot);
        return [.. members.OrderBy(member => member.Order)];
    }

    /// <summary>What is saved under a key has to be one member.</summary>
    private void CheckFormerKeys(List<MemberModel> members, Dictionary<string, string> byKey, bool isRoot)
    {
        var taken = new HashSet<string>();
        foreach (var member in members)
        {
            foreach (var former in member.FormerKeys ?? new EquatableList<string>([]))
            {
                var symbol = _symbols[member.Name];
                if (isRoot)
                    Problem(Diagnostics.BadMember, symbol, member.Name,
                        "it is a section of the save, which has no former names. Rename the section with a migration step.");
                else if (byKey.TryGetValue(former, out var other))
                    Problem(Diagnostics.BadMember, symbol, member.Name, $"its former name \"{former}\" is the key of '{other}'.");
                else if (!taken.Add(former))
                    Problem(Diagnostics.BadMember, symbol, member.Name, $"its former name \"{former}\" is given twice.");
                else
                    continue;
                break;
            }
        }
    }

    /// <summary>The types whose members an object has, those of the base types first. An interface has none of its own.</summary>
    private Stack<INamedTypeSymbol> Owners()
    {
        var chain = new Stack<INamedTypeSymbol>();
        for (var current = type; current is { SpecialType: SpecialType.None, TypeKind: not TypeKind.Interface }
            && current.Name != "ValueType";
            current = current.BaseType)
            chain.Push(current);
        return chain;
    }

    private void ReadUnknownMember(ISymbol symbol)
    {
        var memberType = (symbol as IPropertySymbol)?.Type ?? (symbol as IFieldSymbol)?.Type;
        if (memberType?.ToDisplayString() != "Lodrik.State.SaveMap" || (symbol as IPropertySymbol)?.GetMethod is null
            && symbol is IPropertySymbol)
            Problem(Diagnostics.BadMember, symbol, symbol.Name, "it should keep unknown members but is not a readable SaveMap.");
        else if (_unknownMember is not null)
            Problem(Diagnostics.BadMember, symbol, symbol.Name, $"'{_unknownMember}' keeps the unknown members already.");
        else if (Attribute(type, "Lodrik.SaveFileAttribute") is not null)
            Problem(Diagnostics.BadMember, symbol, symbol.Name, "a save root has sections, whose unknown ones are not kept.");
        else
            _unknownMember = symbol.Name;
    }

    /// <summary>A member that is saved, with its type and how it is set; null for one that is not.</summary>
    private (ITypeSymbol Type, Setting Setting, AttributeData? Saved)? Choose(ISymbol symbol, INamedTypeSymbol owner)
    {
        if (symbol.IsImplicitlyDeclared || Attribute(symbol, "Lodrik.NotSavedAttribute") is not null)
            return null;
        if (symbol.IsStatic)
        {
            if (Attribute(symbol, "Lodrik.SavedAttribute") is not null)
                Problem(Diagnostics.BadMember, symbol, symbol.Name, "it is static, and belongs to no object.");
            return null;
        }
        if (Attribute(symbol, "Lodrik.State.KeepUnknownAttribute") is not null)
        {
            ReadUnknownMember(symbol);
            return null;
        }
        var saved = Attribute(symbol, "Lodrik.SavedAttribute");
        ITypeSymbol memberType;
        Setting setting;
        switch (symbol)
        {
            case IPropertySymbol { IsIndexer: false } property:
                memberType = property.Type;
                if (!ChooseSetting(property, saved is not null, out setting))
                    return null;
                break;
            case IFieldSymbol { IsConst: false } field:
                memberType = field.Type;
                setting = field.IsReadOnly ? Setting.ReadOnlyField : Setting.Field;
                if (saved is null && field.DeclaredAccessibility != Accessibility.Public)
                    return null;
                break;
            default:
                return null;
        }
        var isBase = !SymbolEqualityComparer.Default.Equals(owner, type);
        if (isBase && symbol.DeclaredAccessibility == Accessibility.Private)
        {
            if (saved is not null)
                Problem(Diagnostics.BadMember, type, $"{owner.Name}.{symbol.Name}",
                    $"it is private to a base of '{type.Name}'. Make it protected.");
            return null;
        }
        if (isBase && symbol is IPropertySymbol { SetMethod.DeclaredAccessibility: Accessibility.Private })
            setting = Setting.Setter;
        // A setter that cannot be seen from another assembly is called by the accessor that is there.
        if (setting == Setting.BackingField && isBase && HasAccessor(symbol))
            setting = Setting.Setter;
        return (memberType, setting, saved);
    }

    private MemberModel? ReadMember(ISymbol symbol, INamedTypeSymbol owner, bool isRoot)
    {
        if (Choose(symbol, owner) is not var (memberType, setting, saved))
            return null;
        var isBase = !SymbolEqualityComparer.Default.Equals(owner, type);
        var key = saved?.ConstructorArguments.FirstOrDefault().Value as string ?? CamelCase(symbol.Name);
        if (isRoot && memberType.AllInterfaces.Any(one => one.ToDisplayString() == "Lodrik.State.ISectionGroup"))
            return new MemberModel(symbol.Name, key, TypeCodecs.Name(memberType), "", setting, TypeCodecs.Name(owner), IsRequired: false);
        var codec = codecs.Find(memberType, out var reason, out var remedy);
        if (codec is null)
        {
            // Without a reason it is the member's type that is refused, and was reported there.
            if (reason.Length > 0)
                Problem(Diagnostics.CannotBeSaved, symbol, isBase ? $"{owner.Name}.{symbol.Name}" : symbol.Name, reason, remedy);
            else
                _isIncomplete = true;
            _refused.Add(symbol.Name);
            return null;
        }
        var access = MemberModel.OwnAccess;
        if (isBase && setting is Setting.Setter or Setting.BackingField or Setting.ReadOnlyField)
        {
            if (TypeCodecs.IsStateType(owner) || IsEntityType(owner))
                access = $"{TypeCodecs.Name(owner)}.{MemberModel.OwnAccess}";
            else if (owner.IsGenericType || type.IsGenericType)
            {
                Problem(Diagnostics.BadMember, symbol, $"{owner.Name}.{symbol.Name}",
                    $"it cannot be set from '{type.Name}', because one of the two types is generic. Mark '{owner.Name}' with [StateType], "
                        + "or give the member a setter that derived types may call.");
                _refused.Add(symbol.Name);
                return null;
            }
        }
        if (setting is Setting.BackingField or Setting.ReadOnlyField && memberType is IArrayTypeSymbol { Rank: 1 } array)
            codec = $"{FixedArrayCodec}<{TypeCodecs.Name(array.ElementType)}, {codec}>";
        return new MemberModel(symbol.Name, key, TypeCodecs.Name(memberType), codec, setting, TypeCodecs.Name(owner),
            symbol is IPropertySymbol { IsRequired: true } or IFieldSymbol { IsRequired: true },
            IsNeverNull(memberType),
            symbol is IPropertySymbol { SetMethod: { } ownSetter } && HasBody(ownSetter),
            saved?.NamedArguments.FirstOrDefault(argument => argument.Key == "Order").Value.Value as int? ?? 0,
            access, symbol is IPropertySymbol { SetMethod: { } setter } && IsHidden(setter), FormerKeysOf(symbol, key), IsHidden(symbol));
    }

    /// <summary>Whether a type says that its values are never null, though they could be.</summary>
    private static bool IsNeverNull(ITypeSymbol type) => type switch
    {
        { NullableAnnotation: NullableAnnotation.Annotated } => false,
        ITypeParameterSymbol { HasNotNullConstraint: true, IsValueType: false } => true,
        _ => type is { IsReferenceType: true, NullableAnnotation: NullableAnnotation.NotAnnotated },
    };

    /// <summary>The keys that a member had before: as they are given, and as a member of that name is saved.</summary>
    private static EquatableList<string>? FormerKeysOf(ISymbol symbol, string key) =>
        Attribute(symbol, "Lodrik.State.FormerNameAttribute")?.ConstructorArguments.FirstOrDefault()
            is { Kind: TypedConstantKind.Array } names
            ? new EquatableList<string>([.. names.Values.Select(name => name.Value as string ?? "")
                .SelectMany(name => new[] { name, CamelCase(name) }).Where(name => name.Length > 0 && name != key).Distinct()])
            : null;

    /// <summary>Whether a property is saved, and how it is set.</summary>
    private bool ChooseSetting(IPropertySymbol property, bool asked, out Setting setting)
    {
        setting = Setting.Assign;
        var isAutomatic = IsAutomatic(property);
        if (property.ExplicitInterfaceImplementations.Length > 0)
        {
            if (asked || isAutomatic)
                Problem(Diagnostics.BadMember, property, property.Name,
                    "it implements an interface explicitly, and can be reached through that alone. Make it a property of the type, or mark "
                        + "it with [NotSaved].");
            return false;
        }
        var isPublic = property.DeclaredAccessibility == Accessibility.Public;
        if (property.GetMethod is null || property.IsAbstract || !(isPublic || asked))
        {
            if (asked)
                Problem(Diagnostics.BadMember, property, property.Name, "it has no getter.");
            return false;
        }
        if (property.SetMethod is { } setter)
        {
            setting = setter.IsInitOnly ? Setting.Setter : Setting.Assign;
            return true;
        }
        // Without a setter: what has a field behind it is state; anything else is computed.
        setting = Setting.BackingField;
        if (isAutomatic)
            return true;
        if (asked)
            Problem(Diagnostics.BadMember, property, property.Name, "it is computed and cannot be set.");
        return false;
    }

    /// <summary>
    /// Whether the compiler made a field for a property. Of another assembly's types there are no private members to be seen, but the
    /// getter is marked.
    /// </summary>
    private static bool IsAutomatic(IPropertySymbol property) => IsElsewhere(property)
        ? property.GetMethod is { } getter && Attribute(getter, "System.Runtime.CompilerServices.CompilerGeneratedAttribute") is not null
        : property.ContainingType.GetMembers().OfType<IFieldSymbol>()
            .Any(field => SymbolEqualityComparer.Default.Equals(field.AssociatedSymbol, property));

    /// <summary>Whether a derived type in another assembly does not see a member.</summary>
    private static bool IsHidden(ISymbol symbol) =>
        symbol.DeclaredAccessibility is Accessibility.Private or Accessibility.Internal or Accessibility.ProtectedAndInternal;

    /// <summary>Whether something is declared in another assembly.</summary>
    private static bool IsElsewhere(ISymbol symbol) => symbol.OriginalDefinition.DeclaringSyntaxReferences.IsEmpty;

    /// <summary>The class with the accessors of a state type.</summary>
    private static INamedTypeSymbol? AccessOf(INamedTypeSymbol owner) =>
        owner.OriginalDefinition.GetTypeMembers(MemberModel.AccessName).FirstOrDefault();

    /// <summary>Reports what a base of another assembly saves and this one cannot reach.</summary>
    private void CheckHidden(INamedTypeSymbol owner)
    {
        if (SymbolEqualityComparer.Default.Equals(owner, type) || !IsElsewhere(owner)
            || AccessOf(owner)?.GetMembers(StateTypeSource.HiddenName).FirstOrDefault()
                is not IFieldSymbol { ConstantValue: string hidden })
            return;
        foreach (var name in hidden.Split(' '))
            Problem(Diagnostics.BadMember, type, $"{owner.Name}.{name}",
                $"it is saved by a base of '{type.Name}' in another assembly, and is not public or protected. Make it protected.");
    }
}

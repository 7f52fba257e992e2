using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;

namespace Lodrik.Generator;

// How objects of the type are made: by which constructor, and what it is given.
internal sealed partial class ModelReader
{
    private CreationModel ReadCreation(List<MemberModel> members, bool isShared, bool isRoot)
    {
        if (type.IsAbstract)
        {
            if (isRoot)
                Problem(Diagnostics.CannotBeCreated, type, type.Name, "it is abstract.");
            return CreationModel.None(TypeCodecs.Name(type));
        }
        if (FindConstructor(members) is not { } constructor)
        {
            Problem(Diagnostics.CannotBeCreated, type,
                type.Name, "it has several constructors, and none without parameters. Add one; it may be private.");
            return CreationModel.None(TypeCodecs.Name(type));
        }
        // A struct's members have initial values only if it says so in a constructor without parameters; new T() runs that.
        var parameters = constructor.Parameters
            .Select(parameter => new ParameterModel(parameter.Name, Argument(parameter), MemberFor(parameter, members))).ToList();
        foreach (var (parameter, model) in constructor.Parameters.Zip(parameters, (parameter, model) => (parameter, model)))
        {
            // One whose member was refused has been reported there.
            if (model.Member < 0 && !parameter.HasExplicitDefaultValue && !_refused.Exists(member => IsNamed(member, parameter)))
                Problem(Diagnostics.CannotBeCreated, parameter, type.Name,
                    $"its constructor needs '{parameter.Name}', and no saved member has that name and type. Save the value in such a "
                        + "member, give the parameter a default value, or add a constructor without parameters (it may be private).");
        }
        var setsRequired = constructor.GetAttributes().Any(attribute =>
            attribute.AttributeClass?.ToDisplayString() == "System.Diagnostics.CodeAnalysis.SetsRequiredMembersAttribute");
        var required = setsRequired ? [] : RequiredMembers().Select(member => $"{Escaped(member)} = default!").ToList();
        var initializer = required.Count == 0 ? "" : $" {{ {string.Join(", ", required)} }}";
        // A save's root is made before its sections are read, one by one and maybe not all of them.
        var takesValues = !isRoot && parameters.Exists(one => one.Member >= 0) && HasStateBesideMembers(constructor, members);
        if (takesValues && isShared)
            Problem(Diagnostics.BadShared, type, type.Name,
                "its constructor takes saved values, but a shared object is created before they are read. Add a constructor without "
                    + "parameters; it may be private.");
        return new CreationModel(TypeCodecs.Name(type), new EquatableList<ParameterModel>(parameters), initializer, takesValues);
    }

    /// <summary>
    /// What the constructor takes is saved first, so that the object can be created before the other members are read into it. Its arrays
    /// are as long as they were saved: the constructor gets them.
    /// </summary>
    private (List<MemberModel> Members, CreationModel Creation) ValuesFirst(List<MemberModel> members, CreationModel creation)
    {
        if (!creation.TakesValues)
            return (members, creation);
        var taken = creation.Parameters.Where(one => one.Member >= 0).Select(one => members[one.Member]).Distinct().ToList();
        var ordered = taken.Select(member => member.Codec.StartsWith(FixedArrayCodec, StringComparison.Ordinal)
            ? member with { Codec = codecs.Find(TypeOf(member)!, out _, out _)! }
            : member).Concat(members.Except(taken)).ToList();
        var parameters = creation.Parameters
            .Select(one => one.Member < 0 ? one : one with { Member = taken.IndexOf(members[one.Member]) }).ToList();
        return (ordered, creation with { Parameters = new EquatableList<ParameterModel>(parameters) });
    }

    /// <summary>The constructor without parameters, or the one that can be given saved values.</summary>
    private IMethodSymbol? FindConstructor(List<MemberModel> members)
    {
        var constructors = type.InstanceConstructors
            .Where(constructor =>
                constructor.Parameters.Length != 1 || !SymbolEqualityComparer.Default.Equals(constructor.Parameters[0].Type, type))
            .OrderByDescending(candidate => candidate.Parameters.Length)
            .ToList();
        // Every struct has a constructor without parameters; where nobody wrote it, another one says more.
        var written = constructors.Where(candidate => !(candidate.IsImplicitlyDeclared && type.IsValueType)).ToList();
        return written.FirstOrDefault(candidate => candidate.Parameters.Length == 0)
            ?? (written.Count == 1 ? written[0] : null)
            ?? written.FirstOrDefault(IsPrimary)
            ?? written.FirstOrDefault(candidate =>
                candidate.Parameters.All(parameter => parameter.HasExplicitDefaultValue || MemberFor(parameter, members) >= 0))
            ?? constructors.FirstOrDefault(candidate => candidate.Parameters.Length == 0);
    }

    private bool IsPrimary(IMethodSymbol constructor) => constructor.DeclaringSyntaxReferences
        .Any(reference => reference.GetSyntax(cancellation) is TypeDeclarationSyntax);

    /// <summary>The number of the member whose value a parameter takes; -1 for none.</summary>
    private int MemberFor(IParameterSymbol parameter, List<MemberModel> members) => members.FindIndex(member =>
        IsNamed(member.Name, parameter)
        && member.Codec.Length > 0
        && TypeOf(member) is { } saved
        && (SymbolEqualityComparer.Default.Equals(saved, parameter.Type)
            || source?.Compilation.ClassifyCommonConversion(saved, parameter.Type) is { Exists: true, IsImplicit: true }));

    private static bool IsNamed(string member, IParameterSymbol parameter) =>
        string.Equals(member.TrimStart('_'), parameter.Name.TrimStart('_'), StringComparison.OrdinalIgnoreCase);

    private ITypeSymbol? TypeOf(MemberModel member) => _shape.Find(one => one.Name == member.Name)?.Type;

    /// <summary>
    /// Whether an object has more than its saved members: something that its constructor computes, or parameters that its methods use.
    /// Then the constructor has to be given what was saved. Otherwise setting the members gives the same.
    /// </summary>
    private bool HasStateBesideMembers(IMethodSymbol constructor, List<MemberModel> members)
    {
        if (!type.IsRecord || !IsPrimary(constructor))
            return true;
        var saved = new HashSet<string>(members.Select(member => member.Name));
        return type.GetMembers().OfType<IFieldSymbol>()
            .Any(field => field is { IsStatic: false, IsConst: false } && !saved.Contains(field.AssociatedSymbol?.Name ?? field.Name));
    }

    /// <summary>A name as source, with an @ where it is a word of the language.</summary>
    public static string Escaped(string name) => SyntaxFacts.GetKeywordKind(name) == SyntaxKind.None ? name : "@" + name;

    private static string Argument(IParameterSymbol parameter)
    {
        if (!parameter.HasExplicitDefaultValue)
            return parameter.Type is { SpecialType: SpecialType.System_String, NullableAnnotation: not NullableAnnotation.Annotated }
                ? "\"\""
                : "default!";
        var value = parameter.ExplicitDefaultValue;
        var type = TypeCodecs.Name(parameter.Type);
        return value switch
        {
            null => "default!",
            string or char => SymbolDisplay.FormatPrimitive(value, quoteStrings: true, useHexadecimalNumbers: false),
            float.NaN => "float.NaN",
            double.NaN => "double.NaN",
            float number when float.IsInfinity(number) => number > 0 ? "float.PositiveInfinity" : "float.NegativeInfinity",
            double number when double.IsInfinity(number) => number > 0 ? "double.PositiveInfinity" : "double.NegativeInfinity",
            float number => number.ToString("R", System.Globalization.CultureInfo.InvariantCulture) + "F",
            double number => number.ToString("R", System.Globalization.CultureInfo.InvariantCulture) + "D",
            decimal number => number.ToString(System.Globalization.CultureInfo.InvariantCulture) + "M",
            _ => $"({type})({SymbolDisplay.FormatPrimitive(value, quoteStrings: true, useHexadecimalNumbers: false)})",
        };
    }

    private IEnumerable<string> RequiredMembers()
    {
        for (var current = type; current is not null; current = current.BaseType)
        {
            foreach (var member in current.GetMembers())
            {
                if (member is IPropertySymbol { IsRequired: true } or IFieldSymbol { IsRequired: true })
                    yield return member.Name;
            }
        }
    }
}

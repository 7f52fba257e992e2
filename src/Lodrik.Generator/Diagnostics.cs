using Microsoft.CodeAnalysis;

namespace Lodrik.Generator;

/// <summary>What the generator refuses, each with what to do about it.</summary>
internal static class Diagnostics
{
    private const string Category = "Lodrik";

    public static readonly DiagnosticDescriptor NotPartial = Error(
        "LDR001", "A state type has to be partial",
        "'{0}' has to be partial, because the code that saves {1} is generated into it. Write 'partial' before its keyword.");

    public static readonly DiagnosticDescriptor CannotBeSaved = Error(
        "LDR002", "A member's type cannot be saved",
        "'{0}' cannot be saved: {1}. {2}");

    public static readonly DiagnosticDescriptor DoubleKey = Error(
        "LDR003", "Two members have one key",
        "'{0}' and '{1}' would both be saved under the key \"{2}\". Give one of them another with [Saved(\"…\")].");

    public static readonly DiagnosticDescriptor CannotBeCreated = Error(
        "LDR004", "A state type cannot be created",
        "'{0}' cannot be created when a save is loaded: {1}");

    public static readonly DiagnosticDescriptor BadRoot = Error(
        "LDR005", "The save root is declared wrongly",
        "'{0}' cannot be the root of a save: {1}");

    public static readonly DiagnosticDescriptor BadMember = Error(
        "LDR006", "A member cannot be read or written",
        "'{0}' cannot be saved: {1}");

    public static readonly DiagnosticDescriptor BadVariant = Error(
        "LDR007", "A variant is declared wrongly",
        "The variant \"{0}\" of '{1}' cannot be: {2}");

    public static readonly DiagnosticDescriptor BadAdapter = Error(
        "LDR008", "An adapter is declared wrongly",
        "'{0}' cannot be an adapter: {1}");

    public static readonly DiagnosticDescriptor BadShared = Error(
        "LDR009", "A type cannot be shared",
        "The objects of '{0}' cannot be shared: {1}");

    public static readonly DiagnosticDescriptor BadType = Error(
        "LDR010", "A type cannot be a state type",
        "'{0}' cannot be a state type: {1}");

    public static readonly DiagnosticDescriptor UnknownKind = new(
        "LDR011", "The name of a kind is not known when the game is built",
        "The name of this kind is not a constant, so nothing can warn about changes to the kind. Use a constant, or pass one to the "
            + "method.",
        Category, DiagnosticSeverity.Warning, isEnabledByDefault: true);

    public static readonly DiagnosticDescriptor NotMarked = Error(
        "LDR012", "A type is given to be saved and is not marked",
        "'{0}' is not a state type. Mark it with [StateType], or with [SaveFile] if it is the root of the game's saves.");

    public static readonly DiagnosticDescriptor BadFields = Error(
        "LDR013", "The fields of a struct cannot be saved",
        "The fields of '{0}' cannot be saved: {1}");

    public static readonly DiagnosticDescriptor NotAlone = Error(
        "LDR014", "A generic state type is given to be saved by itself",
        "'{0}' has values of its type argument, and can be saved only as a member of a state type. Pass a state type that has it as a "
            + "member, or that derives from it.");

    public static readonly DiagnosticDescriptor OnlyBase = Error(
        "LDR015", "An abstract state type is given to be saved and names no variants",
        "'{0}' is abstract, and names nothing that can be saved in its place. Name the types on it with [SaveVariant(\"…\", typeof(…))].");

    public static readonly DiagnosticDescriptor BadEntity = Error(
        "LDR016", "A class of entities is declared wrongly",
        "'{0}' cannot be saved as part of a scene: {1}");

    public static readonly DiagnosticDescriptor BadScene = Error(
        "LDR017", "A scene is declared wrongly",
        "The scene '{0}' cannot be saved: {1}");

    public static readonly DiagnosticDescriptor BadTransferCode = Error(
        "LDR201", "A class cannot have transfer codes",
        "'{0}' cannot have a transfer code: {1}");

    public static readonly DiagnosticDescriptor BadCodeMember = Error(
        "LDR202", "A member cannot be in a transfer code",
        "'{0}' cannot be in a transfer code as it is declared. A flag or an enumeration takes [InCode]; a whole number [InCode(least, "
            + "most)]; text [InCode(\"one\", \"other\")]; a set of texts or entities takes the same; a list also takes the most Items.");

    public static DiagnosticDescriptor ById(string id) => id switch
    {
        "LDR001" => NotPartial,
        "LDR002" => CannotBeSaved,
        "LDR003" => DoubleKey,
        "LDR004" => CannotBeCreated,
        "LDR005" => BadRoot,
        "LDR006" => BadMember,
        "LDR007" => BadVariant,
        "LDR008" => BadAdapter,
        "LDR010" => BadType,
        "LDR011" => UnknownKind,
        "LDR012" => NotMarked,
        "LDR013" => BadFields,
        "LDR014" => NotAlone,
        "LDR015" => OnlyBase,
        "LDR016" => BadEntity,
        "LDR017" => BadScene,
        "LDR201" => BadTransferCode,
        "LDR202" => BadCodeMember,
        _ => BadShared,
    };

    private static DiagnosticDescriptor Error(string id, string title, string message) =>
        new(id, title, message, Category, DiagnosticSeverity.Error, isEnabledByDefault: true);
}

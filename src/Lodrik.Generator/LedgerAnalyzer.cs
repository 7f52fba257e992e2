using System.Collections.Immutable;
using Lodrik.Migrations;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.Diagnostics;

namespace Lodrik.Generator;

/// <summary>
/// Warns, while the game is written, where a change of a state type would lose something of saves that players have. It knows what they
/// have from the ledger, whose files are given to the compiler as additional files.
/// </summary>
[DiagnosticAnalyzer(LanguageNames.CSharp)]
public sealed class LedgerAnalyzer : DiagnosticAnalyzer
{
    private static readonly DiagnosticDescriptor Lost = new(
        "LDR101", "A change would lose something of saves",
        "{0}, since version {1} was recorded; {2}",
        "Lodrik", DiagnosticSeverity.Warning, isEnabledByDefault: true);

    private static readonly DiagnosticDescriptor Unreadable = new(
        "LDR102", "A file of the ledger cannot be read",
        "The ledger's file {0} cannot be read; take it from version control again: {1}",
        "Lodrik", DiagnosticSeverity.Warning, isEnabledByDefault: true);

    private static readonly DiagnosticDescriptor NotDealtWith = new(
        "LDR103", "A version was raised, and no step deals with a change",
        "{0}, since version {1} was recorded; {2}",
        "Lodrik", DiagnosticSeverity.Warning, isEnabledByDefault: true);

    /// <inheritdoc/>
    public override ImmutableArray<DiagnosticDescriptor> SupportedDiagnostics => [Lost, Unreadable, NotDealtWith];

    /// <inheritdoc/>
    public override void Initialize(AnalysisContext context)
    {
        context.EnableConcurrentExecution();
        context.ConfigureGeneratedCodeAnalysis(GeneratedCodeAnalysisFlags.None);
        context.RegisterCompilationStartAction(Start);
    }

    private static void Start(CompilationStartAnalysisContext context)
    {
        var (recorded, unreadable) = ReadLedger(context.Options.AdditionalFiles, context.CancellationToken);
        if (recorded.Count == 0 && unreadable.Count == 0)
            return;
        var losses = Losses(context.Compilation, recorded, context.CancellationToken).ToLookup(loss => loss.Type);
        // Those of no type of this assembly are told at its save root, and what cannot be read as well.
        context.RegisterSymbolAction(symbol => Report(symbol, losses, unreadable), SymbolKind.NamedType);
    }

    private static void Report(
        SymbolAnalysisContext context, ILookup<string, Loss> losses, IReadOnlyList<(string File, string Problem)> unreadable)
    {
        var type = (INamedTypeSymbol)context.Symbol;
        foreach (var loss in losses[TypeShapes.NameOf(type)])
            context.ReportDiagnostic(Diagnostic.Create(
                loss.Rule, MemberOf(type, loss.Change) ?? type.Locations[0], loss.Change.ToString(), loss.Version, loss.Remedy));
        if (type.GetAttributes().Any(attribute => attribute.AttributeClass?.ToDisplayString() == "Lodrik.SaveFileAttribute"))
        {
            foreach (var (file, problem) in unreadable)
                context.ReportDiagnostic(Diagnostic.Create(Unreadable, type.Locations[0], file, problem));
        }
    }

    /// <summary>The place of the member that a change is about; null if there is none any more.</summary>
    private static Location? MemberOf(INamedTypeSymbol type, ShapeChange change) => type.GetMembers()
        .Where(member => member is IPropertySymbol or IFieldSymbol { IsImplicitlyDeclared: false })
        .FirstOrDefault(member => KeyOf(member) == change.Name)?.Locations.FirstOrDefault(location => location.IsInSource);

    private static string KeyOf(ISymbol member) => member.GetAttributes()
        .FirstOrDefault(attribute =>
            attribute.AttributeClass?.ToDisplayString() == "Lodrik.SavedAttribute")?.ConstructorArguments.FirstOrDefault().Value as string
        ?? ModelReader.CamelCase(member.Name);

    private static IEnumerable<Loss> Losses(
        Compilation compilation, IReadOnlyList<SaveShape> recorded, CancellationToken cancellation)
    {
        StepWords? steps = null;
        var today = SaveShape.Of(Documents(compilation.Assembly)
            .Concat(compilation.SourceModule.ReferencedAssemblySymbols.SelectMany(Documents)));
        foreach (var root in SaveShape.Of(Documents(compilation.Assembly)).Roots)
        {
            // The version itself, or the last one before it that was recorded.
            if (recorded.Where(one => one.Game == root.Game && one.Version <= root.Version).OrderByDescending(one => one.Version)
                .FirstOrDefault() is not { } known)
                continue;
            var shape = today.ForRoot(root.Root);
            // Types that nothing of the root leads to, and that the ledger has, are held against it by their names.
            shape.TakeNamed(today, known.Types.Keys);
            // What a type lost is told once, and not at each place where the type stands.
            foreach (var change in ShapeComparison.Of(known, shape).Where(change => change.IsLoss)
                .GroupBy(change => change.Owner.Length > 0 ? change with { Path = "" } : change)
                .Select(same => same.First()))
            {
                var isHere = change.Owner.Length > 0 && compilation.Assembly.GetTypeByMetadataName(change.Owner) is not null;
                if (known.Version < root.Version)
                {
                    if (!(steps ??= new StepWords(compilation, cancellation)).Name(change, known.Version, root.Version))
                        yield return new Loss(NotDealtWith, isHere ? change.Owner : root.Root, change, known.Version,
                            $"version {root.Version} has no step that handles this. Add an operation, or declare the loss with Accept");
                    continue;
                }
                var remedy = known.IsReleased
                    ? $"that version is released, so raise the version of '{root.Root}' and add a step"
                    : $"raise the version of '{root.Root}' and add a step, or record it again if version {root.Version} was never released";
                yield return new Loss(Lost, isHere ? change.Owner : root.Root, change, root.Version, remedy);
            }
        }
    }

    private static IEnumerable<string> Documents(IAssemblySymbol assembly) => assembly.GetAttributes()
        .Where(attribute => attribute.AttributeClass?.ToDisplayString() == "Lodrik.State.StateShapeAttribute")
        .Select(attribute => attribute.ConstructorArguments.FirstOrDefault().Value as string ?? "{}");

    private static (List<SaveShape> Recorded, List<(string File, string Problem)> Unreadable) ReadLedger(
        ImmutableArray<AdditionalText> files, CancellationToken cancellation)
    {
        var (recorded, unreadable) = (new List<SaveShape>(), new List<(string, string)>());
        foreach (var file in files.Where(file =>
            Path.GetExtension(file.Path) == ".json" && int.TryParse(Path.GetFileNameWithoutExtension(file.Path), out _)))
        {
            if (file.GetText(cancellation)?.ToString() is not { } text || text.IndexOf("\"ledger\"", StringComparison.Ordinal) < 0)
                continue;
            try
            {
                recorded.Add(SaveShape.Parse(text));
            }
            catch (FormatException problem)
            {
                unreadable.Add((Path.GetFileName(file.Path), problem.Message));
            }
        }
        return (recorded, unreadable);
    }

    /// <summary>A loss, where it is told, and what to do about it.</summary>
    private sealed record Loss(DiagnosticDescriptor Rule, string Type, ShapeChange Change, int Version, string Remedy);
}

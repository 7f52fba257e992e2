using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp.Syntax;
using Microsoft.CodeAnalysis.Text;

namespace Lodrik.Generator;

/// <summary>Writes, for every type marked [StateType] or [SaveFile], the code that saves and loads it.</summary>
[Generator(LanguageNames.CSharp)]
public sealed class StateTypeGenerator : IIncrementalGenerator
{
    /// <summary>The name of the step whose results are compared between runs; tests look at it.</summary>
    public const string ModelStep = "StateModel";

    private const string StateTypeAttribute = "Lodrik.StateTypeAttribute";
    private const string SaveFileAttribute = "Lodrik.SaveFileAttribute";

    /// <inheritdoc/>
    public void Initialize(IncrementalGeneratorInitializationContext context)
    {
        Register(context, StateTypeAttribute);
        Register(context, SaveFileAttribute);
        var adapterProblems = context.CompilationProvider.Select(static (compilation, _) => Adapters.Problems(compilation.Assembly));
        context.RegisterSourceOutput(adapterProblems, static (context, problems) =>
        {
            foreach (var problem in problems)
                context.ReportDiagnostic(problem.ToDiagnostic());
        });
    }

    private static void Register(IncrementalGeneratorInitializationContext context, string attribute)
    {
        var models = context.SyntaxProvider
            .ForAttributeWithMetadataName(attribute, static (node, _) => node is TypeDeclarationSyntax, Read)
            .WithTrackingName(ModelStep);
        context.RegisterSourceOutput(models, Write);
    }

    private static StateModel Read(GeneratorAttributeSyntaxContext context, CancellationToken cancellation) =>
        new ModelReader((INamedTypeSymbol)context.TargetSymbol, new TypeCodecs(Adapters.Of(context.SemanticModel.Compilation.Assembly)), cancellation).Read();

    private static void Write(SourceProductionContext context, StateModel model)
    {
        foreach (var problem in model.Problems)
            context.ReportDiagnostic(problem.ToDiagnostic());
        if (model.Problems.Count == 0)
            context.AddSource(model.HintName, SourceText.From(new StateTypeSource(model).Write(), System.Text.Encoding.UTF8));
    }
}

using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp.Syntax;
using Microsoft.CodeAnalysis.Text;

namespace Lodrik.Generator;

/// <summary>The steps of the generator that are about scenes that are declared by attributes.</summary>
internal static class DeclaredScenes
{
    /// <summary>The name of the step that looks at a class of entities.</summary>
    public const string EntityStep = "EntityModel";

    /// <summary>The name of the step that looks at a scene.</summary>
    public const string SceneStep = "SceneModel";

    private const string AnyKind = "*";

    /// <summary>Adds the steps, and gives what ledgers read of the scenes.</summary>
    public static IncrementalValueProvider<EquatableList<BoundShape>> Register(IncrementalGeneratorInitializationContext context)
    {
        var entities = Read(context, ModelReader.EntityTypeAttribute, static reader =>
            reader.ReadEntity(reader.IsBaseOfEntities ? DeclaredSort.Base : DeclaredSort.Entity));
        var components = Read(context, ModelReader.ComponentTypeAttribute, static reader => reader.ReadEntity(DeclaredSort.Component));
        var derived = context.SyntaxProvider
            .CreateSyntaxProvider(static (node, _) => node is ClassDeclarationSyntax { BaseList: not null }, ReadDerived)
            .Where(static model => model is not null).Select(static (model, _) => model!);
        var scenes = context.SyntaxProvider
            .ForAttributeWithMetadataName(ModelReader.SceneTypeAttribute, static (node, _) => node is TypeDeclarationSyntax,
                static (context, cancellation) =>
                    StateTypeGenerator.IsFirst(context) ? StateTypeGenerator.Reader(context, cancellation).ReadScene() : null)
            .Where(static model => model is not null).Select(static (model, _) => model!)
            .WithTrackingName(SceneStep);
        var allComponents = components.Collect().Select(static (all, _) => new EquatableList<EntityModel>(all));
        var allEntities = entities.Collect().Select(static (all, _) => new EquatableList<EntityModel>(all));
        var allDerived = derived.Collect().Select(static (all, _) => new EquatableList<EntityModel>(all));
        context.RegisterSourceOutput(entities.Combine(allComponents), static (context, one) => Write(context, one.Left, one.Right));
        context.RegisterSourceOutput(components, static (context, one) => Write(context, one, []));
        context.RegisterSourceOutput(derived, static (context, one) => Write(context, one, []));
        context.RegisterSourceOutput(scenes.Combine(allEntities).Combine(allDerived), static (context, one) =>
            Write(context, one.Left.Left, one.Left.Right, one.Right));
        context.RegisterSourceOutput(scenes.Collect().Combine(allEntities).Combine(allDerived), static (context, one) =>
            ReportUnheld(context, one.Left.Left, one.Left.Right, one.Right));
        return allEntities.Combine(allDerived).Combine(allComponents).Combine(scenes.Collect()).Select(static (all, _) =>
            new EquatableList<BoundShape>([.. ShapesOf(all.Left.Left.Left, all.Left.Left.Right, all.Left.Right, all.Right)]));
    }

    private static IncrementalValuesProvider<EntityModel> Read(
        IncrementalGeneratorInitializationContext context, string attribute, Func<ModelReader, EntityModel> read) =>
        context.SyntaxProvider
            .ForAttributeWithMetadataName(attribute, static (node, _) => node is TypeDeclarationSyntax,
                (context, cancellation) =>
                    StateTypeGenerator.IsFirst(context) ? read(StateTypeGenerator.Reader(context, cancellation)) : null)
            .Where(static model => model is not null).Select(static (model, _) => model!)
            .WithTrackingName(EntityStep);

    /// <summary>A class without a kind of its own below a class of entities.</summary>
    private static EntityModel? ReadDerived(GeneratorSyntaxContext context, CancellationToken cancellation)
    {
        if (context.SemanticModel.GetDeclaredSymbol(context.Node, cancellation) is not INamedTypeSymbol type
            || ModelReader.IsEntityType(type) || ModelReader.EntityAbove(type) is not { } above
            || type.DeclaringSyntaxReferences[0].GetSyntax(cancellation) != context.Node)
            return null;
        var reader = new ModelReader(
            type, TypeCodecs.Of(context.SemanticModel.Compilation.Assembly), cancellation, context.SemanticModel, context.Node.SpanStart);
        if (ModelReader.CatalogueAbove(type) is not null)
            return reader.ReadEntity(DeclaredSort.Derived);
        return type.IsAbstract || ModelReader.IsLeftOut(type) ? null : reader.Unmarked(above);
    }

    private static void Write(SourceProductionContext context, EntityModel model, IReadOnlyList<EntityModel> components)
    {
        foreach (var problem in model.Problems)
            context.ReportDiagnostic(problem.ToDiagnostic());
        if (!model.CanBeExtended || model.Declaration.Length == 0)
            return;
        foreach (var part in model.Parts.Where(_ => model.Sort != DeclaredSort.Base))
            context.AddSource(part.RowModel.HintName, SourceText.From(new StateTypeSource(part.RowModel).Write(), StateTypeGenerator.Utf8));
        context.AddSource(model.HintName, SourceText.From(new EntitySource(model, components).Write(), StateTypeGenerator.Utf8));
    }

    private static void Write(
        SourceProductionContext context, SceneModel scene, IReadOnlyList<EntityModel> entities, IReadOnlyList<EntityModel> derived)
    {
        var source = new SceneSource(scene, entities, derived);
        foreach (var problem in scene.Own.Problems.Concat(scene.Problems).Concat(source.Problems).Distinct())
            context.ReportDiagnostic(problem.ToDiagnostic());
        if (!scene.Own.CanBeExtended)
            return;
        context.AddSource(scene.Own.HintName, SourceText.From(source.Write(), StateTypeGenerator.Utf8));
        if (scene.Own.Parts.Count + scene.Own.Links.Count == 0)
            return;
        var own = scene.Own with
        {
            HintName = scene.Own.HintName.Replace(".Scene.", ".SceneState."),
            Settled = new EquatableList<string>([]),
            Problems = new EquatableList<DiagnosticModel>([]),
        };
        Write(context, own, []);
    }

    /// <summary>Reports classes of entities that are in no scene, if there are scenes.</summary>
    private static void ReportUnheld(
        SourceProductionContext context, IReadOnlyList<SceneModel> scenes, IReadOnlyList<EntityModel> entities,
        IReadOnlyList<EntityModel> derived)
    {
        if (scenes.Count == 0)
            return;
        var held = new HashSet<string>(scenes.SelectMany(scene => new SceneSource(scene, entities, derived).Held));
        foreach (var entity in entities.Where(one =>
            one is { Sort: DeclaredSort.Entity, IsAbstract: false, Problems.Count: 0 } && !held.Contains(one.TypeName)))
        {
            context.ReportDiagnostic(new DiagnosticModel(Diagnostics.BadEntity.Id, entity.Location, new EquatableList<string>(
                [entity.Name, "no scene has entities of the class. Add a collection of them to a class that is marked with [SceneType], or "
                    + "mark a method that finds them with [Entities]."])).ToDiagnostic());
        }
    }

    private static IEnumerable<BoundShape> ShapesOf(
        IReadOnlyList<EntityModel> entities, IReadOnlyList<EntityModel> derived, IReadOnlyList<EntityModel> components,
        IReadOnlyList<SceneModel> scenes)
    {
        var none = new EquatableList<string>([]);
        foreach (var name in scenes.SelectMany(scene => scene.Names))
            yield return new BoundShape("scenes", name, "", "", none);
        // A kind of another assembly is the game's if one of its scenes has such entities.
        var foreign = scenes.SelectMany(scene =>
        {
            var held = new HashSet<string>(new SceneSource(scene, entities, derived).Held);
            return scene.Foreign.Where(one => held.Contains(one.TypeName));
        }).GroupBy(one => one.TypeName).Select(group => group.First());
        foreach (var entity in entities.Concat(foreign).Where(one => one is { Sort: DeclaredSort.Entity, IsAbstract: false })
            .Concat(scenes.Select(scene => scene.Own).Where(own => own.Parts.Count + own.Links.Count > 0)))
        {
            var kind = entity.KindFrom is null ? entity.Kind : AnyKind;
            yield return new BoundShape("kinds", kind, "", "", none);
            foreach (var former in entity.FormerKinds)
                yield return new BoundShape("formerKinds", former, "", kind, none);
            foreach (var shape in entity.Shapes)
                yield return shape with { Owner = kind };
            foreach (var list in entity.Collections.Where(list => list.IsComponents))
            {
                foreach (var component in components.Where(one => one.Bases.Contains(list.ItemType) && !one.IsAbstract))
                {
                    foreach (var shape in component.Shapes)
                    {
                        var name = shape.Name == component.Kind ? shape.Name : $"{component.Kind}.{shape.Name}";
                        yield return shape with { Owner = kind, Name = name };
                    }
                }
            }
        }
        foreach (var shape in derived.SelectMany(one => one.Shapes))
            yield return shape with { Owner = AnyKind };
    }
}

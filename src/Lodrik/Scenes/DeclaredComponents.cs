using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>A list of components of the entities of a class.</summary>
internal abstract class ComponentList<TEntity>
{
    /// <summary>The classes that the components may be of.</summary>
    public List<Type> Known { get; } = [];

    /// <summary>Refuses an entity with components that nothing would be saved of.</summary>
    /// <exception cref="SceneException">There is one of an unknown class, or two are of one.</exception>
    public abstract void Check(TEntity entity, EntityId id);
}

internal sealed class ComponentList<TEntity, TComponents, TBase>(string kind) : ComponentList<TEntity>
    where TComponents : IEntityComponents<TEntity, TBase> where TBase : class
{
    public override void Check(TEntity entity, EntityId id)
    {
        Span<bool> seen = stackalloc bool[Math.Min(Known.Count, 256)];
        if (Known.Count > seen.Length)
            seen = new bool[Known.Count];
        seen.Clear();
        foreach (var component in TComponents.Of(entity) ?? [])
        {
            if (component is null)
                continue;
            var known = Known.IndexOf(component.GetType());
            if (known < 0)
                throw new SceneException(
                    SaveErrorCode.SceneConflict,
                    $"The {kind} {id} has a component of the class {component.GetType().Name}, which is not a component type.",
                    remedy: "Mark the class with [ComponentType(\"…\")], in the assembly of the entity.");
            if (seen[known])
                throw new SceneException(
                    SaveErrorCode.SceneConflict, $"The {kind} {id} has two components of the class {component.GetType().Name}.",
                    remedy: "Saves identify components by class. Save several of one class as a list of a state type.");
            seen[known] = true;
        }
    }
}

/// <summary>The components of one class among those of an entity.</summary>
internal static class ComponentOf<TEntity, TComponents, TBase, TComponent>
    where TComponents : IEntityComponents<TEntity, TBase> where TBase : class where TComponent : class, TBase, IComponentType<TComponent>
{
    public static TComponent? In(TEntity entity)
    {
        var all = TComponents.Of(entity);
        if (all is List<TBase> list)
        {
            for (var i = 0; i < list.Count; i++)
            {
                if (list[i] is { } one && one.GetType() == typeof(TComponent))
                    return (TComponent)one;
            }
            return null;
        }
        foreach (var component in all ?? [])
        {
            if (component is not null && component.GetType() == typeof(TComponent))
                return (TComponent)component;
        }
        return null;
    }

    /// <summary>The component, which is created if it is not there.</summary>
    public static TComponent Made(TEntity entity)
    {
        if (In(entity) is { } there)
            return there;
        var made = TComponent.CreateComponent();
        (TComponents.Of(entity) ?? throw new SceneException(
            SaveErrorCode.SceneConflict, $"The list to which a {typeof(TComponent).Name} should be added is null.",
            remedy: "Give the member of the components a list from the beginning.")).Add(made);
        return made;
    }

    public static void Remove(TEntity entity)
    {
        if (In(entity) is { } there)
            TComponents.Of(entity)!.Remove(there);
    }
}

/// <summary>A component as a part of an entity.</summary>
internal sealed class ComponentPart<TScene, TEntity, TComponents, TBase, TComponent>(EntityPart<TScene, TComponent> part)
    : EntityPart<TScene, TEntity>(part.Name)
    where TComponents : IEntityComponents<TEntity, TBase> where TBase : class where TComponent : class, TBase, IComponentType<TComponent>
{
    public override bool OnlyIfChanged => part.OnlyIfChanged;

    public override bool HasInitial => true;

    public override PartColumn MakeColumn() => part.MakeColumn();

    public override void Take(TScene scene, TEntity entity, PartColumn column, int index, PartColumn? authored, int authoredIndex)
    {
        if (ComponentOf<TEntity, TComponents, TBase, TComponent>.In(entity) is { } component)
            part.Take(scene, component, column, index, authored, authoredIndex);
        else if (authored is not null && authored.HasValue(authoredIndex))
            column.AddNone(index);
    }

    public override void Put(TScene scene, TEntity entity, PartColumn column, int index)
    {
        if (column.HasValue(index))
            part.Put(scene, ComponentOf<TEntity, TComponents, TBase, TComponent>.Made(entity), column, index);
        else
            Clear(scene, entity);
    }

    public override void PutInitial(TScene scene, TEntity entity) => Clear(scene, entity);

    public override void Clear(TScene scene, TEntity entity) => ComponentOf<TEntity, TComponents, TBase, TComponent>.Remove(entity);
}

/// <summary>A reference of a component as one of its entity.</summary>
internal sealed class ComponentLink<TScene, TEntity, TComponents, TBase, TComponent>(string name, EntityLink<TScene, TComponent> link)
    : EntityLink<TScene, TEntity>(name)
    where TComponents : IEntityComponents<TEntity, TBase> where TBase : class where TComponent : class, TBase, IComponentType<TComponent>
{
    public override bool IsSingle => link.IsSingle;

    public override bool KeepsReferences => link.KeepsReferences;

    public override bool HasInitial => true;

    public override PartColumn MakeColumn() => IsSingle ? ReferenceColumns.One(Name) : ReferenceColumns.Many(Name);

    public override void Take(TScene scene, TEntity entity, TakenReferences taken)
    {
        if (ComponentOf<TEntity, TComponents, TBase, TComponent>.In(entity) is { } component)
            link.Take(scene, component, taken);
    }

    public override void Put(TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets)
    {
        if (ComponentOf<TEntity, TComponents, TBase, TComponent>.In(entity) is { } component)
            link.Put(scene, component, references, targets);
    }
}

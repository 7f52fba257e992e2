using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>Gathers what the entities of a class consist of.</summary>
internal sealed class MemberCollector<TScene, TEntity>(string kind) : IEntityMembers<TEntity> where TEntity : class
{
    public List<EntityPart<TScene, TEntity>> Parts { get; } = [];

    public List<EntityLink<TScene, TEntity>> References { get; } = [];

    public List<EntityChildren> Collections { get; } = [];

    public ParentMember<TEntity>? Owner { get; private set; }

    /// <summary>What looks whether all components of an entity are known.</summary>
    public List<ComponentList<TEntity>> Lists { get; } = [];

    /// <summary>What derived classes do once the scene is there.</summary>
    public List<Action<TEntity, object>> Settled { get; } = [];

    public void Part<TPart, TRow>() where TPart : IEntityPart<TEntity, TRow> where TRow : struct, IStateType<TRow> =>
        Parts.Add(Checked(new DeclaredPart<TScene, TEntity, TPart, TRow>()));

    public void Link<TLink, TTarget>() where TLink : IEntityLink<TEntity, TTarget> where TTarget : class =>
        References.Add(Checked(new DeclaredLink<TScene, TEntity, TLink, TTarget>()));

    public void Links<TLinks, TTarget>() where TLinks : IEntityLinks<TEntity, TTarget> where TTarget : class =>
        References.Add(Checked(new DeclaredLinks<TScene, TEntity, TLinks, TTarget>()));

    public void IdLink<TLink>() where TLink : IEntityIdLink<TEntity> =>
        References.Add(Checked(new DeclaredIdLink<TScene, TEntity, TLink>()));

    public void Parent<TParent>() where TParent : IEntityParent<TEntity> => Owner = new ParentMember<TEntity, TParent>();

    public void Children<TChildren, TChild>() where TChildren : IEntityChildren<TEntity, TChild> where TChild : class =>
        Collections.Add(new EntityChildren<TEntity, TChildren, TChild>());

    public void Components<TComponents, TBase>() where TComponents : IEntityComponents<TEntity, TBase> where TBase : class =>
        Lists.Add(new ComponentList<TEntity, TComponents, TBase>(kind));

    public void Component<TComponents, TBase, TComponent>()
        where TComponents : IEntityComponents<TEntity, TBase> where TBase : class where TComponent
            : class, TBase, IComponentType<TComponent>
    {
        Lists[^1].Known.Add(typeof(TComponent));
        var members = new MemberCollector<TScene, TComponent>(kind);
        TComponent.DescribeMembers(members);
        foreach (var part in members.Parts)
            Parts.Add(Checked(new ComponentPart<TScene, TEntity, TComponents, TBase, TComponent>(part)));
        foreach (var link in members.References)
        {
            References.Add(Checked(
                new ComponentLink<TScene, TEntity, TComponents, TBase, TComponent>($"{members.Parts[0].Name}.{link.Name}", link)));
        }
    }

    /// <summary>Adds what the objects of a derived class have beyond.</summary>
    public void Derived<TDerived>() where TDerived : class, TEntity, IEntityType<TDerived>
    {
        var members = new MemberCollector<TScene, TDerived>(kind);
        TDerived.DescribeMembers(members);
        foreach (var part in members.Parts)
            Parts.Add(Checked(new DerivedPart<TScene, TEntity, TDerived>(part)));
        foreach (var link in members.References)
            References.Add(Checked(new DerivedLink<TScene, TEntity, TDerived>(link)));
        if (TDerived.HasSettled)
        {
            Settled.Add(static (entity, scene) =>
            {
                if (entity is TDerived derived)
                    TDerived.Settle(derived, scene);
            });
        }
    }

    private TMember Checked<TMember>(TMember member) where TMember : EntityMember
    {
        if (Parts.Exists(part => part.Name == member.Name) || References.Exists(link => link.Name == member.Name))
            throw new SceneException(SaveErrorCode.BadBinding, $"The kind \"{kind}\" has two parts named \"{member.Name}\".");
        return member;
    }
}

/// <summary>A part that is declared by attributes.</summary>
internal sealed class DeclaredPart<TScene, TEntity, TPart, TRow>() : EntityPart<TScene, TEntity>(TPart.Name)
    where TPart : IEntityPart<TEntity, TRow> where TRow : struct, IStateType<TRow>
{
    public override bool OnlyIfChanged => TPart.OnlyIfChanged;

    public override bool IsSwitched => TPart.IsSwitched;

    public override bool HasInitial => TPart.IsOptional || TPart.HasInitial;

    public override bool MayReplace => TPart.MayReplace;

    public override PartColumn MakeColumn() => new StatePartColumn<TRow>(Name);

    public override bool AppliesTo(TScene scene, TEntity entity) => TPart.AppliesTo(entity);

    public override void Take(TScene scene, TEntity entity, PartColumn column, int index, PartColumn? authored, int authoredIndex)
    {
        var was = authored is null ? -1 : ((PartColumn<TRow>)authored).RowOf(authoredIndex);
        if (TPart.IsOptional && !TPart.Has(entity))
        {
            // Absent would mean that it is as authored.
            if (was >= 0)
                column.AddNone(index);
        }
        else if (was < 0 || !TPart.IsAs(entity, in ((PartColumn<TRow>)authored!).At(was)))
        {
            TPart.Take(entity, ref ((PartColumn<TRow>)column).Add(index));
        }
    }

    public override void Put(TScene scene, TEntity entity, PartColumn column, int index)
    {
        var rows = (PartColumn<TRow>)column;
        if (rows.RowOf(index) is >= 0 and var row)
            TPart.Put(entity, in rows.At(row));
        else
            TPart.Clear(entity);
    }

    public override void PutInitial(TScene scene, TEntity entity)
    {
        if (TPart.IsOptional)
            TPart.Clear(entity);
        else
            TPart.Put(entity, default);
    }

    public override void Clear(TScene scene, TEntity entity) => TPart.Clear(entity);

    public override bool MustReplace(TScene scene, TEntity entity, PartColumn column, int index)
    {
        var rows = (PartColumn<TRow>)column;
        return rows.RowOf(index) is >= 0 and var row && TPart.MustReplace(entity, in rows.At(row));
    }
}

/// <summary>A reference that is declared by attributes.</summary>
internal sealed class DeclaredLink<TScene, TEntity, TLink, TTarget>() : EntityLink<TScene, TEntity>(TLink.Name)
    where TLink : IEntityLink<TEntity, TTarget> where TTarget : class
{
    public override bool IsSingle => true;

    public override bool KeepsReferences => false;

    public override bool HasInitial => TLink.HasInitial;

    public override PartColumn MakeColumn() => ReferenceColumns.One(Name);

    public override void Take(TScene scene, TEntity entity, TakenReferences taken)
    {
        if (TLink.Take(entity) is { } target)
            taken.Add(target);
    }

    public override void Put(TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets)
    {
        var target = targets.Count > 0 ? targets[0] as TTarget : null;
        if (target is not null || !TLink.IsNeverNull)
            TLink.Put(entity, target);
    }
}

/// <summary>References that are declared by attributes.</summary>
internal sealed class DeclaredLinks<TScene, TEntity, TLinks, TTarget>() : EntityLink<TScene, TEntity>(TLinks.Name)
    where TLinks : IEntityLinks<TEntity, TTarget> where TTarget : class
{
    private readonly List<TTarget> _targets = [];

    public override bool IsSingle => false;

    public override bool KeepsReferences => false;

    public override bool HasInitial => TLinks.HasInitial;

    public override PartColumn MakeColumn() => ReferenceColumns.Many(Name);

    public override void Take(TScene scene, TEntity entity, TakenReferences taken)
    {
        foreach (var target in TLinks.Take(entity) ?? [])
        {
            if (target is not null)
                taken.Add((object)target);
        }
    }

    public override void Put(TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets)
    {
        _targets.Clear();
        for (var i = 0; i < targets.Count; i++)
        {
            if (targets[i] is TTarget target)
                _targets.Add(target);
        }
        TLinks.Put(entity, _targets);
        _targets.Clear();
    }
}

/// <summary>A reference by id that is declared by attributes.</summary>
internal sealed class DeclaredIdLink<TScene, TEntity, TLink>() : EntityLink<TScene, TEntity>(TLink.Name)
    where TLink : IEntityIdLink<TEntity>
{
    public override bool IsSingle => true;

    public override bool KeepsReferences => true;

    public override bool HasInitial => true;

    public override PartColumn MakeColumn() => ReferenceColumns.One(Name);

    public override void Take(TScene scene, TEntity entity, TakenReferences taken)
    {
        if (TLink.Take(entity) is { } reference && reference != default)
            taken.Add(reference);
    }

    public override void Put(TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets) =>
        TLink.Put(entity, references.Count > 0 ? references[0] : null);
}

/// <summary>A part of the objects of a derived class.</summary>
internal sealed class DerivedPart<TScene, TEntity, TDerived>(EntityPart<TScene, TDerived> part) : EntityPart<TScene, TEntity>(part.Name)
    where TDerived : class, TEntity
{
    public override bool OnlyIfChanged => part.OnlyIfChanged;

    public override bool IsSwitched => true;

    public override bool HasInitial => part.HasInitial;

    public override bool MayReplace => part.MayReplace;

    public override PartColumn MakeColumn() => part.MakeColumn();

    public override bool AppliesTo(TScene scene, TEntity entity) => entity is TDerived derived && part.AppliesTo(scene, derived);

    public override void Take(TScene scene, TEntity entity, PartColumn column, int index, PartColumn? authored, int authoredIndex) =>
        part.Take(scene, (TDerived)entity!, column, index, authored, authoredIndex);

    public override void Put(TScene scene, TEntity entity, PartColumn column, int index) =>
        part.Put(scene, (TDerived)entity!, column, index);

    public override void PutInitial(TScene scene, TEntity entity) => part.PutInitial(scene, (TDerived)entity!);

    public override void Clear(TScene scene, TEntity entity) => part.Clear(scene, (TDerived)entity!);

    public override bool MustReplace(TScene scene, TEntity entity, PartColumn column, int index) =>
        entity is TDerived derived && part.MustReplace(scene, derived, column, index);
}

/// <summary>A reference of the objects of a derived class.</summary>
internal sealed class DerivedLink<TScene, TEntity, TDerived>(EntityLink<TScene, TDerived> link) : EntityLink<TScene, TEntity>(link.Name)
    where TDerived : class, TEntity
{
    public override bool IsSingle => link.IsSingle;

    public override bool KeepsReferences => link.KeepsReferences;

    // Objects of other classes do not have it.
    public override bool HasInitial => true;

    public override PartColumn MakeColumn() => link.MakeColumn();

    public override void Take(TScene scene, TEntity entity, TakenReferences taken)
    {
        if (entity is TDerived derived)
            link.Take(scene, derived, taken);
    }

    public override void Put(TScene scene, TEntity entity, IReadOnlyList<EntityReference> references, IReadOnlyList<object?> targets)
    {
        if (entity is TDerived derived)
            link.Put(scene, derived, references, targets);
    }
}

/// <summary>What the entities of a class belong to.</summary>
internal abstract class ParentMember<TEntity>
{
    public abstract object? Take(TEntity entity);

    public abstract void Put(TEntity entity, object? parent, object scene);
}

internal sealed class ParentMember<TEntity, TParent> : ParentMember<TEntity> where TParent : IEntityParent<TEntity>
{
    public override object? Take(TEntity entity) => TParent.Take(entity);

    public override void Put(TEntity entity, object? parent, object scene) => TParent.Put(entity, parent, scene);
}

/// <summary>A collection of an entity that others are found in.</summary>
internal abstract class EntityChildren(Type type)
{
    /// <summary>The class of those.</summary>
    public Type Type => type;

    public abstract IEnumerable<object?>? Of(object entity);

    public abstract void Add(object entity, object child);

    public abstract void Remove(object entity, object child);
}

internal sealed class EntityChildren<TEntity, TChildren, TChild>() : EntityChildren(typeof(TChild))
    where TChildren : IEntityChildren<TEntity, TChild> where TChild : class
{
    public override IEnumerable<object?>? Of(object entity) => TChildren.Of((TEntity)entity);

    public override void Add(object entity, object child) => TChildren.Add((TEntity)entity, (TChild)child);

    public override void Remove(object entity, object child) => TChildren.Remove((TEntity)entity, (TChild)child);
}

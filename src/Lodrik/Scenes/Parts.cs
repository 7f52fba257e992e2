using System.Runtime.CompilerServices;
using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>A part that is a state type, by a getter and a setter.</summary>
internal sealed class StatePart<TScene, TEntity, TPart>(
    string name, Func<TScene, TEntity, TPart?> take, Action<TScene, TEntity, TPart> put, Action<TScene, TEntity>? clear,
    Func<TScene, TEntity, bool>? when, bool onlyIfChanged, Func<TScene, TEntity, bool>? has = null)
    : EntityPart<TScene, TEntity>(name)
    where TPart : IStateType<TPart>
{
    public override bool OnlyIfChanged => onlyIfChanged;

    public override bool IsSwitched => when is not null;

    public override PartColumn MakeColumn() => new StatePartColumn<TPart>(Name);

    public override bool AppliesTo(TScene scene, TEntity entity) => when is null || when(scene, entity);

    public override void Take(TScene scene, TEntity entity, PartColumn column, int index, PartColumn? authored, int authoredIndex)
    {
        TPart? was = default;
        var hadOne = authored is not null && ((PartColumn<TPart>)authored).TryGet(authoredIndex, out was);
        if ((has is not null && !has(scene, entity)) || take(scene, entity) is not { } part)
        {
            // Absent would mean that it is as authored.
            if (hadOne)
                column.AddNone(index);
        }
        else if (!hadOne || !TPart.AreEqualStates(part, was!, context: null))
            ((PartColumn<TPart>)column).Add(index, Copy(part));
    }

    public override void Put(TScene scene, TEntity entity, PartColumn column, int index)
    {
        if (((PartColumn<TPart>)column).TryGet(index, out var part) && part is not null)
            put(scene, entity, Copy(part));
        else
            Clear(scene, entity);
    }

    public override void Clear(TScene scene, TEntity entity) => clear?.Invoke(scene, entity);

    // A value without anything after it is a copy already.
    private static TPart Copy(TPart part) =>
        RuntimeHelpers.IsReferenceOrContainsReferences<TPart>() ? StateContent.Copy(part) : part;
}

/// <summary>A part that is not a state type: a name, a switch.</summary>
internal sealed class ScalarPart<TScene, TEntity, TPart, TCodec>(
    string name, Func<TScene, TEntity, TPart> take, Action<TScene, TEntity, TPart> put, bool onlyIfChanged)
    : EntityPart<TScene, TEntity>(name)
    where TCodec : IStateCodec<TPart>
{
    public override bool OnlyIfChanged => onlyIfChanged;

    public override PartColumn MakeColumn() => new ScalarPartColumn<TPart, TCodec>(Name);

    public override void Take(TScene scene, TEntity entity, PartColumn column, int index, PartColumn? authored, int authoredIndex)
    {
        var part = take(scene, entity);
        if (authored is null || !((PartColumn<TPart>)authored).TryGet(authoredIndex, out var was)
            || !TCodec.AreEqual(part, was, context: null))
            ((PartColumn<TPart>)column).Add(index, part);
    }

    public override void Put(TScene scene, TEntity entity, PartColumn column, int index)
    {
        if (((PartColumn<TPart>)column).TryGet(index, out var part))
            put(scene, entity, part);
    }

    public override void Clear(TScene scene, TEntity entity)
    {
    }
}

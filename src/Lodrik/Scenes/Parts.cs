using System.Runtime.CompilerServices;
using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>A part of a kind, whatever its type.</summary>
internal interface IPartBinding<TEntity>
{
    string Name { get; }

    bool OnlyIfChanged { get; }

    PartColumn MakeColumn();

    /// <summary>Whether the entity has the part at all.</summary>
    bool AppliesTo(TEntity entity);

    /// <summary>Takes the part into a column.</summary>
    /// <param name="entity">The entity, which the part applies to.</param>
    /// <param name="column">The column, made here.</param>
    /// <param name="index">The entity's place in the record.</param>
    /// <param name="authored">
    /// The column of the authored scene and the entity's place in it, if the part need not be taken when it is the same.
    /// </param>
    void Take(TEntity entity, PartColumn column, int index, (PartColumn Column, int Index)? authored);

    /// <summary>Puts a copy of the part that the column has; false where it has none.</summary>
    bool Put(TEntity entity, PartColumn column, int index);

    void Clear(TEntity entity);
}

internal sealed class StatePart<TEntity, TPart>(
    string name, Func<TEntity, TPart?> take, Action<TEntity, TPart> put, Action<TEntity>? clear, Func<TEntity, bool>? when,
    bool onlyIfChanged, Func<TEntity, bool>? has = null)
    : IPartBinding<TEntity>
    where TPart : IStateType<TPart>
{
    public string Name => name;

    public bool OnlyIfChanged => onlyIfChanged;

    public PartColumn MakeColumn() => new StatePartColumn<TPart>(name);

    public bool AppliesTo(TEntity entity) => when is null || when(entity);

    public void Take(TEntity entity, PartColumn column, int index, (PartColumn Column, int Index)? authored)
    {
        if ((has is not null && !has(entity)) || take(entity) is not { } part)
            return;
        if (authored is { } before && ((StatePartColumn<TPart>)before.Column).TryGet(before.Index, out var was) && T.Same(part, was))
            return;
        ((StatePartColumn<TPart>)column).Add(index, T.Copy(part));
    }

    public bool Put(TEntity entity, PartColumn column, int index)
    {
        if (!((StatePartColumn<TPart>)column).TryGet(index, out var part) || part is null)
            return false;
        put(entity, T.Copy(part));
        return true;
    }

    public void Clear(TEntity entity) => clear?.Invoke(entity);

    private static class T
    {
        public static bool Same(TPart one, TPart other) => TPart.AreEqualStates(one, other, context: null);

        // A value without anything behind it is a copy already.
        public static TPart Copy(TPart part) => RuntimeHelpers.IsReferenceOrContainsReferences<TPart>() ? StateContent.Copy(part) : part;
    }
}

internal sealed class ScalarPart<TEntity, TPart, TCodec>(
    string name, Func<TEntity, TPart> take, Action<TEntity, TPart> put, bool onlyIfChanged) : IPartBinding<TEntity>
    where TCodec : IStateCodec<TPart>
{
    public string Name => name;

    public bool OnlyIfChanged => onlyIfChanged;

    public PartColumn MakeColumn() => new ScalarPartColumn<TPart, TCodec>(name);

    public bool AppliesTo(TEntity entity) => true;

    public void Take(TEntity entity, PartColumn column, int index, (PartColumn Column, int Index)? authored)
    {
        var part = take(entity);
        if (authored is { } before && ((PartColumn<TPart>)before.Column).TryGet(before.Index, out var was)
            && TCodec.AreEqual(part, was, context: null))
            return;
        ((PartColumn<TPart>)column).Add(index, part);
    }

    public bool Put(TEntity entity, PartColumn column, int index)
    {
        if (!((PartColumn<TPart>)column).TryGet(index, out var part))
            return false;
        put(entity, part);
        return true;
    }

    public void Clear(TEntity entity)
    {
    }
}

using System.ComponentModel;
using System.Runtime.InteropServices;

namespace Lodrik.Scenes;

/// <summary>What generated code tells of a declared scene.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public static class DeclaredScene
{
    /// <summary>The name of the kind that the scene's own state is saved under, and its id.</summary>
    public const string OwnKind = "scene";

    /// <summary>Entities are found in a member of the scene. What it gives may be null.</summary>
    public static void Found<TScene, TBase>(SceneBindings<TScene> bindings, Func<TScene, IEnumerable<TBase>?> entities)
        where TBase : class
    {
        ArgumentNullException.ThrowIfNull(bindings);
        ArgumentNullException.ThrowIfNull(entities);
        bindings.Add(new DeclaredFamily<TScene, TBase>(bindings.Declared, entities));
    }

    /// <summary>A class is a kind.</summary>
    /// <exception cref="SceneException">The kind is there already.</exception>
    public static void Kind<TScene, TEntity, TPlace>(SceneBindings<TScene> bindings)
        where TEntity : class, IEntityType<TEntity> where TPlace : IEntityPlace<TScene, TEntity>
    {
        ArgumentNullException.ThrowIfNull(bindings);
        var members = new MemberCollector<TScene, TEntity>(TEntity.Kind);
        TEntity.DescribeMembers(members);
        var kind = new DeclaredKind<TScene, TEntity, TPlace>(TEntity.Kind, bindings.Declared, members);
        bindings.Add(kind);
        bindings.Declared.Add(typeof(TEntity), kind);
        foreach (var former in TEntity.FormerKinds)
            bindings.FormerKind(former, TEntity.Kind);
    }

    /// <summary>A class and those derived from it are as many kinds as a catalogue has names.</summary>
    /// <param name="bindings">The bindings.</param>
    /// <param name="names">The names.</param>
    /// <param name="kindOf">The kind of an object.</param>
    /// <param name="derived">Names the derived classes that have their own members.</param>
    /// <exception cref="SceneException">One of the kinds is there already.</exception>
    public static void Kinds<TScene, TEntity, TPlace>(
        SceneBindings<TScene> bindings, IEnumerable<string> names, Func<TEntity, string> kindOf, Action<DerivedClasses<TScene,
            TEntity>> derived)
        where TEntity : class, IEntityType<TEntity> where TPlace : IEntityPlace<TScene, TEntity>
    {
        ArgumentNullException.ThrowIfNull(bindings);
        ArgumentNullException.ThrowIfNull(names);
        ArgumentNullException.ThrowIfNull(derived);
        var kinds = new Dictionary<string, IDeclaredKind<TScene>>(StringComparer.Ordinal);
        foreach (var name in names)
        {
            var members = new MemberCollector<TScene, TEntity>(name);
            TEntity.DescribeMembers(members);
            derived(new DerivedClasses<TScene, TEntity>(members));
            var kind = new DeclaredKind<TScene, TEntity, TPlace>(name, bindings.Declared, members);
            bindings.Add(kind);
            kinds.Add(name, kind);
        }
        bindings.Declared.Add(typeof(TEntity), [.. kinds.Values], entity =>
            kindOf((TEntity)entity) is { } name && kinds.TryGetValue(name, out var kind) ? kind : throw new SceneException(
                SaveErrorCode.SceneConflict, $"An object of the scene is of the kind \"{kindOf((TEntity)entity)}\", which is not declared.",
                remedy: $"Declared kinds: {string.Join(", ", kinds.Keys)}."));
    }

    /// <summary>Creates an entity.</summary>
    public static TEntity Create<TEntity>(in EntityCreation creation) where TEntity : class, IEntityType<TEntity> =>
        TEntity.Create(creation);

    /// <summary>The id of an entity.</summary>
    public static EntityId IdOf<TEntity>(TEntity entity) where TEntity : class, IEntityType<TEntity> => TEntity.IdOf(entity);

    /// <summary>Has an entity remove itself.</summary>
    public static void RemoveItself<TEntity>(TEntity entity) where TEntity : class, IEntityType<TEntity> => TEntity.RemoveItself(entity);

    /// <summary>Removes an object from a list, whatever it thinks of equality. What was added last is found first.</summary>
    public static void Remove<T>(IList<T>? list, T entity) where T : class
    {
        if (list is null)
            return;
        for (var i = list.Count - 1; i >= 0; i--)
        {
            if (ReferenceEquals(list[i], entity))
            {
                list.RemoveAt(i);
                return;
            }
        }
    }

    /// <summary>Removes an object from a dictionary, where the game may have put it under another key than its id.</summary>
    public static void Remove<TKey, T>(IDictionary<TKey, T>? entities, TKey key, T entity) where T : class
    {
        if (entities is null)
            return;
        if (key is not null && entities.TryGetValue(key, out var found) && ReferenceEquals(found, entity))
        {
            entities.Remove(key);
            return;
        }
        foreach (var (other, one) in entities)
        {
            if (ReferenceEquals(one, entity))
            {
                entities.Remove(other);
                return;
            }
        }
    }

    /// <summary>Makes a collection hold these.</summary>
    public static void Fill<T>(ICollection<T>? collection, IReadOnlyList<T> items)
    {
        ArgumentNullException.ThrowIfNull(items);
        if (collection is null)
            return;
        collection.Clear();
        if (collection is List<T> list)
        {
            CollectionsMarshal.SetCount(list, items.Count);
            for (var i = 0; i < items.Count; i++)
                list[i] = items[i];
            return;
        }
        for (var i = 0; i < items.Count; i++)
            collection.Add(items[i]);
    }

    /// <summary>The place of entities that are always there, or that are only found in others.</summary>
    /// <exception cref="SceneException">Always: nothing can be added to it.</exception>
    public static Exception NoPlace(string kind, EntityId id) => new SceneException(
        SaveErrorCode.SceneConflict, $"The {kind} {id} has no parent, but entities of its kind are found only in their parents.",
        remedy: "Give the scene a collection of these entities as well.");
}

/// <summary>Names derived classes with their own members.</summary>
/// <typeparam name="TScene">The scene.</typeparam>
/// <typeparam name="TEntity">The class that they are derived from.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public readonly struct DerivedClasses<TScene, TEntity> where TEntity : class
{
    private readonly MemberCollector<TScene, TEntity> _members;

    internal DerivedClasses(MemberCollector<TScene, TEntity> members) => _members = members;

    /// <summary>Names one.</summary>
    public void Add<TDerived>() where TDerived : class, TEntity, IEntityType<TDerived> => _members.Derived<TDerived>();
}

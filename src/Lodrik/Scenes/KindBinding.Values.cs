using System.Numerics;
using Lodrik.State;

namespace Lodrik.Scenes;

// Parts that are plain values. What consists of several is a state type.
public sealed partial class KindBinding<TScene, TEntity>
{
    /// <summary>A plain value of an object's state.</summary>
    /// <param name="name">The part's name in the save.</param>
    /// <param name="take">Gets the value of an object.</param>
    /// <param name="put">Gives an object a value that was saved.</param>
    /// <param name="onlyIfChanged">Whether a placed object's part is saved only if it is not as the designer left it.</param>
    /// <exception cref="SceneException">The kind has a part of that name already.</exception>
#pragma warning disable RS0026, RS0027 // The overloads differ in the type of the value, so none hides another.
    public KindBinding<TScene, TEntity> Part(
        string name, Func<TEntity, bool> take, Action<TEntity, bool> put, bool onlyIfChanged = false) =>
        Value<bool, BoolCodec>(name, take, put, onlyIfChanged);

    /// <inheritdoc cref="Part(string, Func{TEntity, bool}, Action{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part(
        string name, Func<TEntity, int> take, Action<TEntity, int> put, bool onlyIfChanged = false) =>
        Value<int, IntegerCodec<int>>(name, take, put, onlyIfChanged);

    /// <inheritdoc cref="Part(string, Func{TEntity, bool}, Action{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part(
        string name, Func<TEntity, long> take, Action<TEntity, long> put, bool onlyIfChanged = false) =>
        Value<long, IntegerCodec<long>>(name, take, put, onlyIfChanged);

    /// <inheritdoc cref="Part(string, Func{TEntity, bool}, Action{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part(
        string name, Func<TEntity, float> take, Action<TEntity, float> put, bool onlyIfChanged = false) =>
        Value<float, SingleCodec>(name, take, put, onlyIfChanged);

    /// <inheritdoc cref="Part(string, Func{TEntity, bool}, Action{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part(
        string name, Func<TEntity, double> take, Action<TEntity, double> put, bool onlyIfChanged = false) =>
        Value<double, DoubleCodec>(name, take, put, onlyIfChanged);

    /// <inheritdoc cref="Part(string, Func{TEntity, bool}, Action{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part(
        string name, Func<TEntity, string?> take, Action<TEntity, string> put, bool onlyIfChanged = false) =>
        Value<string?, TextCodec>(name, take, put is null ? null! : (one, text) => put(one, text ?? ""), onlyIfChanged);

    /// <inheritdoc cref="Part(string, Func{TEntity, bool}, Action{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part(
        string name, Func<TEntity, Vector2> take, Action<TEntity, Vector2> put, bool onlyIfChanged = false) =>
        Value<Vector2, PackCodec<Vector2, float>>(name, take, put, onlyIfChanged);

    /// <inheritdoc cref="Part(string, Func{TEntity, bool}, Action{TEntity, bool}, bool)"/>
    public KindBinding<TScene, TEntity> Part(
        string name, Func<TEntity, Vector3> take, Action<TEntity, Vector3> put, bool onlyIfChanged = false) =>
        Value<Vector3, PackCodec<Vector3, float>>(name, take, put, onlyIfChanged);

#pragma warning restore RS0026, RS0027

    private KindBinding<TScene, TEntity> Value<TValue, TCodec>(
        string name, Func<TEntity, TValue> take, Action<TEntity, TValue> put, bool onlyIfChanged) where TCodec : IStateCodec<TValue>
    {
        CheckMember(name, take, put);
        _parts.Add(new ScalarPart<TScene, TEntity, TValue, TCodec>(
            name, (_, entity) => take(entity), (_, entity, value) => put(entity, value), onlyIfChanged));
        return this;
    }
}

using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using Lodrik.State;

namespace Lodrik.Scenes;

/// <summary>
/// What tells one entity of a scene from all others, in every save and every version of the game: the authored name of a
/// placed entity, or the number of a spawned one. As text, a number has a '#' before it.
/// </summary>
public readonly record struct EntityId : IComparable<EntityId>
{
    private readonly string? _name;

    // Of a placed entity the hash of its name: ids are looked up far more often than made.
    private readonly long _number;

    private EntityId(string? name, long number)
    {
        _name = name;
        _number = name is null ? number : string.GetHashCode(name.AsSpan());
    }

    /// <summary>Whether the entity was created while the game ran; otherwise the designer placed it.</summary>
    public bool IsSpawned => _name is null;

    /// <summary>The authored name of a placed entity; null for a spawned one.</summary>
    public string? Name => _name;

    /// <summary>The number of a spawned entity; 0 for a placed one.</summary>
    public long Number => _name is null ? _number : 0;

    /// <summary>The id of a placed entity.</summary>
    /// <param name="name">Its authored name: not empty, without '#' at its beginning, and without lone surrogates.</param>
    /// <exception cref="ArgumentException">The name is not valid.</exception>
    public static EntityId Placed(string name)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        if (name[0] == '#')
            throw new ArgumentException($"\"{name}\" cannot name a placed entity: '#' begins the number of a spawned one.", nameof(name));
        if (LoneSurrogates.AreIn(name))
            throw new ArgumentException(
                $"\"{name}\" cannot name an entity: it contains a lone surrogate, which no file can hold.", nameof(name));
        return new EntityId(name, 0);
    }

    /// <summary>The id of a spawned entity.</summary>
    /// <param name="number">Its number, from 1.</param>
    /// <exception cref="ArgumentOutOfRangeException">The number is not positive.</exception>
    public static EntityId Spawned(long number)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(number, 1);
        return new EntityId(null, number);
    }

    /// <summary>Reads an id from its text.</summary>
    public static bool TryParse([NotNullWhen(true)] string? text, out EntityId id)
    {
        id = default;
        if (string.IsNullOrEmpty(text))
            return false;
        if (LoneSurrogates.AreIn(text))
            return false;
        if (text[0] != '#')
            id = new EntityId(text, 0);
        else if (long.TryParse(text.AsSpan(1), NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number >= 1)
            id = new EntityId(null, number);
        else
            return false;
        return true;
    }

    /// <inheritdoc cref="Placed"/>
    public static implicit operator EntityId(string name) => Placed(name ?? throw new ArgumentNullException(
        nameof(name), "null is not an id. If there may be none, as in \"found ? id : null\", write (EntityId?)null."));

    /// <inheritdoc cref="Spawned"/>
    public static implicit operator EntityId(long number) => Spawned(number);

    /// <summary>Whether it is the same id.</summary>
    public bool Equals(EntityId other) =>
        _number == other._number && (ReferenceEquals(_name, other._name) || string.Equals(_name, other._name, StringComparison.Ordinal));

    /// <inheritdoc/>
    public override int GetHashCode() => _number.GetHashCode();

    /// <summary>Placed entities by name, then spawned ones by number.</summary>
    public int CompareTo(EntityId other) =>
        IsSpawned != other.IsSpawned ? IsSpawned.CompareTo(other.IsSpawned)
        : IsSpawned ? _number.CompareTo(other._number)
        : string.CompareOrdinal(_name, other._name);

    /// <summary>The id's text: the name, or '#' and the number.</summary>
    public override string ToString() => _name ?? string.Create(CultureInfo.InvariantCulture, $"#{_number}");
}

using System.Numerics;

namespace Lodrik.Scenes.Authoring;

/// <summary>A position in a level of two or three dimensions, in the level's units. It is made of a vector of either kind.</summary>
/// <param name="Value">The position; z is 0 in a level of two dimensions.</param>
public readonly record struct LevelPosition(Vector3 Value)
{
    /// <summary>A position in a level of two dimensions.</summary>
    public static implicit operator LevelPosition(Vector2 position) => new(new Vector3(position, 0));

    /// <summary>A position in a level of three dimensions.</summary>
    public static implicit operator LevelPosition(Vector3 position) => new(position);
}

using System.Numerics;

namespace Lodrik;

/// <summary>Where something is in two dimensions.</summary>
/// <param name="Position">Where it is, in the game's own units.</param>
/// <param name="Rotation">How far it is turned, in the game's own units.</param>
/// <param name="Scale">How large it is; (1, 1) is its own size.</param>
[StateType]
public partial record struct Placement2D(Vector2 Position, float Rotation, Vector2 Scale)
{
    /// <summary>A place without a turn, in its own size.</summary>
    public Placement2D(Vector2 position)
        : this(position, 0, Vector2.One)
    {
    }
}

/// <summary>Where something is in three dimensions.</summary>
/// <param name="Position">Where it is, in the game's own units.</param>
/// <param name="Rotation">How it is turned.</param>
/// <param name="Scale">How large it is; (1, 1, 1) is its own size.</param>
[StateType]
public partial record struct Placement3D(Vector3 Position, Quaternion Rotation, Vector3 Scale)
{
    /// <summary>A place without a turn, in its own size.</summary>
    public Placement3D(Vector3 position)
        : this(position, Quaternion.Identity, Vector3.One)
    {
    }
}

namespace MarshEngine;

/// <summary>A vector.</summary>
public struct Vec3(float x, float y, float z)
{
    public float X = x, Y = y, Z = z;
}

/// <summary>A colour.</summary>
public struct Tint
{
    public float R, G, B, A;
}

/// <summary>Three axes.</summary>
public struct Axes
{
    public Vec3 Right, Up, Back;
}

/// <summary>Where something is, and how it is turned.</summary>
public struct Pose
{
    public Axes Axes;
    public Vec3 Origin;
}

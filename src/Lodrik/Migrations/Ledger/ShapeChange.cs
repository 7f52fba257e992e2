namespace Lodrik.Migrations;

/// <summary>What kind of change there is between two shapes.</summary>
#if GENERATOR
internal
#else
public
#endif
enum ShapeChangeKind
{
    /// <summary>There is something more: a member with an initial value, a variant, a kind, a part, a value of an enum.</summary>
    Added,

    /// <summary>Something is there no more.</summary>
    Removed,

    /// <summary>The type is another, and does not read what the older one wrote.</summary>
    TypeChanged,

    /// <summary>A save has to have it now.</summary>
    BecameRequired,

    /// <summary>The key stands for another member than it did.</summary>
    MeaningChanged,
}

/// <summary>What a change is a change of.</summary>
#if GENERATOR
internal
#else
public
#endif
enum ShapeElement
{
    /// <summary>A member of a state type; of the root, a section.</summary>
    Member,

    /// <summary>A variant.</summary>
    Variant,

    /// <summary>A value of an enum.</summary>
    EnumValue,

    /// <summary>A kind of entity.</summary>
    Kind,

    /// <summary>A part of a kind.</summary>
    Part,

    /// <summary>The section of a part of the game.</summary>
    Subsystem,

    /// <summary>A scene.</summary>
    Scene,
}

/// <summary>One difference between the shapes of two versions.</summary>
/// <param name="Kind">What kind of change it is.</param>
/// <param name="Element">What changed.</param>
/// <param name="Path">
/// Where it shows in a save, as migration steps name it: a JSON Pointer, or <c>flame of each beacon: /lit</c>.
/// </param>
/// <param name="Name">The key, or the name, that changed.</param>
/// <param name="Owner">The type of today that it belongs to; empty if it is not a type's.</param>
/// <param name="Before">Its type before; empty if there was none.</param>
/// <param name="After">Its type now; empty if there is none.</param>
/// <param name="IsLoss">Whether saves of the older shape lose something by it, so that a step is needed.</param>
/// <param name="Note">What else there is to say; empty for nothing.</param>
#if GENERATOR
internal
#else
public
#endif
sealed record ShapeChange(
    ShapeChangeKind Kind, ShapeElement Element, string Path, string Name, string Owner, string Before, string After, bool IsLoss,
    string Note = "")
{
    /// <summary>The change in words.</summary>
    public override string ToString() => $"{Path}{What}{(Note.Length > 0 ? $" ({Note})" : "")}";

    private string What => (Kind, Element) switch
    {
        (ShapeChangeKind.Added, ShapeElement.Member) => $" is new: {After}",
        (ShapeChangeKind.Removed, ShapeElement.Member) => $" was removed: {Before}",
        (ShapeChangeKind.Added, ShapeElement.Variant) => $": the variant {Name} is new",
        (ShapeChangeKind.Removed, ShapeElement.Variant) => $": the variant {Name} was removed",
        (ShapeChangeKind.Added, ShapeElement.EnumValue) => $": the value {Name} is new",
        (ShapeChangeKind.Removed, ShapeElement.EnumValue) => $": the value {Name} was removed",
        (ShapeChangeKind.Added, ShapeElement.Kind) => $"the kind {Name} is new",
        (ShapeChangeKind.Removed, ShapeElement.Kind) => $"the kind {Name} was removed",
        (ShapeChangeKind.Added, ShapeElement.Part) => $" is new: {After}",
        (ShapeChangeKind.Removed, ShapeElement.Part) => $" was removed: {Before}",
        (ShapeChangeKind.Added, ShapeElement.Subsystem) => $" is new: {After}",
        (ShapeChangeKind.Removed, ShapeElement.Subsystem) => $" was removed: {Before}",
        (ShapeChangeKind.Added, ShapeElement.Scene) => ": the scene is new",
        (ShapeChangeKind.Removed, ShapeElement.Scene) => ": the scene was removed",
        (ShapeChangeKind.BecameRequired, _) => " became required",
        (ShapeChangeKind.MeaningChanged, ShapeElement.Variant) => $": the variant {Name} now names another type",
        (ShapeChangeKind.MeaningChanged, _) => " now means another member",
        _ => $" was {Before} and is {After}",
    };
}

namespace Lodrik.Migrations;

/// <summary>What a claim is about.</summary>
internal enum ClaimSort
{
    /// <summary>Whatever is at a path.</summary>
    Place,

    /// <summary>Objects of a variant at a path.</summary>
    Variant,

    /// <summary>A value of an enum at a path.</summary>
    EnumValue,

    /// <summary>A kind of entity as such.</summary>
    Kind,

    /// <summary>A section as a whole, of which the game's own code makes what it wants.</summary>
    Section,
}

/// <summary>
/// What an operation of a step says that a save of the older version has, so that it can be held against the ledger, or that it puts there.
/// </summary>
/// <param name="Sort">What it is about.</param>
/// <param name="Path">The place; within a part, or within an entity, where a kind is named.</param>
/// <param name="Name">The variant or the value; empty for a place.</param>
/// <param name="Kind">The kind of entity in which it is, <c>*</c> for any; null for none.</param>
/// <param name="Part">The part of the kind; null for none, or for the entity as a whole.</param>
/// <param name="IsNew">Whether the operation puts something there, so that nothing has to be there before.</param>
internal sealed record StepClaim(
    ClaimSort Sort, MigrationPath Path, string Name = "", string? Kind = null, string? Part = null, bool IsNew = false)
{
    public const string Any = "*";

    private const string Parts = "parts";
    private const string Entities = "entities";

    /// <summary>The same claim of what is within a place.</summary>
    public StepClaim Within(MigrationPath place) => this with { Path = MigrationPath.Of([.. place.Steps, .. Path.Steps]) };

    /// <summary>The same claim of what is within the entities of a kind.</summary>
    public StepClaim WithinEntities(string kind) => Path.Steps is [Parts, { } part, ..]
        ? this with { Kind = kind, Part = part, Path = Path.From(2) }
        : this with { Kind = kind, Sort = Path.Steps is ["kind"] ? ClaimSort.Kind : Sort };

    /// <summary>The same claim, of entities where its path leads into a scene.</summary>
    public StepClaim InScenes(string scenes) => Path.Steps switch
    {
        [{ } group, _, Entities, _, ..] when group == scenes => (this with { Path = Path.From(4) }).WithinEntities(Any),
        [{ } group, ..] when group == scenes && Sort == ClaimSort.Section => this with { Kind = Any, Path = MigrationPath.Of() },
        _ => this,
    };

    /// <summary>Whether an operation that says this deals with a change: with its place, with something around it or within it.</summary>
    public bool Covers(ShapeChange change)
    {
        if (change.Element == ShapeElement.Kind)
            return Sort is ClaimSort.Kind or ClaimSort.Section && (Kind == Any || Kind == change.Name);
        var (kind, part, path) = PlaceOf(change);
        if (kind is null != Kind is null || (kind is not null && Kind != Any && Kind != kind))
            return false;
        if (Sort == ClaimSort.Section)
            return kind is not null || Meets(path);
        if (kind is not null && Part is null)
            return Sort == ClaimSort.Place;
        return (kind is null || Part == part) && Meets(path) && Sort switch
        {
            ClaimSort.EnumValue => change.Element == ShapeElement.EnumValue && Name == change.Name,
            ClaimSort.Variant => change.Element == ShapeElement.Variant && Name == change.Name,
            ClaimSort.Kind => false,
            _ => true,
        };
    }

    /// <summary>A change's path taken apart: <c>flame of each beacon: /lit</c> is within a part.</summary>
    public static (string? Kind, string? Part, string Path) PlaceOf(ShapeChange change)
    {
        const string Of = " of each ";
        var path = change.Element == ShapeElement.Part ? change.Path + ": " : change.Path;
        var of = path.IndexOf(Of, StringComparison.Ordinal);
        var colon = of < 0 ? -1 : path.IndexOf(": ", of, StringComparison.Ordinal);
        return of <= 0 || colon < 0 || path[0] == '/'
            ? (null, null, path)
            : (path[(of + Of.Length)..colon], path[..of], path[(colon + 2)..]);
    }

    private bool Meets(string path) => (path.Length == 0 || path[0] == '/')
        && Path.Steps.Zip(MigrationPath.Parse(path).Steps, (mine, its) => mine is null || its is null || mine == its).All(same => same);
}

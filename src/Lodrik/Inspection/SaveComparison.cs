using System.Text;
using Lodrik.Formats;
using Lodrik.Saves;
using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik.Inspection;

/// <summary>What became of an entity between two saves.</summary>
public enum EntityOutcome
{
    /// <summary>It is there, and was not.</summary>
    Added,

    /// <summary>It was there, and is not.</summary>
    Removed,

    /// <summary>It is somewhere else; other things of it may be different too.</summary>
    Moved,

    /// <summary>Something of it is different.</summary>
    Changed,

    /// <summary>It was placed and not in the save, because it was as the designer left it; now it is in it.</summary>
    NoLongerAuthored,

    /// <summary>It was placed and in the save; now it is not, because it is as the designer left it.</summary>
    AuthoredAgain,
}

/// <summary>One entity that is not as it was.</summary>
/// <param name="Scene">Its scene.</param>
/// <param name="Id">The entity.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Outcome">What became of it.</param>
/// <param name="Changes">
/// What is different of it, by paths below its parts; all that the one save has of it where the other does not mention it because it is as
/// authored; empty if it came or went.
/// </param>
public sealed record EntityChange(string Scene, EntityId Id, string Kind, EntityOutcome Outcome, IReadOnlyList<StateChange> Changes);

/// <summary>
/// What is different between two saves of any form, without the game's types. Maps are compared by their keys and scenes by their entities,
/// in whatever order they stand; lists item by item, what was put in or taken out aside.
/// </summary>
public sealed class SaveComparison
{
    private SaveComparison(IReadOnlyList<StateChange> values, IReadOnlyList<EntityChange> entities, IReadOnlyList<StateChange> all) =>
        (Values, Entities, All) = (values, entities, all);

    /// <summary>What is different outside of entities, in the order of the sections.</summary>
    public IReadOnlyList<StateChange> Values { get; }

    /// <summary>The entities that are not as they were, scene by scene.</summary>
    public IReadOnlyList<EntityChange> Entities { get; }

    /// <summary>
    /// Every difference by its path, those of entities included. Applied one after the other, they make the second save of the first.
    /// </summary>
    public IReadOnlyList<StateChange> All { get; }

    /// <summary>Whether nothing is different.</summary>
    public bool IsEmpty => All.Count == 0;

    /// <summary>Compares two saves.</summary>
    /// <param name="before">The first save.</param>
    /// <param name="after">The second one.</param>
    /// <exception cref="SaveException">A section of one of them is damaged.</exception>
    /// <param name="progress">Is told the part that is done, from 0 to 1; null for nobody.</param>
    public static SaveComparison Of(SavedFile before, SavedFile after, IProgress<double>? progress = null)
    {
        ArgumentNullException.ThrowIfNull(before);
        ArgumentNullException.ThrowIfNull(after);
        var done = before.ProgressOf(progress);
        var (values, entities, all) = (new List<StateChange>(), new List<EntityChange>(), new List<StateChange>());
        foreach (var name in before.Sections.Concat(after.Sections).Select(section => section.Name).Distinct(StringComparer.Ordinal))
        {
            done.Next(name, name);
            if (before.HasSameSection(after, name))
                continue;
            var (was, @is) = (TreeOf(before, name), TreeOf(after, name));
            var changes = new List<StateChange>();
            TreeComparison.Compare($"/{PointerBuilder.Escape(name)}", was, @is, changes, wholeVectors: true);
            all.AddRange(changes);
            if (SceneContent.EntitiesOf(was) is { } one && SceneContent.EntitiesOf(@is) is { } other)
                Sort(name, @is!, (one, [.. SceneContent.GoneOf(was!)]), (other, [.. SceneContent.GoneOf(@is!)]), changes, values, entities);
            else
                values.AddRange(changes);
        }
        return new SaveComparison(values, entities, all);
    }

    private const int MostCharacters = 100_000_000;

    /// <summary>The differences as a JSON Patch (RFC 6902), which makes the second save's sections of the first one's.</summary>
    /// <exception cref="SaveException">It would be larger than 100 million characters.</exception>
    public string ToJsonPatch()
    {
        var patch = new StringBuilder("[");
        foreach (var (path, before, after) in All)
        {
            if (patch.Length > MostCharacters)
                throw new SaveException(SaveErrorCode.LimitExceeded, "The differences are far larger than the saves.");
            patch.Append(patch.Length > 1 ? "," : "").Append("\n  {\"op\":\"")
                .Append(before is null ? "add" : after is null ? "remove" : "replace").Append("\",\"path\":").Append(SaveJson.Write(path));
            if (after is not null)
                patch.Append(",\"value\":").Append(SaveJson.Write(after));
            patch.Append('}');
        }
        return patch.Append(patch.Length > 1 ? "\n]" : "]").ToString();
    }

    private static SaveValue? TreeOf(SavedFile file, string name) => file.Source.Find(name)?.ToTree();

    /// <summary>Tells the changes of entities from the others, and gathers those of each.</summary>
    private static void Sort(string section, SaveValue scene, (SaveMap Entities, HashSet<string> Gone) before,
        (SaveMap Entities, HashSet<string> Gone) after, List<StateChange> changes, List<StateChange> values, List<EntityChange> entities)
    {
        var prefix = $"/{PointerBuilder.Escape(section)}/entities/";
        var gone = $"/{PointerBuilder.Escape(section)}/gone/";
        var name = section[(section.IndexOf('/', StringComparison.Ordinal) + 1)..];
        foreach (var group in changes.GroupBy(change => EntityOf(change, prefix)))
        {
            if (EntityId.TryParse(group.Key, out var id))
            {
                var (was, @is) = (Find(before.Entities, group.Key), Find(after.Entities, group.Key));
                var outcome = OutcomeOf(id, was, @is, before.Gone, after.Gone);
                var details = DetailsOf(outcome, was, @is, group, prefix.Length + PointerBuilder.Escape(group.Key).Length);
                var hasMoved = outcome == EntityOutcome.Changed && details.Exists(IsMove);
                entities.Add(new EntityChange(name, id, KindOf(@is ?? was), hasMoved ? EntityOutcome.Moved : outcome, details));
            }
            else
            {
                // That a placed entity is gone is said with the entity, and what kinds have is said by their entities.
                values.AddRange(group.Where(change =>
                    !change.Path.StartsWith(gone, StringComparison.Ordinal) && !SceneRecord.IsAboutKinds(change.Path, _ => scene)));
            }
        }
    }

    /// <summary>The id of the entity that a change is of; empty if it is of none.</summary>
    private static string EntityOf(StateChange change, string prefix) => change.Path.StartsWith(prefix, StringComparison.Ordinal)
        ? PointerBuilder.Unescape(change.Path[prefix.Length..].Split('/')[0])
        : "";

    private static string KindOf(SaveValue? entity) =>
        entity is SaveMap map && map.TryGet("kind", out var kind) ? kind.TextIfSingle() ?? "" : "";

    private static EntityOutcome OutcomeOf(
        EntityId id, SaveValue? was, SaveValue? @is, HashSet<string> goneBefore, HashSet<string> goneAfter)
    {
        if (IsAsAuthored(id, was, goneBefore))
            return EntityOutcome.NoLongerAuthored;
        if (IsAsAuthored(id, @is, goneAfter))
            return EntityOutcome.AuthoredAgain;
        return was is null ? EntityOutcome.Added : @is is null ? EntityOutcome.Removed : EntityOutcome.Changed;
    }

    private static List<StateChange> DetailsOf(
        EntityOutcome outcome, SaveValue? was, SaveValue? @is, IEnumerable<StateChange> changes, int place) => outcome switch
        {
            EntityOutcome.NoLongerAuthored => [.. MembersOf(@is!).Select(member => new StateChange(member.Path, null, member.Value))],
            EntityOutcome.AuthoredAgain => [.. MembersOf(was!).Select(member => new StateChange(member.Path, member.Value, null))],
            EntityOutcome.Changed => [.. changes.Select(change => change with { Path = BelowParts(change.Path[place..]) })],
            _ => [],
        };

    /// <summary>The members of an entity's parts.</summary>
    private static IEnumerable<(string Path, SaveValue Value)> MembersOf(SaveValue entity)
    {
        foreach (var (part, value) in entity is SaveMap map && map.TryGet("parts", out var found) && found is SaveMap parts ? parts : [])
        {
            var path = $"/{PointerBuilder.Escape(part)}";
            foreach (var member in value is SaveMap members ? members.Select(member =>
                (Path: $"{path}/{PointerBuilder.Escape(member.Key)}", member.Value)) : [(Path: path, Value: value)])
                yield return member;
        }
    }

    private static string BelowParts(string path) =>
        path.StartsWith("/parts/", StringComparison.Ordinal) ? path["/parts".Length..] : path;

    /// <summary>
    /// Whether a placed entity is not in a save because it is as the designer left it: some kinds are saved only if they changed.
    /// </summary>
    private static bool IsAsAuthored(EntityId id, SaveValue? entity, HashSet<string> gone) =>
        entity is null && !id.IsSpawned && !gone.Contains(id.ToString());

    private static SaveValue? Find(SaveMap entities, string id) => entities.TryGet(id, out var entity) ? entity : null;

    private static bool IsMove(StateChange change) => change.Path.Split('/').Any(EntityPosition.IsName);
}

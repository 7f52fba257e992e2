using Lodrik.Formats;
using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>A place that a path leads to.</summary>
/// <param name="Place">The place.</param>
/// <param name="Each">What each <c>*</c> of the path stands for here.</param>
internal readonly record struct Match(MigrationPlace Place, IReadOnlyList<string> Each);

/// <summary>What a migration operation works on: the sections of a save, or one value in them.</summary>
internal abstract class MigrationRoot
{
    /// <summary>All places that a path leads to, in order.</summary>
    /// <param name="path">The path.</param>
    /// <param name="mayMiss">Whether it is fine that there is nothing; otherwise that is an error.</param>
    /// <exception cref="OperationException">The path leads nowhere.</exception>
    public List<Match> Find(MigrationPath path, bool mayMiss)
    {
        var search = new Search(path, mayMiss);
        Begin(search);
        return search.Matches;
    }

    /// <summary>The first place of a path without <c>*</c>; null if there is nothing.</summary>
    public MigrationPlace? FindOne(MigrationPath path) => Find(path, mayMiss: true) is [var match, ..] ? match.Place : null;

    /// <summary>Puts a value where there is none yet; maps on the way that are missing are made.</summary>
    /// <exception cref="OperationException">There is something already, or the way leads through what is not a map.</exception>
    public abstract void Put(MigrationPath path, SaveValue value);

    protected abstract void Begin(Search search);

    /// <summary>Puts a value below a place.</summary>
    protected static void PutBelow(MigrationPlace place, IReadOnlyList<string?> steps, SaveValue value)
    {
        for (var i = 0; ; i++)
        {
            // A target has nothing left that stands for several.
            var name = steps[i]!;
            var isLast = i == steps.Count - 1;
            switch (place.Value)
            {
                case SaveMap map when isLast:
                    if (!map.TryAdd(name, value))
                        throw Taken(new MigrationPlace(place, map, name));
                    return;
                case SaveMap map:
                    map.TryAdd(name, new SaveMap());
                    place = new MigrationPlace(place, map, name);
                    break;
                case SaveList list when isLast && MigrationPath.IndexOf(name) == list.Count:
                    list.Add(value);
                    return;
                case SaveList list when !isLast && MigrationPath.IndexOf(name) is >= 0 and var index && index < list.Count:
                    place = new MigrationPlace(place, list, index);
                    break;
                case SaveList list when MigrationPath.IndexOf(name) is >= 0 and var index && index < list.Count:
                    throw Taken(new MigrationPlace(place, list, index));
                default:
                    throw new OperationException(
                        $"Nothing can be added under \"{name}\", because it holds {DescribeKind(place.Value)}.", place.Locate());
            }
        }
    }

    protected static OperationException Taken(MigrationPlace place) =>
        new("There is something already where the value should go.", place.Locate(), "Remove or rename it first. Nothing was lost.");

    public static string DescribeKind(SaveValue value) => value.Kind switch
    {
        SaveValueKind.Null => "no value",
        SaveValueKind.Text => "a text",
        SaveValueKind.Bytes => "bytes",
        var kind => $"a {SaveValue.Conversion.NameOf(kind)}",
    };

    /// <summary>One walk along a path, which may part at each <c>*</c>.</summary>
    protected sealed class Search(MigrationPath path, bool mayMiss)
    {
        private readonly List<string>? _each = path.EachCount > 0 ? [] : null;

        public List<Match> Matches { get; } = new(path.EachCount > 0 ? 16 : 1);

        public IReadOnlyList<string?> Steps => path.Steps;

        /// <summary>Goes on from a place that the first so many steps lead to.</summary>
        public void GoOn(MigrationPlace place, int taken)
        {
            if (taken == path.Steps.Count)
            {
                Matches.Add(new Match(place, _each is null ? [] : [.. _each]));
                return;
            }
            var step = path.Steps[taken];
            switch (place.Value)
            {
                case SaveMap map when step is null:
                    foreach (var key in map.Keys)
                        GoOnEach(key, new MigrationPlace(place, map, key), taken + 1);
                    break;
                case SaveList list when step is null:
                    for (var i = 0; i < list.Count; i++)
                        GoOnEach(
                            i.ToString(System.Globalization.CultureInfo.InvariantCulture), new MigrationPlace(place, list, i), taken + 1);
                    break;
                case SaveMap map when step is not null && map.TryGet(step, out _):
                    GoOn(new MigrationPlace(place, map, step), taken + 1);
                    break;
                case SaveList list when MigrationPath.IndexOf(step) is >= 0 and var index && index < list.Count:
                    GoOn(new MigrationPlace(place, list, index), taken + 1);
                    break;
                case SaveScalar { Kind: SaveValueKind.Null } when step is null:
                    break;
                default:
                    var where = place.Locate();
                    Miss(where with { Path = $"{where.Path}/{PointerBuilder.Escape(step ?? "*")}" });
                    break;
            }
        }

        public void GoOnEach(string name, MigrationPlace place, int taken)
        {
            // Only a path with a star comes here.
            _each!.Add(name);
            GoOn(place, taken);
            _each.RemoveAt(_each.Count - 1);
        }

        public void Miss(SaveLocation location)
        {
            if (!mayMiss)
                throw new OperationException("There is nothing at this path.",
                    location, "If that is fine, write IfPresent before the operation.");
        }
    }
}

/// <summary>All sections of a save, or of a checkpoint in it.</summary>
/// <param name="store">The sections.</param>
/// <param name="groups">The names of the groups that are groups even while they are empty.</param>
internal sealed class SaveRoot(SectionStore store, IReadOnlyCollection<string> groups) : MigrationRoot
{
    public SectionStore Store => store;

    /// <summary>The sections of a group that is named by a path of one step; null if the path does not name a group.</summary>
    public List<SectionPlace>? GroupAt(MigrationPath path) =>
        path.Steps is [{ } name] && !store.Has(name) && IsGroup(name)
            ? [.. InGroup(name).Select(section => new SectionPlace(store, section))]
            : null;

    /// <summary>Whether a path leads to a section as a whole.</summary>
    public bool IsSection(MigrationPath path) => path.Steps is [_] || (path.Steps is [{ } group, _] && !store.Has(group) && IsGroup(group));

    public override void Put(MigrationPath path, SaveValue value)
    {
        var (name, taken) = SectionOf(path.Steps);
        if (taken == path.Steps.Count)
        {
            if (store.Has(name))
                throw Taken(Place(name));
            store.Write(name, value);
            return;
        }
        if (!store.Has(name))
            store.Write(name, new SaveMap());
        PutBelow(Place(name), [.. path.Steps.Skip(taken)], value);
    }

    protected override void Begin(Search search)
    {
        var first = search.Steps[0];
        if (first is null)
        {
            foreach (var name in store.Names.Where(name => !name.Contains('/', StringComparison.Ordinal) && !IsShared(name)).ToList())
                search.GoOnEach(name, Place(name), 1);
            return;
        }
        if (search.Steps.Count > 1 && search.Steps[1] is null && !store.Has(first) && IsGroup(first))
        {
            foreach (var name in InGroup(first).Where(name => !IsShared(name)).ToList())
                search.GoOnEach(name[(first.Length + 1)..], Place(name), 2);
            return;
        }
        var (section, taken) = SectionOf(search.Steps);
        if (store.Has(section))
            search.GoOn(Place(section), taken);
        else
            search.Miss(MissingSection(section));
    }

    private SaveLocation MissingSection(string name)
    {
        var (section, pointer) = store.Locate(name);
        return new SaveLocation { Section = section, Path = pointer.Length == 0 ? null : pointer };
    }

    private static bool IsShared(string name) => name.EndsWith(Saves.Forms.SharedTree.Suffix, StringComparison.Ordinal);

    /// <summary>The section that a path begins with, and how many steps that takes.</summary>
    private (string Name, int Taken) SectionOf(IReadOnlyList<string?> steps) =>
        steps is [{ } group, { } name, ..] && !store.Has(group) && IsGroup(group)
        ? (SectionStore.NameOf(group, name), 2)
        : (steps[0]!, 1);

    private bool IsGroup(string name) => groups.Contains(name) || InGroup(name).Any();

    private IEnumerable<string> InGroup(string name) => store.Names.Where(section =>
        section.Length > name.Length && section[name.Length] == '/' && section.StartsWith(name, StringComparison.Ordinal));

    private MigrationPlace Place(string name) => new(new SectionPlace(store, name));
}

/// <summary>One value in a save.</summary>
internal sealed class ValueRoot(MigrationPlace place) : MigrationRoot
{
    public override void Put(MigrationPath path, SaveValue value)
    {
        if (path.Steps.Count == 0)
            throw Taken(place);
        PutBelow(place, path.Steps, value);
    }

    protected override void Begin(Search search) => search.GoOn(place, 0);
}

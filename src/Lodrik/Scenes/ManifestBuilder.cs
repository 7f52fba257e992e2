using System.Globalization;
using System.IO.Hashing;
using System.Numerics;
using System.Runtime.InteropServices;
using System.Text;

namespace Lodrik.Scenes.Authoring;

/// <summary>
/// Gives placed objects without their own names ids that stay: made of kind, path and authored place when an object is seen for the
/// first time, and kept across later edits of the level, as far as that can be told.
/// </summary>
/// <remarks>
/// An object is taken for one of the manifest before, in this order: the same kind, path and place; the same kind and path, if each has
/// only one left that could be meant; the nearest of the same kind, no farther away than the tolerance. Anything else is new.
/// </remarks>
/// <param name="before">The manifest of the level as it was before this edit; null for a new level.</param>
/// <param name="tolerance">How far an object may have been moved to be taken for the same, in the level's units.</param>
public sealed class ManifestBuilder(SceneManifest? before = null, float tolerance = 2)
{
    private readonly List<Placed> _placed = [];

    /// <summary>Adds a placed object.</summary>
    /// <param name="kind">Its kind.</param>
    /// <param name="place">Where the designer put it.</param>
    /// <param name="path">Where it is in the level's tree, such as the names of the nodes above it; may be empty.</param>
    /// <param name="name">The name that the designer gave it, which is its id then; null if it has none.</param>
    /// <returns>The object's place in <see cref="ManifestResult.Ids"/>.</returns>
    public int Add(string kind, LevelPosition place, string path = "", string? name = null)
    {
        ArgumentException.ThrowIfNullOrEmpty(kind);
        ArgumentNullException.ThrowIfNull(path);
        _placed.Add(new Placed(kind, place.Value, path, name is null ? default(EntityId?) : EntityId.Placed(name)));
        return _placed.Count - 1;
    }

    /// <summary>Gives each object its id.</summary>
    /// <exception cref="SceneException">Two objects have one authored name.</exception>
    public ManifestResult Build()
    {
        var result = new Matching(before?.Entries ?? [], _placed, tolerance);
        result.TakeNames();
        result.TakeSamePlaces();
        result.TakeOnlyOnes();
        result.TakeNearest();
        result.NameTheRest();
        return result.ToResult();
    }

    private sealed record Placed(string Kind, Vector3 Place, string Path, EntityId? Name);

    private sealed class Matching(IReadOnlyList<ManifestEntry> before, IReadOnlyList<Placed> placed, float tolerance)
    {
        private readonly EntityId?[] _ids = new EntityId?[placed.Count];
        private readonly HashSet<ManifestEntry> _open = new(before, ReferenceEqualityComparer.Instance);
        private readonly List<ManifestMove> _moved = [];
        private readonly List<EntityId> _added = [];
        private readonly List<string> _collisions = [];
        private readonly HashSet<EntityId> _taken = [.. before.Select(entry => entry.Id)];

        /// <summary>The entries that no object was taken for yet, in their order.</summary>
        private IEnumerable<ManifestEntry> Left => before.Where(_open.Contains);

        private IEnumerable<int> Open => Enumerable.Range(0, placed.Count).Where(i => _ids[i] is null);

        public void TakeNames()
        {
            var names = new HashSet<EntityId>();
            var byId = Left.GroupBy(entry => entry.Id).ToDictionary(group => group.Key, group => group.First());
            for (var i = 0; i < placed.Count; i++)
            {
                if (placed[i].Name is not { } name)
                    continue;
                if (!names.Add(name))
                    throw new SceneException(SaveErrorCode.SceneConflict, $"Two placed objects have the name {name}.",
                        remedy: "Give each its own name, or none.");
                if (byId.TryGetValue(name, out var known) && _open.Contains(known))
                    Keep(i, known);
                else
                    Name(i, name);
            }
        }

        public void TakeSamePlaces()
        {
            // A retired entry too: what was taken out and placed again is the same object.
            var byPlace = Left.GroupBy(Key).ToDictionary(group => group.Key, group => new Queue<ManifestEntry>(group.Skip(1).Any()
                ? group.OrderBy(entry => entry.IsRetired).ThenBy(AttemptOf).ThenBy(entry => entry.Id)
                : group));
            foreach (var group in Open.GroupBy(i => Key(placed[i])).ToList())
            {
                var same = group.ToList();
                if (same.Count > 1)
                {
                    _collisions.Add(
                        $"{same.Count} objects of the kind {group.Key.Kind} are at "
                            + $"{Show(group.Key.Place)}{(group.Key.Path.Length > 0 ? $" under {group.Key.Path}" : "")}: "
                        + "only their order distinguishes them. Move one, or name them.");
                }
                if (!byPlace.TryGetValue(group.Key, out var known))
                    continue;
                foreach (var i in same)
                {
                    if (known.TryDequeue(out var entry))
                        Keep(i, entry);
                }
            }
        }

        public void TakeOnlyOnes()
        {
            var left = Left.Where(entry => !entry.IsRetired && entry.Path.Length > 0).ToLookup(entry => (entry.Kind, entry.Path));
            foreach (var group in Open.Where(i => placed[i].Path.Length > 0).GroupBy(i => (placed[i].Kind, placed[i].Path)).ToList())
            {
                if (group.Count() == 1 && left[group.Key].Take(2).ToList() is [var only])
                    Keep(group.Single(), only);
            }
        }

        public void TakeNearest()
        {
            // By cells as large as the tolerance: what is near enough is in the object's own cell or in one beside it.
            var left = Left.Where(entry => !entry.IsRetired).ToLookup(entry => (entry.Kind, CellOf(entry.Place)));
            var pairs = new List<(float Distance, int Index, ManifestEntry Entry)>();
            foreach (var i in Open)
            {
                foreach (var entry in CellsAround(CellOf(placed[i].Place)).SelectMany(cell => left[(placed[i].Kind, cell)]))
                {
                    var distance = Vector3.Distance(placed[i].Place, entry.Place);
                    if (distance <= tolerance)
                        pairs.Add((distance, i, entry));
                }
            }
            // Of two objects that could be the same one, the nearer one is; the rest is decided by what does not depend on an order.
            foreach (var (_, i, entry) in pairs.OrderBy(pair => pair.Distance).ThenBy(pair => placed[pair.Index].Place.X)
                .ThenBy(pair => placed[pair.Index].Place.Y).ThenBy(pair => pair.Entry.Id))
            {
                if (_ids[i] is null && _open.Contains(entry))
                    Keep(i, entry);
            }
        }

        private (long X, long Y, long Z) CellOf(Vector3 place)
        {
            var size = tolerance > 0 ? tolerance : 1.0;
            return ((long)Math.Floor(place.X / size), (long)Math.Floor(place.Y / size), (long)Math.Floor(place.Z / size));
        }

        private static IEnumerable<(long X, long Y, long Z)> CellsAround((long X, long Y, long Z) cell)
        {
            for (var x = -1; x <= 1; x++)
            {
                for (var y = -1; y <= 1; y++)
                {
                    for (var z = -1; z <= 1; z++)
                        yield return (cell.X + x, cell.Y + y, cell.Z + z);
                }
            }
        }

        public void NameTheRest()
        {
            foreach (var i in Open.ToList())
            {
                for (var attempt = 0; ; attempt++)
                {
                    var id = IdOf(placed[i], attempt);
                    if (_taken.Contains(id))
                        continue;
                    Name(i, id);
                    break;
                }
            }
        }

        public ManifestResult ToResult()
        {
            var manifest = new SceneManifest();
            for (var i = 0; i < placed.Count; i++)
                manifest.Entries.Add(
                    new ManifestEntry { Id = _ids[i]!.Value, Kind = placed[i].Kind, Path = placed[i].Path, Place = placed[i].Place });
            foreach (var entry in Left)
                manifest.Entries.Add(
                    new ManifestEntry { Id = entry.Id, Kind = entry.Kind, Path = entry.Path, Place = entry.Place, IsRetired = true });
            manifest.Entries.Sort((a, b) => a.Id.CompareTo(b.Id));
            return new ManifestResult(
                manifest, [.. _ids.Select(id => id!.Value)], _added, _moved,
                [.. Left.Where(entry => !entry.IsRetired).Select(entry => entry.Id)], _collisions);
        }

        private static (string Kind, string Path, Vector3 Place) Key(ManifestEntry entry) => (entry.Kind, entry.Path, entry.Place);

        private static (string Kind, string Path, Vector3 Place) Key(Placed one) => (one.Kind, one.Path, one.Place);

        private static string Show(Vector3 place) =>
            string.Create(CultureInfo.InvariantCulture, $"({place.X:0.##}, {place.Y:0.##}, {place.Z:0.##})");

        private void Keep(int index, ManifestEntry entry)
        {
            _ids[index] = entry.Id;
            _open.Remove(entry);
            if (entry.Place != placed[index].Place || entry.Path != placed[index].Path)
                _moved.Add(new ManifestMove(entry.Id, entry.Place, placed[index].Place, entry.Path, placed[index].Path));
            else if (entry.IsRetired)
                _added.Add(entry.Id);
        }

        private void Name(int index, EntityId id)
        {
            _ids[index] = id;
            _taken.Add(id);
            _added.Add(id);
        }

        /// <summary>Which one an object was among those that nothing but their order tells apart.</summary>
        private static int AttemptOf(ManifestEntry entry)
        {
            const int Most = 256;
            var placed = new Placed(entry.Kind, entry.Place, entry.Path, null);
            return Enumerable.Range(0, Most).FirstOrDefault(attempt => entry.Id == IdOf(placed, attempt), Most);
        }

        private static EntityId IdOf(Placed one, int attempt) => EntityId.Placed($"{one.Kind}-{Hash(one, attempt)}");

        /// <summary>Eight hexadecimal digits of what the object is, the same on every machine.</summary>
        private static string Hash(Placed one, int attempt)
        {
            var text = Encoding.UTF8.GetBytes($"{one.Kind}\0{one.Path}\0{attempt.ToString(CultureInfo.InvariantCulture)}\0");
            Span<float> place = [one.Place.X, one.Place.Y, one.Place.Z];
            var hash = new XxHash3();
            hash.Append(text);
            hash.Append(MemoryMarshal.AsBytes(place));
            return ((uint)hash.GetCurrentHashAsUInt64()).ToString("x8", CultureInfo.InvariantCulture);
        }
    }
}

/// <summary>A placed object that was taken for one of the manifest before, and is elsewhere now.</summary>
/// <param name="Id">Its id, which stays.</param>
/// <param name="From">Where it was.</param>
/// <param name="To">Where it is.</param>
/// <param name="FromPath">Where it was in the level's tree.</param>
/// <param name="ToPath">Where it is.</param>
public sealed record ManifestMove(EntityId Id, Vector3 From, Vector3 To, string FromPath, string ToPath);

/// <summary>What became of an edit of a level.</summary>
public sealed class ManifestResult
{
    internal ManifestResult(
        SceneManifest manifest, IReadOnlyList<EntityId> ids, IReadOnlyList<EntityId> added, IReadOnlyList<ManifestMove> moved,
        IReadOnlyList<EntityId> retired,
        IReadOnlyList<string> collisions)
    {
        (Manifest, Ids, Added, Moved, Retired, Collisions) = (manifest, ids, added, moved, retired, collisions);
    }

    /// <summary>The manifest to store beside the level.</summary>
    public SceneManifest Manifest { get; }

    /// <summary>The ids of the placed objects, in the order in which they were added.</summary>
    public IReadOnlyList<EntityId> Ids { get; }

    /// <summary>Objects that the manifest before did not have.</summary>
    public IReadOnlyList<EntityId> Added { get; }

    /// <summary>Objects that are elsewhere.</summary>
    public IReadOnlyList<ManifestMove> Moved { get; }

    /// <summary>Objects that are not in the level any more.</summary>
    public IReadOnlyList<EntityId> Retired { get; }

    /// <summary>Objects that cannot be distinguished but by their order, in words.</summary>
    public IReadOnlyList<string> Collisions { get; }

    /// <summary>The edit in words: a line of counts, then a line for each collision, move, and object that came or went.</summary>
    public override string ToString()
    {
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture,
            $"{Ids.Count} placed: {Added.Count} new, {Moved.Count} moved, {Retired.Count} gone, {Collisions.Count} indistinguishable");
        foreach (var collision in Collisions)
            text.AppendLine().Append("  ").Append(collision);
        foreach (var move in Moved)
            text.AppendLine().Append(CultureInfo.InvariantCulture, $"  {move.Id} moved by {Vector3.Distance(move.From, move.To):0.##}");
        foreach (var id in Added)
            text.AppendLine().Append(CultureInfo.InvariantCulture, $"  {id} is new");
        foreach (var id in Retired)
            text.AppendLine().Append(CultureInfo.InvariantCulture, $"  {id} is gone");
        return text.ToString();
    }
}

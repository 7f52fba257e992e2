using System.Globalization;
using System.Numerics;
using CsCheck;
using Lodrik.Scenes;
using Lodrik.Tests.Declared;

namespace Lodrik.Tests.Scenes;

/// <summary>
/// Random stories over several releases of a game, whose levels and kinds differ, against a model that knows nothing of records and plans:
/// what is known of each entity, and what the designer of a release says of the rest.
/// </summary>
public sealed class StoriesTests
{
    private static readonly string[] Names = ["a", "b", "c", "d", "e", "f"];

    private enum Act
    {
        Move,
        Light,
        Load,
        Unload,
        Lead,
        LeadNowhere,
        Tie,
        Free,
        Take,
        Spawn,
        Save,
        Restore,
        RestoreAnew,
        Cancel,
        Throw,
    }

    [Fact]
    public void In_any_story_a_restoration_gives_what_the_model_says()
    {
        Gen.Select(
                Gen.Bool, Gen.Bool, Gen.Enum<Habit>(),
                Gen.Select(Gen.Enum<Act>(), Gen.Int[0, 11], Gen.Int[0, 5], Gen.Enum<SaveForm>()).Array[1, 40])
            .Sample(
                (onlyIfChanged, isDeferred, habit, story) => Play(new BoundGame(onlyIfChanged, isDeferred, habit), story),
                iter: Stories, threads: 2);
    }

    [Fact]
    public void Declared_scenes_give_what_the_model_says_as_well() => Gen.Select(
            Gen.Bool, Gen.OneOf(Gen.Const(Habit.None), Gen.Const(Habit.SpawnsBeside), Gen.Const(Habit.CallsBack)),
            Gen.Select(Gen.Enum<Act>(), Gen.Int[0, 11], Gen.Int[0, 5], Gen.Enum<SaveForm>()).Array[1, 40])
        .Sample(
            (onlyIfChanged, habit, story) =>
            {
                if (onlyIfChanged)
                    Play(new DeclaredGame<SparseShoal, SparseFloat>(true, habit), story);
                else
                    Play(new DeclaredGame<FullShoal, FullFloat>(false, habit), story);
            },
            iter: Stories, threads: 2);

    private static long Stories =>
        long.TryParse(Environment.GetEnvironmentVariable("LODRIK_STORIES"), CultureInfo.InvariantCulture, out var many) ? many : 1500;

    private static void Play<TShoal, TFloat>(Game<TShoal, TFloat> game, (Act Act, int Which, int Other, SaveForm Form)[] story)
        where TShoal : class, IShoal<TFloat>, new() where TFloat : class, IFloat<TFloat>
    {
        game.Begin();
        foreach (var (act, which, other, form) in story)
            game.Do(act, which, other, form);
    }

    /// <summary>What the code of the game does beside what it is asked for.</summary>
    private enum Habit
    {
        None,

        /// <summary>What is spawned spawns something of its own.</summary>
        SpawnsBeside,

        /// <summary>The engine gives ids at the end of the frame.</summary>
        LateIds,

        /// <summary>Setters try to go on with the restoration that called them.</summary>
        CallsBack,
    }

    /// <summary>What is known of an entity: of the saves that were made, or of the running scene.</summary>
    private sealed record Known(
        string Kind, Vector2? At, bool? IsLit, int? Oil, bool SaysCargo, int? Cargo, bool SaysLeads, string? Leads, bool SaysParent, string? Parent);

    private abstract class Game<TShoal, TFloat>(bool onlyIfChanged, bool isDeferred, Habit habit)
        where TShoal : class, IShoal<TFloat>, new() where TFloat : class, IFloat<TFloat>
    {
        private SceneRestoration<TShoal>? _restoration;
        private bool _isRestoring;
        private int _release = 1;
        private TShoal _shoal = null!;
        private LiveScene<TShoal> _live = null!;
        private Action _fault = () => { };

        // What the running game has not been able to show since it was loaded, by id.
        private Dictionary<string, Known> _waiting = [];
        private HashSet<string> _waitingGone = [];
        private Dictionary<string, string> _lostLeads = [];
        private Dictionary<string, string> _lostParents = [];
        private (byte[] Bytes, Dictionary<string, Known> Entities, HashSet<string> Gone)? _saved;

        protected TShoal World => _shoal;

        protected bool IsRestoring => _isRestoring;

        protected abstract bool KnowsStorks { get; }

        protected int Release => _release;

        protected abstract LiveScene<TShoal> Take(TShoal shoal);

        protected abstract void EndFrame();

        protected void Fault() => _fault();

        private IEnumerable<TFloat> There => _shoal.All.Where(one => !_shoal.IsDying(one));

        public void Do(Act act, int which, int other, SaveForm form)
        {
            var there = There.ToList();
            var one = there.Count == 0 ? null : there[which % there.Count];
            switch (act)
            {
                case Act.Move when one is not null:
                    one.At += new Vector2(which + 1, 0);
                    break;
                case Act.Light when one is not null:
                    one.IsLit = !one.IsLit;
                    one.Oil = other;
                    break;
                case Act.Load when one is not null:
                    one.Cargo = other;
                    break;
                case Act.Unload when one is not null:
                    one.Cargo = null;
                    break;
                case Act.Lead when one is not null:
                    one.Leads = there[other % there.Count];
                    break;
                case Act.LeadNowhere when one is not null:
                    one.Leads = null;
                    break;
                case Act.Tie when one is not null:
                    Tie(one, there[other % there.Count]);
                    break;
                case Act.Free when one is not null:
                    one.TiedTo = null;
                    break;
                case Act.Take when one is not null:
                    Take(one);
                    break;
                case Act.Spawn:
                    _shoal.Spawn(KnowsStorks && which % 2 == 0 ? "stork" : "float").Oil = 7;
                    break;
                case Act.Save:
                    Save(form);
                    break;
                case Act.Restore when _saved is not null:
                    Restore();
                    break;
                case Act.RestoreAnew when _saved is not null:
                    _release += other % 3;
                    Begin();
                    Restore();
                    break;
                case Act.Cancel or Act.Throw when _saved is { } slot:
                    Fail(slot.Bytes, act == Act.Cancel, which + (7 * other));
                    break;
            }
        }

        public void Begin()
        {
            _shoal = new TShoal();
            foreach (var name in Names.Where(name => Authored(name) is not null))
                Show(_shoal.Make(name, Authored(name)!.Kind), Authored(name)!);
            foreach (var one in _shoal.All)
                Refer(one, Authored(one.Id.Name!)!);
            (_waiting, _waitingGone, _lostLeads, _lostParents) = ([], [], [], []);
            _live = Take(_shoal);
        }

        /// <summary>What a callback asks of the scene and of the restoration is refused, and changes nothing.</summary>
        protected void CallBack()
        {
            if (habit != Habit.CallsBack || !_isRestoring)
                return;
            Assert.Throws<SceneException>(_live.Capture);
            Assert.Throws<SceneException>(_live.RestoreAuthored);
            if (_restoration is not { } restoration)
                return;
            Assert.Throws<SceneException>(() => restoration.Step(TimeSpan.Zero));
            Assert.Throws<SceneException>(restoration.Cancel);
        }

        /// <summary>What the designer of this release says of an entity; null if it is not in the level.</summary>
        private Known? Authored(string name)
        {
            var index = name[0] - 'a';
            if ((_release + index) % 4 == 0 || (!KnowsStorks && index >= 4))
                return null;
            var leads = Names[(index + 1) % 4];
            var parent = index is 1 or 3 && _release % 2 == 0 ? Names[index - 1] : null;
            return new Known(
                index >= 4 ? "stork" : "float", new Vector2(index, _release / 2), index % 2 == 0, _release / 2, true, index % 3 == 0 ? index : null,
                true, index % 2 == 1 && Places(leads) ? leads : null, true, parent is not null && Places(parent) ? parent : null);
        }

        private bool Places(string name) => (_release + name[0] - 'a') % 4 != 0;

        private static void Show(TFloat one, Known known) =>
            (one.At, one.IsLit, one.Oil, one.Cargo) = (known.At!.Value, known.IsLit!.Value, known.Oil!.Value, known.Cargo);

        private void Refer(TFloat one, Known known)
        {
            one.Leads = Find(known.Leads);
            one.TiedTo = Find(known.Parent);
        }

        private TFloat? Find(string? id) => id is null ? null : There.SingleOrDefault(one => one.Id.ToString() == id);

        private static void Tie(TFloat one, TFloat to)
        {
            for (var at = to; at is not null; at = at.TiedTo)
            {
                if (at == one)
                    return;
            }
            one.TiedTo = to;
        }

        private void Take(TFloat taken)
        {
            // The game clears what leads to it, as it has to.
            foreach (var one in There)
            {
                if (one.Leads == taken)
                    one.Leads = null;
                if (one.TiedTo == taken)
                    one.TiedTo = null;
            }
            if (isDeferred)
                _shoal.Destroy(taken);
            else
                _shoal.Take(taken);
        }

        private void Save(SaveForm form)
        {
            var save = new ShoalSave();
            _live.CaptureTo(save.Scenes, "shoal");
            var entities = new Dictionary<string, Known>(_waiting);
            foreach (var one in There)
            {
                var id = one.Id.ToString();
                var authored = one.Id.IsSpawned ? null : Authored(id);
                var isKept = one.TiedTo is null && _lostParents.ContainsKey(id);
                if (one.TiedTo is not null)
                    _lostParents.Remove(id);
                if (one.Leads is not null)
                    _lostLeads.Remove(id);
                var (leads, parent) = (one.Leads?.Id.ToString() ?? _lostLeads.GetValueOrDefault(id), isKept ? _lostParents[id] : one.TiedTo?.Id.ToString());
                var mayOmit = authored is not null && onlyIfChanged;
                entities[id] = new Known(
                    one.Kind,
                    mayOmit && authored!.At == one.At ? null : one.At,
                    mayOmit && authored!.IsLit == one.IsLit ? null : one.IsLit,
                    // Not asked of what is not lit, and left out if unchanged.
                    !one.IsLit || (authored is not null && authored.IsLit == true && authored.Oil == one.Oil) ? null : one.Oil,
                    !(mayOmit && authored!.Cargo == one.Cargo), one.Cargo,
                    !(mayOmit && authored!.Leads == leads), leads,
                    !(mayOmit && authored!.Parent == parent), parent);
            }
            var gone = new HashSet<string>(_waitingGone);
            gone.UnionWith(Names.Where(name => Authored(name) is not null && Find(name) is null));
            gone.ExceptWith(entities.Keys);
            _saved = (StateFile.ToBytes(save, form), entities, gone);
        }

        private void Restore()
        {
            var (bytes, entities, gone) = _saved!.Value;
            _isRestoring = true;
            var scenes = StateFile.FromBytes<ShoalSave>(bytes).Scenes;
            if (habit == Habit.LateIds)
            {
                var restoration = _live.BeginRestoreFrom(scenes, "shoal")!;
                while (!restoration.Step(TimeSpan.FromMinutes(1)))
                    EndFrame();
            }
            else
            {
                _live.RestoreFrom(scenes, "shoal");
            }
            _isRestoring = false;
            EndFrame();
            var wanted = Wanted(entities, gone);
            Assert.Equal(
                string.Join('\n', wanted.OrderBy(one => one.Key, StringComparer.Ordinal).Select(one => Print(one.Key, one.Value, wanted))),
                string.Join('\n', There.OrderBy(one => one.Id.ToString(), StringComparer.Ordinal).Select(Print)));
            (_waiting, _waitingGone, _lostLeads, _lostParents) = ([], [], [], []);
            foreach (var (id, known) in entities)
            {
                if (!wanted.ContainsKey(id))
                    _waiting[id] = known;
            }
            _waitingGone.UnionWith(gone.Where(name => Authored(name) is null));
            foreach (var (id, known) in wanted)
            {
                if (known.Leads is { } leads && !wanted.ContainsKey(leads))
                    _lostLeads[id] = leads;
                if (known.Parent is { } parent && !wanted.ContainsKey(parent))
                    _lostParents[id] = parent;
            }
        }

        private Dictionary<string, Known> Wanted(Dictionary<string, Known> entities, HashSet<string> gone)
        {
            var wanted = new Dictionary<string, Known>();
            foreach (var (id, known) in entities)
            {
                var authored = id[0] == '#' ? null : Authored(id);
                if ((known.Kind == "stork" && !KnowsStorks) || (id[0] != '#' && authored is null))
                    continue;
                wanted[id] = authored is null ? known : new Known(
                    known.Kind, known.At ?? authored.At, known.IsLit ?? authored.IsLit, known.Oil ?? authored.Oil, true,
                    known.SaysCargo ? known.Cargo : authored.Cargo, true, known.SaysLeads ? known.Leads : authored.Leads, true,
                    known.SaysParent ? known.Parent : authored.Parent);
            }
            foreach (var name in Names)
            {
                if (Authored(name) is { } authored && !gone.Contains(name) && !wanted.ContainsKey(name))
                    wanted[name] = authored;
            }
            return OpenCircles(wanted, entities);
        }

        /// <summary>What the save says of parents is kept; the designer's later opinion gives way.</summary>
        private static Dictionary<string, Known> OpenCircles(Dictionary<string, Known> wanted, Dictionary<string, Known> entities)
        {
            foreach (var start in wanted.Keys.Order(StringComparer.Ordinal).ToList())
            {
                var line = new List<string>();
                for (var at = start; at is not null && wanted.ContainsKey(at); at = wanted[at].Parent)
                {
                    if (line.Contains(at))
                    {
                        var circle = line[line.IndexOf(at)..];
                        var free = circle.Single(id => !entities.TryGetValue(id, out var known) || !known.SaysParent);
                        wanted[free] = wanted[free] with { Parent = null };
                        break;
                    }
                    line.Add(at);
                }
            }
            return wanted;
        }

        private void Fail(byte[] bytes, bool cancels, int after)
        {
            // What is dark has no oil that anybody knows of; one that was removed and is created again begins anew with it.
            var before = PrintAll();
            var restoration = _restoration = _live.BeginRestoreFrom(StateFile.FromBytes<ShoalSave>(bytes).Scenes, "shoal")!;
            _isRestoring = true;
            if (!cancels)
            {
                _fault = () =>
                {
                    if (after-- != 0)
                        return;
                    throw new InvalidOperationException("a fault");
                };
                try
                {
                    while (!restoration.Step(TimeSpan.Zero))
                    {
                        if (habit == Habit.LateIds)
                            EndFrame();
                    }
                    _restoration = null;
                    // The story has fewer callbacks than that; what is there now is as good as after any other restoration.
                    _fault = () => { };
                    Restore();
                    return;
                }
                catch (SceneException)
                {
                    _fault = () => { };
                }
            }
            else
            {
                for (var step = 0; step < after && !restoration.IsDone; step++)
                {
                    if (!restoration.Step(TimeSpan.Zero) && habit == Habit.LateIds)
                        EndFrame();
                }
                _restoration = restoration.IsDone ? null : restoration;
                if (restoration.IsDone)
                {
                    Restore();
                    return;
                }
                restoration.Cancel();
            }
            (_isRestoring, _restoration) = (false, null);
            EndFrame();
            Assert.Equal(before, PrintAll());
        }

        private string PrintAll() => string.Join('\n', There.OrderBy(one => one.Id.ToString(), StringComparer.Ordinal).Select(Print));

        private static string Print(TFloat one) => Print(
            one.Id.ToString(), one.Kind, one.At, one.IsLit, one.Oil, one.Cargo, one.Leads?.Id.ToString(), one.TiedTo?.Id.ToString());

        private static string Print(string id, Known known, Dictionary<string, Known> there) => Print(
            id, known.Kind, known.At!.Value, known.IsLit!.Value, known.Oil ?? 0, known.Cargo, known.Leads is { } leads && there.ContainsKey(leads) ? leads : null,
            known.Parent is { } parent && there.ContainsKey(parent) ? parent : null);

        private static string Print(string id, string kind, Vector2 at, bool isLit, int oil, int? cargo, string? leads, string? parent) => string.Create(
            CultureInfo.InvariantCulture, $"{kind} {id} at {at} lit {isLit} oil {(isLit ? oil : -1)} cargo {cargo} leads {leads} tied to {parent}");
    }

    private sealed class BoundGame(bool onlyIfChanged, bool isDeferred, Habit habit) : Game<Shoal, Float>(onlyIfChanged, isDeferred, habit)
    {
        private readonly bool _onlyIfChanged = onlyIfChanged;
        private readonly bool _isDeferred = isDeferred;
        private readonly Habit _habit = habit;
        private readonly List<(Float Entity, EntityId Id)> _late = [];

        protected override bool KnowsStorks => Release % 3 != 2;

        protected override LiveScene<Shoal> Take(Shoal shoal) => Bindings().Begin(shoal);

        private SceneBindings<Shoal> Bindings()
        {
            var bindings = Described();
            return _habit == Habit.LateIds ? bindings.SettleAfter(1) : bindings;
        }

        private Float Spawn(EntityId id, string kind)
        {
            var spawned = World.Add(new Float(_habit == Habit.LateIds ? default : id, kind));
            if (_habit == Habit.LateIds)
                _late.Add((spawned, id));
            else if (_habit == Habit.SpawnsBeside && IsRestoring)
                World.Spawn();
            return spawned;
        }

        protected override void EndFrame()
        {
            foreach (var (entity, id) in _late)
                entity.Id = id;
            _late.Clear();
            if (_isDeferred)
                World.EndFrame();
        }

        private SceneBindings<Shoal> Described()
        {
            var names = new Queue<string>(KindNames);
            return Described(names.Dequeue);
        }

        private string[] KindNames => KnowsStorks ? ["float", "stork"] : ["float"];

        private SceneBindings<Shoal> Described(Func<string> nextName) => Shoal.Bindings(
            kind =>
            {
                var name = nextName();
                kind.Spawn((_, id) => Spawn(id, name)).Alive(one => one.Id != default && !World.IsDying(one));
                Shoal.HasCargo(kind);
                kind.Part("lamp", one => new FloatLamp(one.IsLit), (one, lamp) => one.IsLit = lamp.IsLit)
                    .Part("oil", one => new OilLeft(one.Oil), (one, oil) =>
                    {
                        Fault();
                        one.Oil = oil.Amount;
                    }, when: one => one.IsLit, onlyIfChanged: true)
                    .Reference("leads", one => one.Leads, (one, target) =>
                    {
                        CallBack();
                        Fault();
                        one.Leads = target;
                    })
                    .Parent(one => one.TiedTo, (one, parent) =>
                    {
                        Fault();
                        one.TiedTo = parent;
                    });
                if (_isDeferred)
                    kind.Remove((shoal, one) => shoal.Destroy(one));
            },
            _onlyIfChanged, KindNames);
    }

    private sealed class DeclaredGame<TShoal, TFloat>(bool onlyIfChanged, Habit habit) : Game<TShoal, TFloat>(onlyIfChanged, false, habit)
        where TShoal : DeclaredShoal<TFloat>, ISceneType<TShoal>, new() where TFloat : DeclaredFloat<TFloat>
    {
        private readonly Habit _habit = habit;

        protected override bool KnowsStorks => true;

        protected override LiveScene<TShoal> Take(TShoal shoal)
        {
            shoal.Spawned = () =>
            {
                if (_habit == Habit.SpawnsBeside && IsRestoring)
                    shoal.Spawn("float");
            };
            shoal.Put = (isReference) =>
            {
                if (isReference)
                    CallBack();
                Fault();
            };
            return LiveScene.Begin(shoal);
        }

        protected override void EndFrame()
        {
        }
    }
}

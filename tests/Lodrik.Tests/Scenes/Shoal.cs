using System.Globalization;
using System.Numerics;
using Lodrik.Scenes;

namespace Lodrik.Tests.Scenes;

/// <summary>What stories need of a scene.</summary>
public interface IShoal<TFloat>
{
    List<TFloat> All { get; }

    TFloat Make(EntityId id, string kind);

    TFloat Spawn(string kind);

    void Take(TFloat one);

    void Destroy(TFloat one);

    bool IsDying(TFloat one);
}

/// <summary>What stories need of what is in it.</summary>
public interface IFloat<TFloat> where TFloat : class
{
    EntityId Id { get; }

    string Kind { get; }

    Vector2 At { get; set; }

    bool IsLit { get; set; }

    int Oil { get; set; }

    int? Cargo { get; set; }

    TFloat? Leads { get; set; }

    TFloat? TiedTo { get; set; }
}

/// <summary>A scene like those of an engine: one class for everything, destroyed at the end of the frame, ids given by the game or late.</summary>
public sealed class Shoal : IShoal<Float>
{
    private readonly HashSet<Float> _dying = [];

    public List<Float> All { get; } = [];

    public SpawnNumbers Numbers { get; init; } = new();

    public Float this[EntityId id] => All.Single(one => one.Id == id && !_dying.Contains(one));

    public static Shoal Of(params string[] names)
    {
        var shoal = new Shoal();
        foreach (var name in names)
            shoal.Add(new Float(name));
        return shoal;
    }

    /// <summary>Bindings of one kind with a position.</summary>
    /// <param name="more">What else is said of it.</param>
    /// <param name="onlyIfChanged">Whether unchanged ones are left out.</param>
    /// <param name="kinds">The kinds, all described alike.</param>
    public static SceneBindings<Shoal> Bindings(
        Action<KindBinding<Shoal, Float>>? more = null, bool onlyIfChanged = false, params string[] kinds)
    {
        var bindings = new SceneBindings<Shoal>().SpawnNumbers(shoal => shoal.Numbers);
        foreach (var kind in kinds is [] ? ["float"] : kinds)
        {
            // The names are constants, so that the shape of this assembly has them.
            _ = kind switch
            {
                "float" => bindings.Kind("float", Found, Describe),
                "stork" => bindings.Kind("stork", Found, Describe),
                "torch" => bindings.Kind("torch", Found, Describe),
                "cresset" => bindings.Kind("cresset", Found, Describe),
                _ => bindings.Kind("dory", Found, Describe),
            };

            IEnumerable<Float> Found(Shoal shoal) => shoal.All.Where(one => one.Kind == kind);

            void Describe(KindBinding<Shoal, Float> described)
            {
                described.Id(one => one.Id)
                    .Part("place", one => new Spot(one.At), (one, spot) => one.At = spot.At)
                    .Spawn((shoal, id) => shoal.Add(new Float(id, kind)))
                    .Remove((shoal, one) => shoal.All.Remove(one));
                if (onlyIfChanged)
                    described.OnlyIfChanged();
                more?.Invoke(described);
            }
        }
        return bindings;
    }

    public static void HasCargo(KindBinding<Shoal, Float> kind) =>
        kind.OptionalPart<Load>("cargo", one => one.Cargo is { } amount ? new Load(amount) : null, (one, cargo) => one.Cargo = cargo?.Amount);

    public static void HasParent(KindBinding<Shoal, Float> kind) => kind.Parent(one => one.TiedTo, (one, parent) => one.TiedTo = parent);

    public static void HasReference(KindBinding<Shoal, Float> kind) => kind.Reference("leads", one => one.Leads, (one, target) => one.Leads = target);

    public Float Add(Float one)
    {
        All.Add(one);
        return one;
    }

    public Float Make(EntityId id, string kind) => Add(new Float(id, kind));

    public void Take(Float one) => All.Remove(one);

    public Float Spawn(string kind = "float") => Add(new Float(Numbers.Next(), kind));

    /// <summary>Destroys as engines do: at the end of the frame.</summary>
    public void Destroy(Float one) => _dying.Add(one);

    public bool IsDying(Float one) => _dying.Contains(one);

    public void EndFrame()
    {
        All.RemoveAll(_dying.Contains);
        _dying.Clear();
    }

    public string Print() => string.Join('\n', All.Where(one => !_dying.Contains(one)).Select(one => one.Print()).Order(StringComparer.Ordinal));

    /// <summary>What comes back from a file in a form.</summary>
    public static SceneRecord Through(SceneRecord record, SaveForm form)
    {
        var save = new ShoalSave();
        save.Scenes.Put("shoal", record);
        return StateFile.FromBytes<ShoalSave>(StateFile.ToBytes(save, form)).Scenes.Get("shoal")!;
    }
}

public sealed class Float(EntityId id, string kind = "float") : IFloat<Float>
{
    public EntityId Id { get; set; } = id;

    public string Kind { get; } = kind;

    public Vector2 At { get; set; }

    public bool IsLit { get; set; }

    public int Oil { get; set; }

    public int? Cargo { get; set; }

    public string? Label { get; set; }

    public int[] Marks { get; set; } = [];

    public Float? TiedTo { get; set; }

    public EntityId? TiedToId { get; set; }

    public Float? Leads { get; set; }

    public List<Float> Follows { get; set; } = [];

    public EntityReference? Far { get; set; }

    public string Print() => string.Create(
        CultureInfo.InvariantCulture,
        $"{Kind} {Id} at {At} lit {IsLit} oil {Oil} cargo {Cargo} '{Label}' tied to {TiedTo?.Id}{TiedToId} leads {Leads?.Id} follows {string.Join(' ', Follows.Select(one => one.Id))} far {Far}");
}

[StateType]
public partial record struct Load(int Amount);

[StateType]
public partial record struct FloatLamp(bool IsLit);

[StateType]
public partial record struct OilLeft(int Amount);

[StateType]
public sealed partial class FloatLabel
{
    public string Text { get; set; } = "";
}

[SaveFile("shoal")]
public sealed partial class ShoalSave
{
    public SceneArchive Scenes { get; set; } = new();
}

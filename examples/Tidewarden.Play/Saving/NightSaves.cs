using System.Text;
using Lodrik;
using Lodrik.Protection;

namespace Tidewarden.Play;

/// <summary>Everything the game says about saving: where, in which form, what of, when by itself, and what a list shows.</summary>
public sealed class NightSaves : IDisposable
{
    private const string ViewName = "view.txt";

    // A key in a game's own files keeps honest players honest, and no one else.
    private static readonly SaveKey Key = SaveKey.FromBytes("tidewarden", [.. Enumerable.Range(1, SaveKey.SecretBytes).Select(i => (byte)(i * 7))]);

    private IDisposable? _held;

    public NightSaves(SaveTerms terms, Func<SaveLabel> label, TimeProvider? clock = null)
    {
        Store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions
        {
            Folder = terms.Folder,
            Profile = terms.Profile,
            Form = terms.Form,
            Protection = ProtectionOf(terms.Guard),
            OtherProtections = [SaveProtection.With(Key), SaveProtection.Encrypted(Key)],
            TamperedSaves = SaveTreatment.Mark,
            Migrations = SaveHistory.Migrations,
            Clock = clock,
        });
        Session = GameSession.Begin(Store, change => Scene.Author(change.Scene), new SessionOptions<TidewardenSave>
        {
            Start = new ScenePlace(Scene.Scenes.Marsh, "shelter"),
            FormerScenes = new Dictionary<string, string> { ["salt pans"] = Scene.Scenes.Saltworks },
            Survives = [TidewardenSave.Sections.Season],
            Autosave = new AutosavePolicy { Interval = TimeSpan.FromSeconds(60), MinimumSpacing = TimeSpan.FromSeconds(15) },
            Label = _ => label(),
            Clock = clock,
        });
        Session.Register("weather", () => Weather, weather => Weather = weather);
        Session.Register("fog", () => Fog, fog => Fog = fog);
        Store.Saved += (_, receipt) => Last = receipt;
    }

    public SaveStore<TidewardenSave> Store { get; }
    public GameSession<TidewardenSave, Scene> Session { get; }

    // Two parts of the game that have sections of their own.
    public Weather Weather { get; private set; } = new();
    public FogBank Fog { get; private set; } = new();

    /// <summary>What became of the last save.</summary>
    public SaveReceipt? Last { get; private set; }

    /// <summary>Guards all saves differently from now on, in the background.</summary>
    public Task Change(Guard guard) => Store.ChangeProtectionAsync(ProtectionOf(guard));

    /// <summary>Says that this is no moment for an automatic save, or that it is one again.</summary>
    public void HoldAutosaves(bool isHeld)
    {
        if (!isHeld)
            Interlocked.Exchange(ref _held, null)?.Dispose();
        else
            _held ??= Session.HoldAutosaves("the fog is near");
    }

    /// <summary>What a list of saves shows of a night.</summary>
    public static SaveLabel LabelOf(Night night) => new()
    {
        Title = SaveLabel.TitleOf($"In the {night.Scene.Name}", $"day {night.Season.Day}"),
        Summary = [new("place", night.Scene.Name), new("hour", night.Hour), new("beacons lit", night.Session.State.Errands["lights"].Steps)],
        DrawThumbnail = Picture.Later(night.Scene, night.Warden.Position, night.Season.Tide),
        Attachments = new Dictionary<string, ReadOnlyMemory<byte>> { [ViewName] = Encoding.UTF8.GetBytes(string.Join('\n', View.Small(night))) },
    };

    /// <summary>The picture of a save as lines of characters, for a list in a terminal.</summary>
    public IEnumerable<string> ViewOf(SlotName slot) =>
        Store.ReadAttachment(slot, ViewName) is { } bytes ? Encoding.UTF8.GetString(bytes).Split('\n') : [];

    public void Dispose()
    {
        Session.Dispose();
        Store.Dispose();
    }

    private static SaveProtection? ProtectionOf(Guard guard) => guard switch
    {
        Guard.Sealed => SaveProtection.With(Key),
        Guard.Encrypted => SaveProtection.Encrypted(Key),
        _ => null,
    };
}

/// <summary>How and where the game saves.</summary>
public sealed record SaveTerms(string Folder, SaveForm Form = SaveForm.Json, Guard Guard = Guard.None, SlotName? Profile = null);

/// <summary>What nobody but the game can do with a save: nothing, change it, or read it.</summary>
public enum Guard { None, Sealed, Encrypted }

using System.Text;
using Lodrik;
using Lodrik.Protection;

namespace Tidewarden.Play;

/// <summary>Everything that the game says about saving: where, in which form, what of, when by itself, and what a list shows.</summary>
public sealed class NightSaves : IDisposable
{
    private readonly Func<SaveLabel> _label;
    private IDisposable? _held;

    /// <param name="terms">Where the saves go, and how they are written.</param>
    /// <param name="label">What the list shows of a save that is made now.</param>
    /// <param name="clock">The time; null for the system's.</param>
    public NightSaves(SaveTerms terms, Func<SaveLabel> label, TimeProvider? clock = null)
    {
        _label = label;
        Terms = terms;
        Store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions
        {
            Folder = terms.Folder,
            Profile = terms.Profile,
            Form = terms.Form,
            Protection = terms.Protection,
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
            Label = _ => _label(),
            Clock = clock,
        });
        Session.Register("weather", () => Weather, weather => Weather = weather);
        Session.Register("fog", () => Fog, fog => Fog = fog);
        Store.Saved += (_, receipt) => Last = receipt;
    }

    public SaveTerms Terms { get; }

    public SaveStore<TidewardenSave> Store { get; }

    public GameSession<TidewardenSave, Scene> Session { get; }

    /// <summary>The weather, a part of the game that keeps its own section.</summary>
    public Weather Weather { get; private set; } = new();

    /// <summary>The fog bank, which does the same.</summary>
    public FogBank Fog { get; private set; } = new();

    /// <summary>What became of the last save.</summary>
    public SaveReceipt? Last { get; private set; }

    /// <summary>Says that this is no moment for an automatic save, or that it is one again.</summary>
    public void HoldAutosaves(bool isHeld)
    {
        if (isHeld)
            _held ??= Session.HoldAutosaves("the fog is near");
        else
            Interlocked.Exchange(ref _held, null)?.Dispose();
    }

    public void Dispose()
    {
        Session.Dispose();
        Store.Dispose();
    }
}

/// <summary>What a list of saves shows of one.</summary>
public static class NightLabel
{
    private const string ViewName = "view.txt";

    public static SaveLabel Of(Night night) => new()
    {
        Title = SaveLabel.TitleOf($"In the {night.Scene.Name}", $"day {night.Season.Day}"),
        Summary =
        [
            new("place", night.Scene.Name),
            new("day", night.Season.Day),
            new("beacons lit", night.Session.State.Errands["lights"].Steps),
        ],
        Thumbnail = Picture.Of(night.Scene, night.Warden.Position, night.Season.Tide),
        Attachments = new Dictionary<string, ReadOnlyMemory<byte>> { [ViewName] = Encoding.UTF8.GetBytes(string.Join('\n', View.Small(night))) },
    };

    /// <summary>The same picture as lines of signs, for a list in a terminal.</summary>
    public static IEnumerable<string> ViewOf(NightSaves saves, SlotName slot) =>
        saves.Store.ReadAttachment(slot, ViewName) is { } bytes ? Encoding.UTF8.GetString(bytes).Split('\n') : [];
}

/// <summary>How the game saves.</summary>
/// <param name="Folder">The folder.</param>
/// <param name="Form">The form.</param>
/// <param name="IsSealed">Whether edits are noticed.</param>
/// <param name="IsEncrypted">Whether nobody can look inside.</param>
/// <param name="Profile">Who plays; null for the only one.</param>
public sealed record SaveTerms(string Folder, SaveForm Form = SaveForm.Json, bool IsSealed = false, bool IsEncrypted = false, SlotName? Profile = null)
{
    // A key in a game's own files keeps honest players honest, and no one else.
    private static readonly SaveKey Key = SaveKey.FromBytes("tidewarden", [.. Enumerable.Range(1, SaveKey.SecretBytes).Select(i => (byte)(i * 7))]);

    public SaveProtection? Protection =>
        IsEncrypted ? SaveProtection.Encrypted(Key) : IsSealed ? SaveProtection.With(Key) : null;
}

using Lodrik.Migrations;
using Tidewarden;

namespace Lodrik.Cli.Demo;

/// <summary>Tidewarden, as the tool's demo.</summary>
internal sealed class TidewardenDemo : IGameDemo
{
    public string Name => "Tidewarden";

    public string Plot => "the keeper of the tidal beacons rows out, lights two of them, sets lanterns adrift";

    public string AssemblyFile => "Tidewarden.dll";

    public int MapWidth => Scene.Width;

    public MigrationChain Migrations => SaveHistory.Migrations;

    public DemoStory Play(SaveStoreOptions options)
    {
        using var store = SaveStore<TidewardenSave>.Open(options);
        var story = Story.Play(store);
        return new DemoStory(
            [.. new[] { story.Authored, story.AtSave, story.PlayedOn, story.Loaded }.Select(Shown)], story.Receipts, story.Restored,
            [.. story.Checkpoint.Facts.Select(fact => new DemoFact(fact.Name, fact.Marked, fact.Before, fact.After))], story.Updated);
    }

    public byte[] SaveOfFirstRelease() => SaveHistory.SaveOfFirstRelease();

    public int LoadFirstRelease(SaveStoreOptions options, SlotName slot, out string outcome)
    {
        using var store = SaveStore<TidewardenSave>.Open(options);
        var loaded = store.Load(slot);
        var (warden, season) = (loaded.State.Warden, loaded.State.Season);
        outcome = $"{warden.Name}, {warden.Oil} l of oil, day {season.Day}, {season.Tally.LettersDelivered} letter delivered";
        return loaded.MigratedFrom ?? Migrations.Steps[^1].To;
    }

    public IReadOnlyList<KeyValuePair<char, string>> Legend { get; } =
    [
        new('@', "warden"), new('B', "beacon lit"), new('b', "dark"), new('*', "drift lantern"), new('p', "punt"), new('s', "sluice"),
        new('S', "open"), new('o', "oil"), new('l', "letter"), new('h', "heron"),
    ];

    public string? StyleOf(char sign) => sign switch
    {
        '@' => "bold white",
        'B' => "bold yellow",
        '*' => "orange1",
        'p' => "tan",
        'S' => Screen.Good,
        'H' => "bold",
        'o' or 'l' => Screen.Name,
        '·' => "grey27",
        _ => null,
    };

    private static DemoMoment Shown(Moment moment) => new(
        moment.Title, moment.Map, [.. moment.Facts.Select(fact => KeyValuePair.Create(fact.Name, fact.Value))]);
}

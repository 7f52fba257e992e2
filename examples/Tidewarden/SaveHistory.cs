using Lodrik.Migrations;

namespace Tidewarden;

/// <summary>How saves of the game's earlier releases become saves of today. The shape of each is in the folder ledger.</summary>
public static class SaveHistory
{
    /// <summary>A save that the first release made.</summary>
    public static byte[] SaveOfFirstRelease()
    {
        using var stream = typeof(SaveHistory).Assembly.GetManifestResourceStream("night.json")!;
        using var bytes = new MemoryStream();
        stream.CopyTo(bytes);
        return bytes.ToArray();
    }

    public static MigrationChain Migrations { get; } = new MigrationChain()
        .From(1, step => step
            .Move("/season/lettersDelivered", "/season/tally/lettersDelivered")
            .Move("/season/oilBurnt", "/season/tally/oilBurnt")
            .Move("/season/floods", "/season/tally/floods")
            .ForEachPart("sluice", "gate", gate => gate.RenameEnumValue("/setting", "Half", "Ajar")))
        .From(2, step => step
            .ForEach("/warden/satchel/*", item => item.Split("/name", ["from", "what"], "at the blank", name => name.AsText()!.Split(' ', 2) is [var from, var what]
                ? [from, what]
                : ["", name]))
            .ForEachPart("heron", "mood", mood => mood.Rename("/alert", "wary"))
            .RenameKind("lantern", "driftLantern"))
        .From(3, step => step
            .ForEach("/errands/*", errand => errand
                .Convert("/done", "becomes Done or Open", done => done.AsBool() ? nameof(ErrandState.Done) : nameof(ErrandState.Open))
                .Rename("/done", "state"))
            // A step of the old scale was six knots. A save from before the first weather has none.
            .IfPresent.Convert("/session/weather/wind", "goes from steps to knots", wind => wind.AsInt64() * 6f)
            .IfPresent.Rename("/session/weather/wind", "windKnots"));
}

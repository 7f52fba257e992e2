using Lodrik.Codes;
using Lodrik.Storage;
using Lodrik.Testing;

namespace Lodrik.Tests.Codes;

/// <summary>A released layout of transfer codes is kept with the source, and a changed one is told before players meet it.</summary>
public sealed class PinnedCodesTests : IDisposable
{
    private readonly string _ledger = Directory.CreateTempSubdirectory("pinned-").FullName;

    public void Dispose() => Directory.Delete(_ledger, recursive: true);

    [Fact]
    public void A_pinned_layout_is_fine_until_something_decides_otherwise_about_its_codes()
    {
        var pinned = PinnedCodes.In(_ledger);
        Assert.Contains("No version of the codes \"ebb/1\" is pinned", Assert.Throws<CompatibilityException>(() => CodeCompatibility.Check(Layout("ebb", "flood"), _ledger)).Message, StringComparison.Ordinal);
        Assert.True(pinned.Pin(Layout("ebb", "flood")));
        Assert.False(pinned.Pin(Layout("ebb", "flood")));
        Assert.Equal([1], CodeCompatibility.Check(Layout("ebb", "flood"), _ledger));
        Assert.Equal(Path.Combine(_ledger, "codes", "ebb%2F1", "1.json"), pinned.FileOf("ebb/1", 1));
        Assert.Equal("Codes \"ebb/1\" of version 1 would be decoded to the wrong state: the field \"tide\" was one of ebb, flood, and is one of ebb, low, flood. "
            + "Restore it, and give the new layout another version.", Assert.Single(pinned.ProblemsOf(Layout("ebb", "low", "flood"))));
        Assert.Throws<CompatibilityException>(() => CodeCompatibility.Check(Layout("flood", "ebb"), _ledger));
        Assert.Contains("would be decoded to the wrong state", Assert.Throws<CodeException>(() => pinned.Pin(Layout("flood", "ebb"))).Message, StringComparison.Ordinal);
        // What is only shown otherwise is the same code.
        Assert.Empty(pinned.ProblemsOf(Layout(new CodeOptions { GroupSize = 5 }, 1, "ebb", "flood")));
        Assert.Contains("there were 1 mark characters, and are 2", Assert.Single(pinned.ProblemsOf(Layout(new CodeOptions { MarkCharacterCount = 2 }, 1, "ebb", "flood"))), StringComparison.Ordinal);
        Assert.Contains("they were scrambled", Assert.Single(pinned.ProblemsOf(Layout(new CodeOptions { Scrambled = false }, 1, "ebb", "flood"))), StringComparison.Ordinal);
    }

    [Fact]
    public void A_later_version_adds_fields_and_an_older_one_with_other_fields_is_still_read()
    {
        var pinned = PinnedCodes.In(_ledger);
        pinned.Pin(Layout("ebb", "flood"));
        var more = Layout(null, 2, "ebb", "flood");
        Assert.Empty(pinned.ProblemsOf(more));
        pinned.Pin(more);
        Assert.Equal([1, 2], CodeCompatibility.Check(more, _ledger));
        Assert.Contains("is pinned, and the game has version 1", pinned.ProblemsOf(Layout("ebb", "flood"))[0], StringComparison.Ordinal);
        var anew = new CodeLayout<Shore>("ebb/1", 3, fields => fields.Number("day", 0, 400, one => one.Day, (one, day) => one.Day = (int)day), oldest: 3);
        Assert.Equal(2, pinned.ProblemsOf(anew).Count(problem => problem.Contains("can no longer be decoded. Add their layout with Accepts.", StringComparison.Ordinal)));
        Assert.Empty(pinned.ProblemsOf(anew.Accepts(more, old => old)));
        Assert.Single(pinned.ProblemsOf(anew.Accepts(Layout(null, 2, "flood", "ebb"), old => old)), problem => problem.Contains("version 1", StringComparison.Ordinal));
    }

    [Fact]
    public void A_spoilt_file_is_told()
    {
        var pinned = PinnedCodes.In(_ledger);
        pinned.Pin(Layout("ebb", "flood"));
        var file = pinned.FileOf("ebb/1", 1);
        File.WriteAllText(file, File.ReadAllText(file).Replace("ebb/1", "another", StringComparison.Ordinal));
        Assert.Contains("has the layout \"another\"", Assert.Throws<CodeException>(() => pinned.ProblemsOf(Layout("ebb", "flood"))).Message, StringComparison.Ordinal);
        File.WriteAllText(file, "{");
        Assert.Throws<CodeException>(() => pinned.ProblemsOf(Layout("ebb", "flood")));
        File.Delete(file);
        Directory.CreateDirectory(file);
        Assert.Empty(pinned.ListVersions("ebb/1"));
        Assert.Throws<StorageException>(() => pinned.Pin(Layout("ebb", "flood")));
    }

    [Fact]
    public void A_longer_mark_keeps_games_apart_that_share_a_place()
    {
        var (one, other) = (Marked("first"), Marked("second"));
        Assert.Equal(Math.Pow(32, -12), one.Explain().OddsOfAnotherGame, 1e-24);
        var refused = Assert.Throws<CodeException>(() => other.FromText(one.ToText(new Shore())));
        Assert.Equal(SaveErrorCode.CodeOfAnotherGame, refused.Code);
        // With one character, a game among some dozens has the same mark.
        var twins = Enumerable.Range(0, 200).Select(i => new CodeLayout<Shore>($"game {i}", 1, Day)).Where(game => game.FromTextOrNull(new CodeLayout<Shore>("game", 1, Day).ToText(new Shore()))).ToList();
        Assert.InRange(twins.Count, 1, 20);

        static CodeLayout<Shore> Marked(string name) => new(name, 1, Day, new CodeOptions { MarkCharacterCount = 12 });
        static void Day(CodeFields<Shore> fields) => fields.Number("day", 0, 99, shore => shore.Day, (shore, day) => shore.Day = (int)day);
    }

    private static CodeLayout<Shore> Layout(params string[] tides) => Layout(null, 1, tides);

    private static CodeLayout<Shore> Layout(CodeOptions? options, int version, params string[] tides) => new("ebb/1", version, fields =>
    {
        fields.Choice("tide", tides, shore => tides.Contains(shore.Tide) ? shore.Tide : tides[0], (shore, tide) => shore.Tide = tide);
        if (version > 1)
            fields.Since(2).Number("day", 0, 99, shore => shore.Day, (shore, day) => shore.Day = (int)day);
    }, options);
}

internal static class CodeTrials
{
    public static bool FromTextOrNull(this CodeLayout<Shore> layout, string text)
    {
        try
        {
            return layout.FromText(text) is not null;
        }
        catch (CodeException)
        {
            return false;
        }
    }
}

public sealed class Shore
{
    public string Tide { get; set; } = "ebb";

    public int Day { get; set; }
}

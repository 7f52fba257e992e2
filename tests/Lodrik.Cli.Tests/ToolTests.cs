using System.Text.Json;
using System.Text.RegularExpressions;
using Lodrik.Inspection;
using Xunit;

namespace Lodrik.Cli.Tests;

public sealed class ToolTests(DemoSaves demo) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public static TheoryData<string> Forms => ["json", "xml", "binary"];

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_demo_restores_its_scene_in_every_form()
    {
        Assert.Equal((0, ""), (demo.Run.Exit, demo.Run.Error));
        Assert.Equal(3, demo.Run.Out.Split("as it was at the save").Length - 1);
        Assert.DoesNotContain("not as it was", demo.Run.Out, StringComparison.Ordinal);
        Assert.Contains("bring back letter letter-2: it was removed since the save", demo.Run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Every_command_that_the_demo_names_works()
    {
        var commands = demo.Run.Out.Split('\n').Where(line => line.StartsWith("  lodrik ", StringComparison.Ordinal)).ToList();
        Assert.All<string>(["slots", "show", "diff", "weigh"], verb => Assert.Contains(commands, command => command.StartsWith($"  lodrik {verb} ", StringComparison.Ordinal)));
        foreach (var command in commands)
        {
            var run = ProgramRun.Lodrik(command.Trim()["lodrik ".Length..].Split(' '));
            // Two generations differ, and diff says so.
            Assert.Equal((command, command.Contains(" diff ", StringComparison.Ordinal) ? 1 : 0, ""), (command, run.Exit, run.Error));
            Assert.NotEmpty(run.Out);
        }
    }

    [Fact]
    public void The_demo_can_be_played_again_into_the_same_folder_and_into_one_of_its_own()
    {
        Assert.Equal(0, ProgramRun.Lodrik("demo", "--out", _folder).Exit);
        Assert.Equal(0, ProgramRun.Lodrik("demo", "--out", _folder).Exit);
        Assert.Equal(2, Directory.GetFiles(Path.Combine(_folder, "json", "slots", "evening"), "*.json").Length);
        var own = ProgramRun.Lodrik("demo");
        Assert.Equal(0, own.Exit);
        var named = own.Out.Split('\n').Single(line => line.StartsWith("The saves are in ", StringComparison.Ordinal))["The saves are in ".Length..].Split(". Try")[0];
        Assert.True(Directory.Exists(Path.Combine(named, "xml")));
        Directory.Delete(named, recursive: true);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Slots_lists_what_a_save_screen_would(string form)
    {
        var run = ProgramRun.Lodrik("slots", Path.Combine(demo.Folder, form));
        Assert.Equal((0, ""), (run.Exit, run.Error));
        var rows = run.Out.Split('\n').Where(line => line.Contains("readable", StringComparison.Ordinal)).ToList();
        Assert.Equal(3, rows.Count);
        Assert.Contains(rows, row => row.Contains("evening", StringComparison.Ordinal) && row.Contains("Evening on the marsh", StringComparison.Ordinal) && row.Contains("beacons lit 3", StringComparison.Ordinal));
        Assert.Contains(rows, row => row.Contains("quick", StringComparison.Ordinal) && row.Contains("1 h 30 min", StringComparison.Ordinal));
    }

    [Theory, MemberData(nameof(Forms))]
    public void Show_prints_the_header_the_sections_and_their_content(string form)
    {
        var run = ProgramRun.Lodrik("show", demo.Evening(form));
        Assert.Equal((0, ""), (run.Exit, run.Error));
        foreach (var expected in new[] { "Evening on the marsh", "tidewarden, version 4", "Isolde Reedmere", "scenes/marsh", "stamina 73.2", "position [13.0, 3.0]", "tide \"Flood\"", "session/weather", "scene \"marsh\"" })
            Assert.Contains(expected, run.Out, StringComparison.Ordinal);
        // A scene is a table for each kind: a column for each member of each part, a row for each entity.
        Assert.Matches(@"driftLantern \(3\) +parent +place/at +candle/burnt +candle/glass +guides *\n", run.Out);
        Assert.Matches(@"\n +#3 +punt +\[13\.0,5\.0\] +0\.09375 +""amber"" +""beacon-1"" *\n", run.Out);
        Assert.DoesNotContain("--full", ProgramRun.Lodrik("show", demo.Evening(form), "--full").Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("warden/satchel/0/what", "\"tinderbox\"")]
    [InlineData("warden", "stamina")]
    [InlineData("scenes/marsh/entities/beacon-1/parts/flame", "lit true")]
    [InlineData("/scenes~1marsh/entities/beacon-1/parts/flame", "lit true")]
    [InlineData("scenes/marsh/entities/#3/parent", "\"punt\"")]
    public void Show_goes_to_a_place(string path, string expected)
    {
        foreach (var form in Forms)
        {
            var run = ProgramRun.Lodrik("show", demo.Evening(form.Data), path);
            Assert.Equal((0, ""), (run.Exit, run.Error));
            Assert.Contains(expected, run.Out, StringComparison.Ordinal);
        }
    }

    [Theory]
    [InlineData("wardens", "Sections: warden, season, errands, scenes/harbour, scenes/marsh, scenes/saltworks, session/clock, session/names, session/place, session/weather.")]
    [InlineData("warden/hat", "There is no \"hat\" in warden. It has: name, position")]
    [InlineData("warden/satchel/7", "There is no \"7\" in warden/satchel. It has the items 0 to 0.")]
    [InlineData("warden/name/x", "It is a single value: Isolde Reedmere.")]
    public void A_place_that_is_not_there_is_answered_with_what_is(string path, string expected)
    {
        var run = ProgramRun.Lodrik("show", demo.Evening("xml"), path);
        Assert.Equal((1, ""), (run.Exit, run.Out));
        Assert.Contains(expected, run.Error, StringComparison.Ordinal);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Check_finds_an_intact_save_intact_section_by_section(string form)
    {
        var run = ProgramRun.Lodrik("check", demo.Evening(form));
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Equal(1 + 10, run.Out.Split("intact").Length - 1);
        Assert.Contains("5 files, nothing wrong", ProgramRun.Lodrik("check", Path.Combine(demo.Folder, form)).Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("sealed", "demo.jwk")]
    [InlineData("signed", "studio.jwk.pub")]
    [InlineData("encrypted", "demo.jwk")]
    public void Check_with_a_key_says_whether_the_seals_fit(string store, string keyFile)
    {
        var (folder, key) = (Path.Combine(demo.Folder, store), Path.Combine(demo.Folder, "keys", keyFile));
        Assert.Contains("5 files, nothing wrong", ProgramRun.Lodrik("check", folder).Out, StringComparison.Ordinal);
        var run = ProgramRun.Lodrik("check", folder, "--key", key);
        Assert.Equal((0, 5), (run.Exit, run.Out.Split("intact, and the seal matches").Length - 1));
        Assert.Contains("6", ProgramRun.Lodrik("show", demo.Evening(store), "warden/oil", "--key", key).Out, StringComparison.Ordinal);

        var spoilt = Path.Combine(_folder, "spoilt");
        var bytes = File.ReadAllBytes(demo.Evening(store));
        bytes[bytes.AsSpan().IndexOf("Evening on"u8)] = (byte)'e';
        File.WriteAllBytes(spoilt, bytes);
        var edited = ProgramRun.Lodrik("check", spoilt, "--key", key);
        Assert.Equal(1, edited.Exit);
        Assert.Contains(store == "encrypted" ? "damaged" : "tampered with", edited.Out, StringComparison.Ordinal);
        Assert.Contains("another key", ProgramRun.Lodrik("check", demo.Evening(store), "--key", Path.Combine(demo.Folder, "keys", keyFile == "demo.jwk" ? "studio.jwk" : "demo.jwk")).Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Keys_are_made_and_shown_without_their_secret()
    {
        var (secret, signing) = (Path.Combine(_folder, "game.jwk"), Path.Combine(_folder, "studio.jwk"));
        Assert.Equal(0, ProgramRun.Lodrik("key", "new", secret).Exit);
        Assert.Equal(0, ProgramRun.Lodrik("key", "new", signing, "--signing", "--id", "2031").Exit);
        Assert.True(OperatingSystem.IsWindows() || File.GetUnixFileMode(secret) == (UnixFileMode.UserRead | UnixFileMode.UserWrite));
        Assert.Equal("game: a secret key, for seals and encryption", ProgramRun.Lodrik("key", "show", secret).Out.Trim());
        Assert.StartsWith("2031: a key for signatures", ProgramRun.Lodrik("key", "show", signing + ".pub").Out, StringComparison.Ordinal);
        Assert.DoesNotContain("\"d\"", File.ReadAllText(signing + ".pub"), StringComparison.Ordinal);
        var again = ProgramRun.Lodrik("key", "new", secret);
        Assert.Equal(2, again.Exit);
        Assert.Contains("already exists", again.Error, StringComparison.Ordinal);
        File.WriteAllText(signing, "{}");
        Assert.Equal(2, ProgramRun.Lodrik("check", demo.Folder, "--key", signing).Exit);
        Assert.Equal(2, ProgramRun.Lodrik("check", demo.Folder, "--key", "env:NOT_THERE").Exit);
    }

    [Fact]
    public void Check_finds_what_was_edited_and_what_is_damaged()
    {
        var edited = Path.Combine(_folder, "edited.json");
        File.WriteAllText(edited, File.ReadAllText(demo.Evening("json")).Replace("\"oil\": 6", "\"oil\": 600", StringComparison.Ordinal));
        var run = ProgramRun.Lodrik("check", edited);
        Assert.Equal(1, run.Exit);
        Assert.Matches(@"warden +213 B  edited by hand", run.Out);
        Assert.Matches(@"season +158 B  intact", run.Out);

        var bytes = File.ReadAllBytes(demo.Evening("binary"));
        bytes[^6] ^= 1;
        File.WriteAllBytes(Path.Combine(_folder, "damaged.lodrik"), bytes);
        run = ProgramRun.Lodrik("check", Path.Combine(_folder, "damaged.lodrik"));
        Assert.Equal(1, run.Exit);
        Assert.Matches(@"session/weather +\d+ B  damaged", run.Out);

        File.WriteAllBytes(Path.Combine(_folder, "cut.xml"), File.ReadAllBytes(demo.Evening("xml"))[..2000]);
        run = ProgramRun.Lodrik("check", _folder);
        Assert.Equal(1, run.Exit);
        Assert.Contains("3 files, 3 not as written", run.Out, StringComparison.Ordinal);
        Assert.Contains("The file is cut off", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Show_of_a_damaged_save_shows_what_is_intact()
    {
        var bytes = File.ReadAllBytes(demo.Evening("binary"));
        bytes[^6] ^= 1;
        var path = Path.Combine(_folder, "damaged.lodrik");
        File.WriteAllBytes(path, bytes);
        var run = ProgramRun.Lodrik("show", path);
        Assert.Equal(1, run.Exit);
        Assert.Contains("session/weather  damaged", run.Out, StringComparison.Ordinal);
        Assert.Contains("Isolde Reedmere", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Slots_shows_a_damaged_slot_as_damaged_and_the_others_as_they_are()
    {
        Directory.CreateDirectory(Path.Combine(_folder, "slots", "bad"));
        Directory.CreateDirectory(Path.Combine(_folder, "slots", "good"));
        File.WriteAllText(Path.Combine(_folder, "slots", "bad", "00000001.json"), "{ \"lodrik\": ");
        File.Copy(demo.Evening("json"), Path.Combine(_folder, "slots", "good", "00000001.json"));
        var run = ProgramRun.Lodrik("slots", _folder);
        Assert.Equal(1, run.Exit);
        Assert.Contains(run.Out.Split('\n'), line => line.Contains("bad ", StringComparison.Ordinal) && line.Contains("damaged", StringComparison.Ordinal));
        Assert.Contains(run.Out.Split('\n'), line => line.Contains("good", StringComparison.Ordinal) && line.Contains("readable", StringComparison.Ordinal));
    }

    [Theory]
    [InlineData("json", "xml"), InlineData("json", "binary"), InlineData("xml", "json"), InlineData("binary", "json"), InlineData("binary", "xml")]
    public void Convert_writes_the_same_save_in_another_form(string from, string to)
    {
        var target = Path.Combine(_folder, "converted");
        var run = ProgramRun.Lodrik("convert", demo.Evening(from), "--to", to, "-o", target);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        var there = SavedFile.Open(target);
        var original = SavedFile.Open(demo.Evening(to));
        Assert.Equal(original.Form, there.Form);
        Assert.Equal(SectionHealth.Intact, there.Health);
        Assert.Equal(original.Sections.Select(section => section.Name), there.Sections.Select(section => section.Name));
        Assert.Equal(0, ProgramRun.Lodrik("check", target).Exit);

        var again = ProgramRun.Lodrik("convert", demo.Evening(from), "--to", to, "-o", target);
        Assert.Equal(1, again.Exit);
        Assert.Contains("--overwrite", again.Error, StringComparison.Ordinal);
        Assert.Equal(0, ProgramRun.Lodrik("convert", demo.Evening(from), "--to", to, "-o", target, "--overwrite", "--compact").Exit);
        Assert.True(new FileInfo(target).Length <= there.ByteCount);
    }

    [Fact]
    public void Convert_names_the_file_after_the_form_and_refuses_one_that_it_does_not_know()
    {
        var source = Path.Combine(_folder, "evening.json");
        File.Copy(demo.Evening("json"), source);
        Assert.Equal(0, ProgramRun.Lodrik("convert", source, "--to", "binary").Exit);
        Assert.True(File.Exists(Path.Combine(_folder, "evening.lodrik")));
        Assert.Equal(2, ProgramRun.Lodrik("convert", source, "--to", "yaml").Exit);
        Assert.Equal(2, ProgramRun.Lodrik("convert", source).Exit);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Forms_compares_the_forms_on_one_save(string form)
    {
        var run = ProgramRun.Lodrik("forms", demo.Evening(form));
        Assert.Equal((0, ""), (run.Exit, run.Error));
        foreach (var row in new[] { "JSON ", "JSON, compact", "XML ", "XML, compact", "binary" })
            Assert.Contains($"│ {row}", run.Out, StringComparison.Ordinal);
        Assert.Contains("(this file)", run.Out, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("show", "none.json")]
    [InlineData("show", "@none.json")]
    [InlineData("slots", "none")]
    [InlineData("check", "none")]
    public void What_is_not_there_is_one_line_on_the_error_stream(string command, string path)
    {
        var run = ProgramRun.Lodrik(command, path);
        Assert.Equal((1, ""), (run.Exit, run.Out));
        Assert.StartsWith("There is no such f", run.Error, StringComparison.Ordinal);
        Assert.Contains(path, run.Error, StringComparison.Ordinal);
        Assert.Single(run.Error.TrimEnd().Split('\n'));
    }

    [Theory]
    [InlineData]
    [InlineData("show")]
    [InlineData("shwo", "x")]
    [InlineData("slots", "a", "b")]
    [InlineData("demo", "--nowhere")]
    public void Wrong_use_exits_with_2(params string[] arguments)
    {
        var run = ProgramRun.Lodrik(arguments);
        Assert.Equal(2, run.Exit);
        Assert.NotEmpty(run.Error);
    }

    [Fact]
    public void Help_exits_with_0_and_names_every_command()
    {
        var run = ProgramRun.Lodrik("--help");
        Assert.Equal(0, run.Exit);
        foreach (var command in new[] { "demo", "slots", "show", "check" })
            Assert.Contains($"  {command} ", run.Out, StringComparison.Ordinal);
        Assert.Contains("\nCompare\n", run.Out, StringComparison.Ordinal);
        Assert.Contains("  show <save> [<path>] ", run.Out, StringComparison.Ordinal);
        Assert.Contains("  remove <folder> <slot> [<generation>] ", run.Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Each_command_explains_itself_with_examples_that_are_commands()
    {
        var commands = Regex.Matches(ProgramRun.Lodrik("--help").Out, @"^  (?<name>[a-z]+) (?<subs>[a-z]+(\|[a-z]+)+)?", RegexOptions.Multiline);
        Assert.Equal(26, commands.Count);
        string[] names = [.. commands.SelectMany(match => match.Groups["subs"].Value is { Length: > 0 } subs
            ? subs.Split('|').Select(sub => $"{match.Groups["name"].Value} {sub}") : [match.Groups["name"].Value])];
        Parallel.ForEach(names, name =>
        {
            var run = ProgramRun.Lodrik([.. name.Split(' '), "--help"]);
            Assert.Equal((0, ""), (run.Exit, run.Error));
            Assert.Contains($"\nUsage: lodrik {name} ", run.Out, StringComparison.Ordinal);
            Assert.Contains("\nExamples\n", run.Out, StringComparison.Ordinal);
            Assert.Matches($@"\nExamples\n  (source <\()?lodrik {name}", run.Out);
        });
    }

    [Fact]
    public void A_mistyped_command_suggests_the_nearest_and_says_where_help_is()
    {
        var run = ProgramRun.Lodrik("shw", "saves");
        Assert.Equal(2, run.Exit);
        Assert.Contains("show", run.Out + run.Error, StringComparison.Ordinal);
        Assert.Contains("Type \"lodrik --help\" for help.", run.Error, StringComparison.Ordinal);
        Assert.DoesNotContain("Usage:", run.Out, StringComparison.Ordinal);
        Assert.Contains("Type \"lodrik show --help\" for help.", ProgramRun.Lodrik("show").Error, StringComparison.Ordinal);
    }

    [Fact]
    public void Redirected_output_has_no_escape_sequences() => Assert.DoesNotContain('\e', demo.Run.Out + ProgramRun.Lodrik("show", demo.Evening("json")).Out);

    [Fact]
    public void Control_characters_in_a_save_do_not_reach_the_terminal()
    {
        var path = Path.Combine(_folder, "evil.json");
        File.WriteAllText(path, "{ \"name\": \"\\u001b[2Jgone\", \"[red]\": \"[/]\", \"k\\u0007\": { \"\\u001b]\": 1 } }");
        var run = ProgramRun.Lodrik("show", path);
        Assert.Equal((0, ""), (run.Exit, run.Error));
        Assert.Contains("\\u001b[2Jgone", run.Out, StringComparison.Ordinal);
        Assert.Contains("[red]  5 B  \"[/]\"", run.Out, StringComparison.Ordinal);
        Assert.Contains("k\\u0007", run.Out, StringComparison.Ordinal);
        Assert.DoesNotContain(run.Out.Replace("\n", "", StringComparison.Ordinal), char.IsControl);
    }

    [Fact]
    public void A_slots_history_is_listed_and_an_older_generation_is_made_the_newest_again()
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
        try
        {
            ProgramRun.Told("light mill\nsave evening\nlight quay\nsave\nquick\nquit\n", "SaveScreen", folder, folder);
            var history = ProgramRun.Lodrik("history", folder, "evening");
            Assert.Equal((0, ""), (history.Exit, history.Error));
            Assert.Matches("2 │ At the quay · 2 lit", history.Out);
            Assert.Matches("1 │ At the mill · 1 lit", history.Out);

            var reinstated = ProgramRun.Lodrik("reinstate", folder, "evening", "1");
            Assert.Equal((0, "Generation 1 of evening is its newest again, as generation 3. The others stay.\n"), (reinstated.Exit, reinstated.Out));
            using (var generations = JsonDocument.Parse(ProgramRun.Lodrik("history", folder, "evening", "--json").Out))
                Assert.Equal([3, 2, 1], generations.RootElement.EnumerateArray().Select(one => one.GetProperty("generation").GetInt32()));
            using (var slots = JsonDocument.Parse(ProgramRun.Lodrik("slots", folder, "--json").Out))
                Assert.Contains("evening", slots.RootElement.EnumerateArray().Select(one => one.GetProperty("slot").GetString()));

            var missing = ProgramRun.Lodrik("history", folder, "evning");
            Assert.Equal(1, missing.Exit);
            Assert.Contains("Did you mean \"evening\"?", missing.Error, StringComparison.Ordinal);
            Assert.Contains("It has 3, 2, 1.", ProgramRun.Lodrik("reinstate", folder, "evening", "9").Error, StringComparison.Ordinal);
            Assert.Equal(2, ProgramRun.Lodrik("reinstate", folder, "evening").Exit);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public void A_slot_goes_out_as_one_file_and_comes_in_again()
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
        try
        {
            var (saves, file) = (Path.Combine(folder, "saves"), Path.Combine(folder, "evening.zip"));
            ProgramRun.Told("light mill\nsave 雪山\nlight quay\nsave\nquit\n", "SaveScreen", folder, saves);
            using (var listed = JsonDocument.Parse(ProgramRun.Lodrik("slots", saves, "--json").Out))
                Assert.Equal("雪山", listed.RootElement[0].GetProperty("name").GetString());
            var exported = ProgramRun.Lodrik("export", saves, "xn--rhtr47k", file);
            Assert.Equal((0, ""), (exported.Exit, exported.Error));
            Assert.StartsWith($"Exported xn--rhtr47k to {file}.", exported.Out.Replace("\n", "", StringComparison.Ordinal), StringComparison.Ordinal);
            Assert.Equal(1, ProgramRun.Lodrik("export", saves, "xn--rhtr47k", file).Exit);
            Assert.Equal(0, ProgramRun.Lodrik("export", saves, "xn--rhtr47k", file, "--force").Exit);
            Assert.Contains("as from-a-player, 2 saves.", ProgramRun.Lodrik("import", saves, file, "from-a-player").Out.Replace("\n", " ", StringComparison.Ordinal), StringComparison.Ordinal);
            Assert.Contains("as xn--rhtr47k-2, 2 saves.", ProgramRun.Lodrik("import", saves, file).Out.Replace("\n", " ", StringComparison.Ordinal), StringComparison.Ordinal);
            Assert.Contains("At the quay · 2 lit", ProgramRun.Lodrik("show", $"{saves}/from-a-player").Out, StringComparison.Ordinal);
            File.WriteAllText(file, "no zip");
            Assert.Contains("is not a ZIP archive", ProgramRun.Lodrik("import", saves, file).Error, StringComparison.Ordinal);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public void Remove_asks_before_it_deletes()
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
        try
        {
            ProgramRun.Told("light mill\nsave evening\nlight quay\nsave\nquit\n", "SaveScreen", folder, folder);
            var refused = ProgramRun.Told("n\n", "Lodrik.Cli", folder, "remove", folder, "evening");
            Assert.Equal(1, refused.Exit);
            Assert.Contains("Delete evening with 2 saves for good? (y/n) Nothing was deleted.", refused.Out, StringComparison.Ordinal);
            Assert.Equal(1, ProgramRun.Lodrik("remove", folder, "evening").Exit);
            Assert.Equal("Deleted generation 1 of evening.\n", ProgramRun.Lodrik("remove", folder, "evening", "1", "--yes").Out);
            Assert.Contains("Deleted evening with its only save.", ProgramRun.Told("y\n", "Lodrik.Cli", folder, "remove", folder, "evening").Out, StringComparison.Ordinal);
            Assert.Equal(1, ProgramRun.Lodrik("remove", folder, "evening", "--yes").Exit);
            Assert.Empty(Directory.GetDirectories(folder, "evening", SearchOption.AllDirectories));
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public void Where_prints_the_platforms_place_for_a_game()
    {
        var run = ProgramRun.Lodrik("where", "no-such-game", "--publisher", "mill works");
        Assert.EndsWith(Path.Combine("mill works", "no-such-game") + "\n", run.Out, StringComparison.Ordinal);
        Assert.Equal(1, run.Exit);
        Assert.Contains("no such folder yet", run.Error, StringComparison.Ordinal);
        Assert.NotEqual(0, ProgramRun.Lodrik("where", "../up").Exit);
    }
}

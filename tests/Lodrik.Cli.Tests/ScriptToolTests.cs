using System.Text.Json;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>What the tool writes for scripts, and the ways into a save that <c>show</c> knows.</summary>
public sealed class ScriptToolTests(DemoSaves demo) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    private string Evening => Path.Combine(demo.Folder, "binary", "evening");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData("json")]
    [InlineData("xml")]
    [InlineData("binary")]
    public void A_save_is_shown_as_JSON_with_what_it_says_of_itself(string form)
    {
        var save = Json(0, "show", Path.Combine(demo.Folder, form, "evening"), "--json");
        Assert.Equal("Evening on the marsh", save.GetProperty("save").GetProperty("title").GetString());
        Assert.Equal(22440, save.GetProperty("save").GetProperty("played").GetDouble());
        Assert.Equal(10, save.GetProperty("save").GetProperty("sections").GetArrayLength());
        Assert.Equal(10, save.GetProperty("sections").EnumerateObject().Count());
        Assert.Equal("driftLantern", save.GetProperty("sections").GetProperty("scenes/marsh").GetProperty("entities").GetProperty("#2").GetProperty("kind").GetString());
        Assert.Equal(6, Json(0, "show", Path.Combine(demo.Folder, form, "evening"), "warden/oil", "--json").GetInt32());
    }

    [Fact]
    public void An_encrypted_save_is_JSON_without_its_content_until_the_key_is_given()
    {
        var store = Path.Combine(demo.Folder, "encrypted", "evening");
        Assert.Empty(Json(0, "show", store, "--json").GetProperty("sections").EnumerateObject());
        Assert.Equal(10, Json(0, "show", store, "--json", "--key", Path.Combine(demo.Folder, "keys", "demo.jwk")).GetProperty("sections").EnumerateObject().Count());
    }

    [Theory]
    [InlineData("scenes/marsh/entities/punt/parts/place/at")]
    [InlineData("/scenes~1marsh/entities/punt/parts/place/at")]
    [InlineData("scenes/marsh/punt/place/at")]
    [InlineData("marsh/punt/place/at")]
    [InlineData("punt/place/at")]
    [InlineData("punt/parts/place/at")]
    public void An_entity_is_found_by_its_id_however_much_of_the_way_is_written(string path) =>
        Assert.Equal("[12,5]", JsonSerializer.Serialize(Json(0, "show", Evening, path, "--json").EnumerateArray().Select(number => number.GetDouble())));

    [Fact]
    public void What_several_scenes_have_is_asked_for_by_scene()
    {
        var run = ProgramRun.Lodrik("show", Evening, "beacon-1");
        Assert.Equal((1, ""), (run.Exit, run.Out));
        Assert.Contains("scenes/harbour/beacon-1, scenes/marsh/beacon-1, scenes/saltworks/beacon-1", run.Error, StringComparison.Ordinal);
        Assert.Equal(1, ProgramRun.Lodrik("show", Evening, "beacon-99").Exit);
        Assert.Contains("It has: place, candle, guides", ProgramRun.Lodrik("show", Evening, "marsh/#1/flame").Error, StringComparison.Ordinal);
    }

    [Fact]
    public void What_a_migration_would_change_and_what_it_wrote_is_JSON_as_well()
    {
        var (store, game) = (Path.Combine(_folder, "first-release"), Path.Combine(AppContext.BaseDirectory, "Tidewarden.dll"));
        demo.CopyTo(_folder);
        var look = Assert.Single(Json(0, "migrate", store, "--with", game, "--dry-run", "--json").EnumerateArray());
        Assert.Equal(($"{store}/night@1", 1, 4, JsonValueKind.Null), (look.GetProperty("save").GetString(), look.GetProperty("from").GetInt32(), look.GetProperty("to").GetInt32(), look.GetProperty("written").ValueKind));
        Assert.Contains(look.GetProperty("patch").EnumerateArray(), change => change.GetProperty("path").GetString() == "/season/tally");
        Assert.Equal($"{store}/night@2", Json(0, "migrate", store, "--with", game, "--json")[0].GetProperty("written").GetString());
        Assert.Equal(JsonValueKind.Null, Json(0, "migrate", store, "--with", game, "--json")[0].GetProperty("written").ValueKind);

        var ledger = Path.Combine(ProgramRun.Repository, "examples", "Tidewarden", "ledger");
        var check = Json(0, "ledger", "check", game, ledger, "--json");
        Assert.Equal(("tidewarden", 4, true), (check.GetProperty("game").GetString(), check.GetProperty("version").GetInt32(), check.GetProperty("isFine").GetBoolean()));
        var diff = Json(0, "ledger", "diff", "1", "2", ledger, "--json");
        Assert.Equal(4, diff.GetProperty("changes").EnumerateArray().Count(change => change.GetProperty("loses").GetBoolean()));
        Assert.StartsWith(".From(1, step => step\n", diff.GetProperty("step").GetString(), StringComparison.Ordinal);
        // For people too: quotes and arrows stand there as they are.
        Assert.Contains("step => step", ProgramRun.Lodrik("ledger", "diff", "1", "2", ledger, "--json").Out, StringComparison.Ordinal);
    }

    [Fact]
    public void What_became_of_each_generation_under_another_protection_is_JSON_as_well()
    {
        var key = Path.Combine(demo.Folder, "keys", "demo.jwk");
        demo.CopyTo(_folder);
        var sealedNow = Json(0, "seal", Path.Combine(_folder, "xml"), "--key", key, "--json").EnumerateArray().ToList();
        Assert.Equal(5, sealedNow.Count(one => one.GetProperty("changed").GetBoolean() && one.GetProperty("protection").GetString() == "sealed with the key demo"));
        Assert.Equal(5, Json(0, "seal", Path.Combine(_folder, "xml"), "--key", key, "--from", key, "--json").EnumerateArray().Count(one => !one.GetProperty("changed").GetBoolean()));
        var open = Assert.Single(Json(0, "unlock", Path.Combine(_folder, "xml", "evening"), "--key", key, "-o", Path.Combine(_folder, "open.xml"), "--json").EnumerateArray());
        Assert.Equal("without protection", open.GetProperty("protection").GetString());
    }

    [Fact]
    public void What_a_code_costs_and_is_made_of_is_JSON_as_well()
    {
        var layout = Path.Combine(ProgramRun.Repository, "examples", "Sequel", "journey.json");
        var costs = Json(0, "code", "explain", "--layout", layout, "--json");
        Assert.Equal(37.8, costs.GetProperty("bits").GetDouble(), 0.01);
        var code = Json(0, "code", "explain", "w5pb17t1gm60", "--layout", layout, "--json");
        Assert.Equal("the 2nd character of group 2", Assert.Single(code.GetProperty("corrected").EnumerateArray()).GetString());
        // The digits by their weights are the packed number, and the weights those of the layout.
        var digits = code.GetProperty("fields").EnumerateArray().ToList();
        Assert.Equal(long.Parse(code.GetProperty("packed").GetString()!), digits.Sum(field => long.Parse(field.GetProperty("digit").GetString()!) * long.Parse(field.GetProperty("weight").GetString()!)));
        Assert.Equal(costs.GetProperty("fields").EnumerateArray().Select(field => field.GetProperty("weight").GetString()), digits.Select(field => field.GetProperty("weight").GetString()));
    }

    [Fact]
    public void A_scene_is_shown_as_a_table_for_each_kind()
    {
        var lines = ProgramRun.Lodrik("show", Evening, "scenes/marsh").Out.Split('\n').Select(line => string.Join(' ', line.Split(' ', StringSplitOptions.RemoveEmptyEntries))).ToList();
        Assert.Equal("scenes/marsh 22 entities", lines[0]);
        var lanterns = lines.IndexOf("driftLantern (3) parent place/at candle/burnt candle/glass guides");
        Assert.Equal("#1 [9.0,3.0] 0.20208333 \"amber\" \"beacon-3\"", lines[lanterns + 1]);
        Assert.Equal("#3 punt [13.0,5.0] 0.09375 \"amber\" \"beacon-1\"", lines[lanterns + 3]);
    }

    [Fact]
    public void Depth_says_how_far_it_unfolds()
    {
        var sections = ProgramRun.Lodrik("show", Evening, "--depth", "0").Out;
        Assert.Contains("scenes/marsh", sections, StringComparison.Ordinal);
        Assert.DoesNotContain("stamina", sections, StringComparison.Ordinal);
        var members = ProgramRun.Lodrik("show", Evening, "--depth", "1").Out;
        Assert.Contains("stamina", members, StringComparison.Ordinal);
        Assert.Contains("oilCan (6)", members, StringComparison.Ordinal);
        Assert.DoesNotContain("flame/lit", members, StringComparison.Ordinal);
        Assert.Contains("flame/lit", ProgramRun.Lodrik("show", Evening, "--depth", "2").Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Long_tables_are_folded_until_all_is_asked_for()
    {
        var file = Path.Combine(_folder, "crowd.json");
        File.WriteAllText(file, $$"""{ "scene": { "gone": [], "entities": { {{string.Join(", ", Enumerable.Range(1, 40).Select(i => $$"""
            "#{{i}}": { "kind": "gnat", "parts": { "place": { "at": [{{i}}.0, 0.0] } } }
            """))}} } } }""");
        var folded = ProgramRun.Lodrik("show", file);
        Assert.Equal((0, ""), (folded.Exit, folded.Error));
        Assert.Contains("10 of 40 rows; --full shows all", folded.Out, StringComparison.Ordinal);
        Assert.DoesNotContain("#40", folded.Out, StringComparison.Ordinal);
        Assert.Contains("#40", ProgramRun.Lodrik("show", file, "--full").Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Checks_are_JSON_with_a_finding_for_each_file()
    {
        var files = Json(0, "check", demo.Folder, "--json").EnumerateArray().ToList();
        Assert.Equal(31, files.Count);
        Assert.All(files, file => Assert.True(file.GetProperty("isFine").GetBoolean()));
        Assert.Contains(files, file => file.GetProperty("isEncrypted").GetBoolean());

        var (edited, broken) = (Path.Combine(_folder, "edited.json"), Path.Combine(_folder, "broken.lodrik"));
        File.WriteAllText(edited, File.ReadAllText(demo.Evening("json")).Replace("\"oil\": 6", "\"oil\": 60", StringComparison.Ordinal));
        File.WriteAllBytes(broken, File.ReadAllBytes(demo.Evening("binary"))[..900]);
        var findings = Json(1, "check", _folder, "--json").EnumerateArray().ToDictionary(file => Path.GetFileName(file.GetProperty("file").GetString()!), file => file.GetProperty("finding").GetString());
        Assert.Equal(("editedByHand", "damaged"), (findings["edited.json"], findings["broken.lodrik"]));

        var key = Path.Combine(demo.Folder, "keys", "demo.jwk");
        Assert.True(Json(0, "check", demo.Evening("sealed"), "--key", key, "--json")[0].GetProperty("sealFits").GetBoolean());
        Assert.Equal("unsealed", Json(1, "check", demo.Evening("json"), "--key", key, "--json")[0].GetProperty("finding").GetString());
    }

    [Fact]
    public void A_salvage_is_JSON_with_what_became_of_each_section()
    {
        var (broken, mended) = (Path.Combine(_folder, "broken.lodrik"), Path.Combine(_folder, "mended.lodrik"));
        var bytes = File.ReadAllBytes(demo.Evening("binary"));
        bytes[1500] ^= 0xFF;
        File.WriteAllBytes(broken, bytes);
        var salvage = Json(1, "salvage", broken, "-o", mended, "--json");
        Assert.Equal(mended, salvage.GetProperty("output").GetString());
        Assert.Equal("lost", salvage.GetProperty("sections").EnumerateArray().Single(section => section.GetProperty("health").GetString() != "intact").GetProperty("health").GetString());
        Assert.Equal(0, ProgramRun.Lodrik("check", mended).Exit);
    }

    [Fact]
    public void Forms_are_JSON_with_sizes_and_times()
    {
        var forms = Json(0, "forms", Path.Combine(demo.Folder, "json", "evening"), "--json").EnumerateArray().ToList();
        Assert.Equal(5, forms.Count);
        Assert.All(forms, form => Assert.True(form.GetProperty("byteCount").GetInt32() > 1000 && form.GetProperty("write").GetDouble() > 0 && form.GetProperty("read").GetDouble() > 0));
        Assert.Equal("Json", forms.Single(form => form.GetProperty("isThisFile").GetBoolean()).GetProperty("form").GetString());
    }

    [Fact]
    public async Task Watching_writes_a_line_of_JSON_for_each_save()
    {
        var slot = Directory.CreateDirectory(Path.Combine(_folder, "slots", "evening")).FullName;
        File.Copy(demo.Evening("json"), Path.Combine(slot, "00000001.json"));
        using var watch = ProgramRun.Start("Lodrik.Cli", _folder, "watch", _folder, "--count", "1", "--json");
        var line = watch.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken).AsTask();
        // A save before the first look would go unseen: it saves until one is seen.
        while (!line.IsCompleted)
            Assert.InRange(ProgramRun.Lodrik("set", Path.Combine(_folder, "evening"), "warden/oil", "7").Exit, 0, 1);
        using var seen = JsonDocument.Parse((await line)!);
        Assert.Equal("evening", seen.RootElement.GetProperty("slot").GetString());
        Assert.Equal(JsonValueKind.Array, seen.RootElement.GetProperty("patch").ValueKind);
        await watch.WaitForExitAsync(TestContext.Current.CancellationToken);
        Assert.Equal(0, watch.ExitCode);
    }

    private static JsonElement Json(int exit, params string[] arguments)
    {
        var run = ProgramRun.Lodrik(arguments);
        Assert.Equal((exit, ""), (run.Exit, run.Error));
        return JsonDocument.Parse(run.Out).RootElement;
    }
}

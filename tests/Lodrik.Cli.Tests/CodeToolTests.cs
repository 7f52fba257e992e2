using System.Text.Json;
using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>Transfer codes from the command line, by the layout of the example.</summary>
public sealed class CodeToolTests : IDisposable
{
    private static readonly string Layout = Path.Combine(ProgramRun.Repository, "examples", "Sequel", "journey.json");
    private const string Code = "W5PB-10T1-GM60";

    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_layout_of_the_example_is_the_one_of_its_class()
    {
        var file = Path.Combine(_folder, "journey.json");
        Assert.Equal(0, ProgramRun.Of("Sequel", _folder, "layout", file).Exit);
        Assert.Equal(File.ReadAllText(Layout), File.ReadAllText(file));
    }

    [Theory]
    [InlineData("text")]
    [InlineData("number")]
    [InlineData("bytes")]
    public void A_state_is_encoded_and_comes_back(string form)
    {
        var state = ProgramRun.Lodrik("code", "decode", Code, "--layout", Layout);
        Assert.Equal((0, ""), (state.Exit, state.Error));
        using var document = JsonDocument.Parse(state.Out);
        Assert.Equal(("Flood", 6, "beacon-3"), (document.RootElement.GetProperty("tide").GetString(), document.RootElement.GetProperty("oil").GetInt32(), document.RootElement.GetProperty("marshBeacons")[1].GetString()));
        var encoded = ProgramRun.Told(state.Out, "Lodrik.Cli", _folder, "code", "encode", "-", "--layout", Layout, "--as", form).Out.Trim();
        Assert.True(form != "text" || encoded == Code);
        Assert.Equal(state.Out, ProgramRun.Lodrik("code", "decode", encoded, "--layout", Layout, "--as", form).Out);
    }

    [Fact]
    public void A_released_layout_is_pinned_and_another_one_under_its_version_is_told()
    {
        var ledger = Path.Combine(_folder, "ledger");
        Assert.Equal(0, ProgramRun.Lodrik("code", "check", ledger, "--layout", Layout).Exit);
        var pinned = ProgramRun.Lodrik("code", "pin", ledger, "--layout", Layout);
        Assert.Equal(0, pinned.Exit);
        Assert.Contains("Version 1 of tidewarden-journey is pinned.", pinned.Out, StringComparison.Ordinal);
        Assert.True(File.Exists(Path.Combine(ledger, "codes", "tidewarden-journey", "1.json")));
        Assert.Contains("is pinned already", ProgramRun.Lodrik("code", "pin", ledger, "--layout", Layout).Out, StringComparison.Ordinal);
        Assert.Contains("Codes of version 1 still decode correctly.", ProgramRun.Lodrik("code", "check", ledger, "--layout", Layout).Out, StringComparison.Ordinal);
        var changed = Path.Combine(_folder, "changed.json");
        File.WriteAllText(changed, File.ReadAllText(Layout).Replace("\"Ebb\",", "", StringComparison.Ordinal));
        var told = ProgramRun.Lodrik("code", "check", ledger, "--layout", changed);
        Assert.Equal(1, told.Exit);
        Assert.Contains("would be decoded to the wrong state", told.Out, StringComparison.Ordinal);
        Assert.NotEqual(0, ProgramRun.Lodrik("code", "pin", ledger, "--layout", changed).Exit);
    }

    [Fact]
    public void A_typo_is_corrected_and_two_are_not_guessed_at()
    {
        var one = ProgramRun.Lodrik("code", "decode", "w5pb 17t1 gm60", "--layout", Layout);
        Assert.Equal(0, one.Exit);
        Assert.Contains("Corrected the 2nd character of group 2: 7 was typed, 0 was meant.", one.Error, StringComparison.Ordinal);
        var two = ProgramRun.Lodrik("code", "decode", "w5pb 17t1 gm61", "--layout", Layout);
        Assert.Equal((1, ""), (two.Exit, two.Out));
        Assert.Contains("To the player: There is a mistake in this code.", two.Error, StringComparison.Ordinal);
        Assert.Equal(1, ProgramRun.Lodrik("code", "decode", "w5pb", "--layout", Layout).Exit);
        Assert.Contains("Nothing is stored yet", ProgramRun.Lodrik("code", "decode", "0", "--layout", Layout, "--as", "number").Out, StringComparison.Ordinal);
    }

    [Fact]
    public void An_explanation_shows_what_fields_cost_and_what_a_code_is_made_of()
    {
        var costs = ProgramRun.Lodrik("code", "explain", "--layout", Layout);
        Assert.Contains("Together 37.80 bits: numbers from 1 to 239893217280, which a double holds exactly.", costs.Out, StringComparison.Ordinal);
        Assert.Contains("10 characters of 16, 8 characters of 32, 7 characters of 64", costs.Out, StringComparison.Ordinal);
        Assert.Matches("day.* 90 .* 6.49 .* 32768", costs.Out);
        var steps = ProgramRun.Lodrik("code", "explain", Code, "--layout", Layout);
        Assert.Contains("195791185969", steps.Out, StringComparison.Ordinal);
        Assert.Matches("tide .* 2 .* 2949120 .* 5898240 .* Flood", steps.Out);
    }

    [Fact]
    public void Keyed_codes_take_their_key_and_no_other()
    {
        var (key, other) = (Path.Combine(_folder, "a.jwk"), Path.Combine(_folder, "b.jwk"));
        ProgramRun.Lodrik("key", "new", key);
        ProgramRun.Lodrik("key", "new", other);
        var state = ProgramRun.Lodrik("code", "decode", Code, "--layout", Layout).Out;
        var keyed = ProgramRun.Told(state, "Lodrik.Cli", _folder, "code", "encode", "-", "--layout", Layout, "--key", key).Out.Trim();
        Assert.Equal(state, ProgramRun.Lodrik("code", "decode", keyed, "--layout", Layout, "--key", key).Out);
        Assert.Equal(1, ProgramRun.Lodrik("code", "decode", keyed, "--layout", Layout, "--key", other).Exit);
        Assert.Equal(1, ProgramRun.Lodrik("code", "decode", keyed, "--layout", Layout).Exit);
        Assert.Contains("Making one needs the key.", ProgramRun.Lodrik("code", "explain", "--layout", Layout, "--key", key).Out, StringComparison.Ordinal);
    }

    [Fact]
    public void Wrong_use_is_said()
    {
        var state = ProgramRun.Lodrik("code", "decode", Code, "--layout", Layout).Out;
        Assert.Contains("has no field \"fog\"", Encode(state.Replace("\"day\"", "\"fog\"", StringComparison.Ordinal)).Error, StringComparison.Ordinal);
        Assert.Contains("\"oil\" is 77", Encode(state.Replace("\"oil\": 6", "\"oil\": 77", StringComparison.Ordinal)).Error, StringComparison.Ordinal);
        Assert.Equal(2, ProgramRun.Lodrik("code", "explain", "--layout", Path.Combine(_folder, "none.json")).Exit);
        Assert.Equal(2, ProgramRun.Lodrik("code", "explain").Exit);
        Assert.Equal(2, ProgramRun.Lodrik("code", "decode", "zz", "--layout", Layout, "--as", "bytes").Exit);
        File.WriteAllText(Path.Combine(_folder, "bad.json"), "{\"name\":\"x\"}");
        var bad = ProgramRun.Lodrik("code", "explain", "--layout", Path.Combine(_folder, "bad.json"));
        Assert.Equal(1, bad.Exit);
        Assert.Contains("The layout", bad.Error, StringComparison.Ordinal);

        ProgramRun Encode(string state) => ProgramRun.Told(state, "Lodrik.Cli", _folder, "code", "encode", "-", "--layout", Layout);
    }
}

using System.Numerics;
using CsCheck;
using Lodrik.Codes;
using Lodrik.Protection;
using Lodrik.State;

namespace Lodrik.Tests.Codes;

/// <summary>A code carries exactly what was put into it, and says what is wrong with what is none.</summary>
public sealed class CodeLayoutTests
{
    private static readonly SaveKey Key = SaveKey.FromBytes("codes", System.Security.Cryptography.SHA256.HashData("codes"u8));

    public enum Moon
    {
        New,
        Waxing,
        Full = 7,
        Waning,
    }

    [Fact]
    public void A_list_of_choices_comes_back_and_the_layout_says_what_it_is()
    {
        var layout = new CodeLayout<SaveMap>("moons", 2, fields => fields
            .Choices("seen", 3, [Moon.New, Moon.Full, Moon.Waning], state => ((SaveList)state["seen"]).Select(one => Enum.Parse<Moon>(one.AsText()!)).ToList(),
                (state, seen) => state["seen"] = ListOf(seen)), oldest: 1);
        Assert.Equal(("moons", 2, 1), (layout.Name, layout.Version, layout.Oldest));
        var state = new SaveMap { ["seen"] = new SaveList { "Full", "New" } };
        Assert.Equal(state, layout.FromText(layout.ToText(state)).State);
        Assert.Equal(state, layout.FromNumber(layout.ToUInt128(state))!.State);

        static SaveList ListOf(List<Moon> moons)
        {
            var list = new SaveList();
            moons.ForEach(moon => list.Add(moon.ToString()));
            return list;
        }
    }

    [Fact]
    public void Every_layout_and_state_comes_back_from_text_bytes_and_number() => Layouts.SelectMany(layout => States(layout).Select(state => (layout, state))).Sample(
        one =>
        {
            var (layout, state) = one;
            Assert.Equal(state, layout.FromText(layout.ToText(state)).State);
            Assert.Equal(state, layout.FromBytes(layout.ToBytes(state))!.State);
            var number = layout.ToNumber(state);
            Assert.InRange(number, BigInteger.One, layout.LargestNumber);
            Assert.Equal(state, layout.FromNumber(number)!.State);
            Assert.Equal(layout.ByteCount, layout.ToBytes(state).Length);
            Assert.Equal(layout.CharacterCount, layout.ToText(state).Count(char.IsAsciiLetterOrDigit));
            // The layout itself comes back from its document too.
            Assert.Equal(layout.Fingerprint(), CodeLayoutFile.Read(layout.ToJson(), layout.Options.Key).Fingerprint());
            Assert.Equal(state, CodeLayoutFile.Read(layout.ToJson(), layout.Options.Key).FromText(layout.ToText(state)).State);
        },
        iter: 400);

    [Fact]
    public void Every_wrong_character_and_every_swap_is_corrected_or_found() => Layouts.Where(layout => layout.Options.CheckCharacterCount > 0)
        .SelectMany(layout => States(layout).Select(state => (layout, state))).Sample(
        one =>
        {
            var (layout, state) = one;
            var code = layout.ToText(state).Replace("-", "", StringComparison.Ordinal);
            for (var at = 0; at < code.Length; at++)
            {
                foreach (var c in CodeAlphabet.Characters.Where(c => c != code[at]))
                {
                    var typed = $"{code[..at]}{c}{code[(at + 1)..]}";
                    if (layout.Options.Corrects > 0)
                    {
                        var decoded = layout.FromText(typed);
                        Assert.Equal(state, decoded.State);
                        var position = Assert.Single(decoded.Corrected);
                        Assert.Equal((at + 1, c, code[at]), (position.Number, position.Typed, position.Meant));
                    }
                    else
                    {
                        var problem = Assert.Throws<CodeException>(() => layout.FromText(typed));
                        Assert.Equal(SaveErrorCode.CodeMistyped, problem.Code);
                        // With two checks the place is known as well.
                        Assert.Equal(layout.Options.CheckCharacterCount > 1, problem.Positions.Count == 1 && problem.Positions[0].Number == at + 1);
                    }
                }
                // A swap is two mistakes: two checks find it, beside those that are needed to correct.
                if (at == 0 || code[at] == code[at - 1] || layout.Options.CheckCharacterCount - layout.Options.Corrects < (layout.Options.Corrects > 0 ? 2 : 1))
                    continue;
                var swapped = $"{code[..(at - 1)]}{code[at]}{code[at - 1]}{code[(at + 1)..]}";
                // Corrected where two are, or where the two stand in different blocks.
                try
                {
                    Assert.Equal(state, layout.FromText(swapped).State);
                    Assert.True(layout.Options.Corrects >= 2 || layout.CharacterCount > 31);
                }
                catch (CodeException problem)
                {
                    Assert.Equal(SaveErrorCode.CodeMistyped, problem.Code);
                }
            }
        },
        iter: 40);

    [Fact]
    public void Two_wrong_characters_are_corrected_where_that_is_promised_and_never_taken_for_another_state()
    {
        var (correcting, finding) = (Make(new CodeOptions { CheckCharacterCount = 4, Corrects = 2 }), Make(new CodeOptions()));
        var random = new Random(11);
        foreach (var layout in new[] { correcting, finding })
        {
            for (var run = 0; run < 5000; run++)
            {
                var state = StateOf(layout, random);
                var code = layout.ToText(state).Replace("-", "", StringComparison.Ordinal).ToCharArray();
                var (one, other) = (random.Next(code.Length), random.Next(code.Length - 1));
                other += other >= one ? 1 : 0;
                foreach (var at in new[] { one, other })
                    code[at] = CodeAlphabet.Characters[(CodeAlphabet.Characters.IndexOf(code[at], StringComparison.Ordinal) + random.Next(1, 32)) % 32];
                if (layout == correcting)
                    Assert.Equal((state, 2), (layout.FromText(new string(code)).State, layout.FromText(new string(code)).Corrected.Count));
                else
                    Assert.Equal(SaveErrorCode.CodeMistyped, Assert.Throws<CodeException>(() => layout.FromText(new string(code))).Code);
            }
        }
    }

    [Theory]
    [InlineData(1, 0)]
    [InlineData(2, 1)]
    [InlineData(0, 0)]
    public void Codes_that_are_guessed_are_taken_as_often_as_the_layout_says(int checks, int corrects)
    {
        var layout = new CodeLayout<SaveMap>("guess", 1, fields => fields.Number("oil", 0, 699, state => state["oil"].AsInt64(), (state, value) => state["oil"] = value), new CodeOptions { CheckCharacterCount = checks, Corrects = corrects, MarkCharacterCount = 0, VersionCount = 1 });
        var (random, taken) = (new Random(5), 0);
        const int Guesses = 25_000;
        var guess = new char[layout.CharacterCount];
        for (var run = 0; run < Guesses; run++)
        {
            for (var i = 0; i < guess.Length; i++)
                guess[i] = CodeAlphabet.Characters[random.Next(32)];
            try
            {
                layout.FromText(new string(guess));
                taken++;
            }
            catch (CodeException)
            {
            }
        }
        var expected = layout.Explain().OddsOfGuessing * Guesses;
        Assert.InRange(taken, expected - (5 * Math.Sqrt(expected)) - 1, expected + (5 * Math.Sqrt(expected)) + 1);
    }

    [Fact]
    public void A_key_makes_guessing_as_unlikely_as_its_tag_is_long()
    {
        var options = new CodeOptions { Key = Key, TagCharacterCount = 2, CheckCharacterCount = 0, Corrects = 0, MarkCharacterCount = 0, VersionCount = 1 };
        var layout = new CodeLayout<SaveMap>("guess", 1, fields => fields.Number("oil", 0, 31, state => state["oil"].AsInt64(), (state, value) => state["oil"] = value), options);
        Assert.Equal(1.0 / 1024, layout.Explain().OddsOfGuessing, 9);
        var numbers = (int)layout.LargestNumber;
        var valid = Enumerable.Range(1, numbers).Count(number =>
        {
            try
            {
                return layout.FromNumber(number) is not null;
            }
            catch (CodeException problem)
            {
                Assert.Equal(SaveErrorCode.CodeForged, problem.Code);
                return false;
            }
        });
        // As many as there are states, and no more.
        Assert.Equal((32, 32 * 1024), (valid, numbers));
        Assert.Throws<CodeException>(() => new CodeLayout<SaveMap>("guess", 1, Oil, options with { Key = SaveKey.FromPassphrase("pass", "salt and reed") }));
    }

    [Fact]
    public void No_fraction_of_a_bit_is_wasted_and_neighbours_look_unrelated()
    {
        var layout = new CodeLayout<SaveMap>("dense", 1, fields => fields.Choice("day", ["mo", "tu", "we", "th", "fr", "sa", "su"], state => state["day"].AsText()!, (state, value) => state["day"] = value)
            .Number("oil", -3, 7, state => state["oil"].AsInt64(), (state, value) => state["oil"] = value), new CodeOptions { VersionCount = 1 });
        Assert.Equal(77, layout.LargestNumber);
        var all = Enumerable.Range(1, 77).Select(number => layout.FromNumber(number)!.State).ToList();
        Assert.Equal(77, all.Distinct().Count());
        // Each number is one state's, and neighbours are anywhere.
        var numbers = Enumerable.Range(-3, 11).Select(oil => (int)layout.ToNumber(new SaveMap { ["day"] = "mo", ["oil"] = oil })).ToList();
        Assert.True(numbers.Zip(numbers.Skip(1)).Count(pair => Math.Abs(pair.First - pair.Second) > 7) >= 6);
        var plain = new CodeLayout<SaveMap>("dense", 1, Oil, new CodeOptions { VersionCount = 1, Scrambled = false });
        Assert.Equal(5, plain.ToNumber(new SaveMap { ["oil"] = 4 }));
        Assert.Null(plain.FromNumber(0));
        Assert.Null(plain.FromBytes([0, 0]));
    }

    [Fact]
    public void A_state_has_one_code_or_as_many_as_are_asked_for()
    {
        var state = new SaveMap { ["oil"] = 4 };
        var one = new CodeLayout<SaveMap>("one", 1, Oil);
        Assert.Single(Enumerable.Range(0, 20).Select(_ => one.ToText(state)).Distinct());
        var many = new CodeLayout<SaveMap>("many", 1, Oil, new CodeOptions { VariantCount = 64 });
        var codes = Enumerable.Range(0, 64).Select(variant => many.ToText(state, variant)).ToList();
        Assert.Equal(64, codes.Distinct().Count());
        Assert.All(codes, code => Assert.Equal(state, many.FromText(code).State));
        Assert.True(Enumerable.Range(0, 50).Select(_ => many.ToText(state)).Distinct().Count() > 20);
        Assert.Throws<ArgumentOutOfRangeException>(() => many.ToText(state, 64));
    }

    [Fact]
    public void Typing_is_forgiving()
    {
        var layout = Make(new CodeOptions());
        var state = StateOf(layout, new Random(3));
        var code = layout.ToText(state);
        var typed = code.ToLowerInvariant().Replace('0', 'o').Replace('1', 'l').Replace('v', 'u').Replace("-", " – ", StringComparison.Ordinal);
        Assert.Equal((state, 0), (layout.FromText($"  {typed}\n").State, layout.FromText(typed).Corrected.Count));
        Assert.Equal(state, layout.FromText(string.Concat(code.Select(c => c is >= '0' and <= 'Z' ? (char)(c + 0xFEE0) : c))).State);
        Assert.Equal(state, layout.FromText(code.Replace("-", "_", StringComparison.Ordinal).Replace('1', 'I')).State);
    }

    [Fact]
    public void What_is_no_code_says_why()
    {
        var layout = Make(new CodeOptions());
        var code = layout.ToText(StateOf(layout, new Random(3)));
        Problem(SaveErrorCode.CodeTooShort, code[..^1], "1 character is missing");
        Problem(SaveErrorCode.CodeTooShort, "", "are missing");
        Problem(SaveErrorCode.CodeTooLong, code + "77", "too long by 2 characters");
        Problem(SaveErrorCode.CodeTooLong, new string('7', 2_000_000), "too long");
        var foreign = Problem(SaveErrorCode.CodeForeignCharacter, code[..6] + "?" + code[7..], "The 2nd character of group 2 is '?'");
        Assert.Equal((6, 2, 2), (foreign.Positions[0].Number, foreign.Positions[0].Group, foreign.Positions[0].Place));
        Problem(SaveErrorCode.CodeForeignCharacter, "\uD800", "is not used in codes");
        var other = new CodeLayout<SaveMap>("another game", 1, Declare);
        Problem(SaveErrorCode.CodeOfAnotherGame, other.ToText(StateOf(other, new Random(3))), "another game");
        var shorter = new CodeLayout<SaveMap>("another game", 1, Oil);
        Problem(SaveErrorCode.CodeOfAnotherGame, shorter.ToText(new SaveMap { ["oil"] = 1 }), "another game");

        CodeException Problem(SaveErrorCode expected, string typed, string forPlayer)
        {
            var problem = Assert.Throws<CodeException>(() => layout.FromText(typed));
            Assert.Equal(expected, problem.Code);
            Assert.Contains(forPlayer, problem.ForPlayer, StringComparison.Ordinal);
            return problem;
        }
    }

    [Fact]
    public void Numbers_that_stand_for_nothing_are_out_of_range()
    {
        var layout = new CodeLayout<SaveMap>("seven", 1, fields => fields.Number("oil", 0, 6, state => state["oil"].AsInt64(), (state, value) => state["oil"] = value), new CodeOptions { MarkCharacterCount = 0, VersionCount = 1, Scrambled = false });
        foreach (var number in new BigInteger[] { 8, 1000, -1, BigInteger.Pow(2, 200) })
            Assert.Equal(SaveErrorCode.CodeOutOfRange, Assert.Throws<CodeException>(() => layout.FromNumber(number)).Code);
        // One character has 32 values, and seven are states.
        var whole = CodeAlphabet.Write(ReedSolomon.Append([20], 3), 4);
        Assert.Equal(SaveErrorCode.CodeOutOfRange, Assert.Throws<CodeException>(() => layout.FromText(whole)).Code);
    }

    [Fact]
    public void What_has_no_room_is_named()
    {
        var layout = Make(new CodeOptions());
        var state = StateOf(layout, new Random(3));
        foreach (var (field, value, problem) in new (string, SaveValue, string)[] { ("oil", 61, "0 to 60"), ("oil", -1, "0 to 60"), ("season", "spring", "one of thaw"), ("season", SaveValue.Null, ""), ("letters", "many", "not what") })
        {
            var before = state[field];
            state[field] = value;
            var refused = Assert.Throws<CodeException>(() => layout.ToText(state));
            Assert.Equal(SaveErrorCode.CodeOutOfRange, refused.Code);
            Assert.Contains($"\"{field}\"", refused.Message, StringComparison.Ordinal);
            Assert.Contains(problem, refused.Message, StringComparison.Ordinal);
            state[field] = before;
        }
        state.Remove("oil");
        Assert.Contains("is missing", Assert.Throws<CodeException>(() => layout.ToText(state)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Codes_of_older_versions_are_read_and_newer_ones_say_so()
    {
        var first = new CodeLayout<SaveMap>("tide", 1, Oil);
        var second = new CodeLayout<SaveMap>("tide", 2, fields => { Oil(fields); fields.Since(2, first.Fingerprint()).Flag("fog", state => state["fog"].AsBool(), (state, value) => state["fog"] = value); });
        var third = new CodeLayout<SaveMap>("tide", 3, fields => fields.Number("litres", 0, 9000, state => state["litres"].AsInt64(), (state, value) => state["litres"] = value), new CodeOptions { CheckCharacterCount = 5 }, oldest: 3)
            .Accepts(second, old => new SaveMap { ["litres"] = old["oil"].AsInt64() * 10 });
        var (one, two, three) = (first.ToText(new SaveMap { ["oil"] = 42 }), second.ToText(new SaveMap { ["oil"] = 42, ["fog"] = true }), third.ToText(new SaveMap { ["litres"] = 421 }));

        Assert.Equal((1, new SaveMap { ["oil"] = 42 }), (second.FromText(one).Version, second.FromText(one).State));
        Assert.Equal([420, 420, 421], new[] { one, two, three }.Select(code => third.FromText(code).State["litres"].AsInt64()));
        Assert.Equal([1, 2, 3], new[] { one, two, three }.Select(code => third.FromText(code).Version));
        Assert.Equal(420, third.FromNumber(second.ToNumber(new SaveMap { ["oil"] = 42, ["fog"] = false }))!.State["litres"].AsInt64());
        // A mistake in an old code is corrected by the old layout.
        Assert.Equal(420, third.FromText($"{(one[0] == '7' ? '8' : '7')}{one[1..]}").State["litres"].AsInt64());
        foreach (var newer in new[] { two, CodeOf(third, 421) })
            Assert.True(Assert.Throws<CodeException>(() => first.FromText(newer)).Code is SaveErrorCode.CodeOfNewerVersion or SaveErrorCode.CodeTooLong or SaveErrorCode.CodeMistyped);
        Assert.Equal(SaveErrorCode.CodeOfNewerVersion, Assert.Throws<CodeException>(() => first.FromText(two)).Code);
        Assert.Equal(SaveErrorCode.CodeOfNewerVersion, Assert.Throws<CodeException>(() => first.FromNumber(second.ToNumber(new SaveMap { ["oil"] = 1, ["fog"] = false }))).Code);
        var alone = new CodeLayout<SaveMap>("tide", 3, Oil, oldest: 3);
        Assert.Equal(SaveErrorCode.CodeOfOlderVersion, Assert.Throws<CodeException>(() => alone.FromText(one)).Code);

        static string CodeOf(CodeLayout<SaveMap> layout, long litres) => layout.ToText(new SaveMap { ["litres"] = litres });
    }

    [Fact]
    public void A_layout_that_cannot_be_is_refused_when_it_is_built()
    {
        Bad("twice", fields => { Oil(fields); Oil(fields); });
        Bad("has no fields", _ => { });
        Bad("empty range", fields => fields.Number("oil", 5, 4, _ => 0, (_, _) => { }));
        Bad("choice twice", fields => fields.Set("beacons", ["mill", "mill"], _ => [], (_, _) => { }));
        Bad("0 choices", fields => fields.Set("beacons", [], _ => [], (_, _) => { }));
        Bad("spawned", fields => fields.Entities("lanterns", [7], _ => [], (_, _) => { }));
        Bad("can only be appended", fields => { Oil(fields); fields.Since(2); fields.Since(1); }, version: 2);
        Bad("came with version 2", fields => { Oil(fields); fields.Since(2).Flag("fog", _ => false, (_, _) => { }); });
        Bad("not what they were", fields => { Oil(fields); fields.Since(2, "ABCDEF"); }, version: 2);
        Bad("room for 1 to 16", Oil, version: 17);
        Bad("takes", fields => fields.Set("beacons", [.. Enumerable.Range(0, 1000).Select(i => $"b{i}")], _ => [], (_, _) => { }).Numbers("more", 1000, 0, 1000, _ => [], (_, _) => { }));
        Bad("cannot correct", Oil, new CodeOptions { CheckCharacterCount = 1, Corrects = 1 });
        Bad("check characters", Oil, new CodeOptions { CheckCharacterCount = 11 });
        Bad("mark characters", Oil, new CodeOptions { MarkCharacterCount = 13 });
        Bad("groups", Oil, new CodeOptions { GroupSize = 0 });
        Bad("variants", Oil, new CodeOptions { VariantCount = 0 });
        Bad("host holds", Declare, new CodeOptions { LargestNumber = 1L << 20 });
        Assert.True(new CodeLayout<SaveMap>("fits", 1, Declare, new CodeOptions { LargestNumber = BigInteger.One << 53 }).LargestNumber < BigInteger.One << 53);
        var layout = new CodeLayout<SaveMap>("tide", 2, Oil);
        Assert.Throws<CodeException>(() => layout.Accepts(new CodeLayout<SaveMap>("tide", 1, Oil), old => old));
        Assert.Throws<CodeException>(() => new CodeLayout<SaveMap>("tide", 3, Oil, oldest: 3).Accepts(new CodeLayout<SaveMap>("ebb", 1, Oil), old => old));
        foreach (var json in new[] { "", "[]", "{}", """{"name":"a","version":1,"fields":[{"name":"x"}]}""", """{"name":"a","version":1,"feilds":[]}""", """{"name":"a","version":1,"fields":[{"name":"x","from":"a"}]}""", """{"name":"a","version":1,"fields":[null]}""" })
            Assert.Equal(SaveErrorCode.BadCodeLayout, Assert.Throws<CodeException>(() => CodeLayoutFile.Read(json)).Code);

        static void Bad(string problem, Action<CodeFields<SaveMap>> declare, CodeOptions? options = null, int version = 1)
        {
            var refused = Assert.Throws<CodeException>(() => new CodeLayout<SaveMap>("tide", version, declare, options));
            Assert.Equal(SaveErrorCode.BadCodeLayout, refused.Code);
            Assert.Contains(problem, refused.Message, StringComparison.Ordinal);
        }
    }

    [Fact]
    public void An_explanation_adds_up()
    {
        var layout = Make(new CodeOptions());
        var costs = layout.Explain();
        Assert.Equal(BigInteger.Log(layout.LargestNumber, 2), costs.Bits, 6);
        Assert.Equal(layout.CharacterCount, costs.MarkCharacterCount + costs.CheckCharacterCount + costs.Lengths.Single(one => one.Alphabet == 32).CharacterCount);
        var state = StateOf(layout, new Random(9));
        var steps = layout.Explain(layout.ToText(state));
        Assert.Equal(steps.Packed, steps.Fields.Aggregate(BigInteger.Zero, (sum, field) => sum + (field.Digit * field.Weight)));
        Assert.Equal(layout.ToNumber(state), steps.Number);
        Assert.Equal(costs.Fields.Select(field => field.Weight), steps.Fields.Select(field => field.Weight));
        Assert.Equal(state["oil"].AsText(), steps.Fields.Single(field => field.Name == "oil").Value);
        var typed = layout.ToText(state);
        Assert.Equal(typed, layout.Explain($"{(typed[0] == '7' ? '8' : '7')}{typed[1..]}").Text);
    }

    private static readonly Gen<CodeLayout<SaveMap>> Layouts =
        from fields in Gen.Int[1, 6].SelectMany(count => Field.List[count])
        from checks in Gen.Int[0, 6]
        from corrects in Gen.Int[0, 3]
        from mark in Gen.Int[0, 2]
        from variants in Gen.Int[1, 40]
        from keyed in Gen.Bool
        from scrambled in Gen.Bool
        from groups in Gen.Int[1, 6]
        select CodeLayoutFile.Read(
            $$"""{"name":"generated","version":1,"check":{{checks}},"corrects":{{Math.Min(corrects, checks / 2)}},"mark":{{mark}},"variants":{{variants}},"group":{{groups}},"scrambled":{{(scrambled ? "true" : "false")}},"tag":3,"fields":[{{string.Join(",", fields.Select((field, i) => field.Replace("@", $"f{i}", StringComparison.Ordinal)))}}]}""",
            keyed ? Key : null);

    private static Gen<string> Field => Gen.OneOf(
        Gen.Select(Gen.Long[-1000, 1000], Gen.Long[0, 100_000], (from, span) => $$"""{"name":"@","from":{{from}},"to":{{from + span}}}"""),
        Gen.Const($$"""{"name":"@","from":{{long.MinValue}},"to":{{long.MaxValue}}}"""),
        Gen.Const("""{"name":"@","flag":true}"""),
        Gen.Int[1, 20].Select(count => $$"""{"name":"@","choices":[{{Names(count)}}]}"""),
        Gen.Int[1, 40].Select(count => $$"""{"name":"@","set":[{{Names(count)}}]}"""),
        Gen.Select(Gen.Int[0, 6], Gen.Int[1, 9], (items, count) => $$"""{"name":"@","items":{{items}},"choices":[{{Names(count)}}]}"""),
        Gen.Select(Gen.Int[0, 6], Gen.Long[0, 99], (items, most) => $$"""{"name":"@","items":{{items}},"from":-5,"to":{{most}}}"""));

    private static string Names(int count) => string.Join(",", Enumerable.Range(0, count).Select(i => $"\"n{i}\""));

    private static Gen<SaveMap> States(CodeLayout<SaveMap> layout) => Gen.Int.Select(seed => StateOf(layout, new Random(seed)));

    /// <summary>A state that a layout has room for.</summary>
    private static SaveMap StateOf(CodeLayout<SaveMap> layout, Random random)
    {
        var state = new SaveMap();
        foreach (var field in layout.Fields)
        {
            var bytes = new byte[field.Radix.GetByteCount() + 8];
            random.NextBytes(bytes);
            field.Set(state, new BigInteger(bytes, isUnsigned: true) % field.Radix);
        }
        return state;
    }

    private static CodeLayout<SaveMap> Make(CodeOptions options) => new("tidewarden", 1, Declare, options);

    private static void Declare(CodeFields<SaveMap> fields)
    {
        Oil(fields);
        fields.Choice("season", ["thaw", "flood", "reed", "frost"], state => state["season"].AsText() ?? "", (state, value) => state["season"] = value)
            .Number("letters", 0, 200, state => state["letters"] is SaveScalar { Kind: SaveValueKind.Integer } ? state["letters"].AsInt64() : throw CodeException.DoesNotFit("letters", "is not what it should be."), (state, value) => state["letters"] = value)
            .Flag("fog", state => state["fog"].AsBool(), (state, value) => state["fog"] = value);
    }

    private static void Oil(CodeFields<SaveMap> fields) => fields.Number("oil", 0, 60, state => state.TryGet("oil", out var oil) ? oil.AsInt64() : throw CodeException.DoesNotFit("oil", "is missing."), (state, value) => state["oil"] = value);
}

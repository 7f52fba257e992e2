using System.Text;
using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Storage;
using Lodrik.Tests.Formats;
using Lodrik.Tests.State;
using Tidewarden;

namespace Lodrik.Tests.Saves;

/// <summary>Whatever the bytes are, what comes out is a save as it was, or a SaveException that says what is wrong.</summary>
public sealed class BadInputTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory, MemberData(nameof(Forms))]
    public void A_save_cut_short_at_any_byte_is_refused(SaveForm form)
    {
        var whole = StateFile.ToBytes(MarshSave(), form);
        // A readable file ends in a line break that it can do without.
        var end = whole.Length - (form == SaveForm.Binary ? 0 : 1);
        for (var length = 0; length < end; length++)
        {
            var problem = Assert.ThrowsAny<SaveException>(() => StateFile.FromBytes<TidewardenSave>(whole.AsMemory(0, length)));
            Assert.Contains(problem.Code, new[] { SaveErrorCode.NotASave, SaveErrorCode.Damaged });
        }
    }

    [Fact]
    public void A_packed_save_cut_within_a_section_names_it_and_does_not_ask_for_mending_by_hand()
    {
        var whole = StateFile.ToBytes(MarshSave(), SaveForm.Binary);
        foreach (var section in SavedFile.FromBytes(whole).Sections)
        {
            var problem = Assert.Throws<DamagedSaveException>(() => StateFile.FromBytes<TidewardenSave>(whole.AsMemory(0, IndexOf(whole, section) + ((int)section.ByteCount / 2))));
            Assert.Equal((SaveErrorCode.Damaged, section.Name), (problem.Code, problem.Location.Section));
            Assert.DoesNotContain("by hand", problem.Message, StringComparison.Ordinal);
        }
    }

    [Theory]
    [InlineData(4095, true), InlineData(4096, false), InlineData(100_000, false)]
    public void A_whole_number_in_a_readable_save_has_a_bounded_number_of_digits(int digits, bool isTaken)
    {
        var number = new string('7', digits);
        foreach (var text in new[] { $"{{\"number\": {number}}}", $"<save><number>{number}</number></save>" })
        {
            if (isTaken)
                Assert.Equal(System.Numerics.BigInteger.Parse(number, System.Globalization.CultureInfo.InvariantCulture), StateFile.FromText<Ledger>(text).Number);
            else
                Assert.Equal("/number", Assert.ThrowsAny<SaveException>(() => StateFile.FromText<Ledger>(text)).Location.Path);
        }
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_mutated_save_loads_or_is_refused_and_a_refusal_leaves_the_object_alone(SaveForm form)
    {
        var whole = StateFile.ToBytes(MarshSave(), form);
        var untouched = new TidewardenSave { Warden = { Name = "untouched", Oil = 77 }, Errands = { ["keep"] = new Errand { Title = "keep" } } };
        var before = Content(untouched);
        Mutations(whole).Sample(
            bytes =>
            {
                var target = new TidewardenSave { Warden = { Name = "untouched", Oil = 77 }, Errands = { ["keep"] = new Errand { Title = "keep" } } };
                try
                {
                    StateFile.ReadInto(bytes, target);
                }
                catch (SaveException problem)
                {
                    Assert.NotEmpty(problem.Message);
                    Assert.Equal(before, Content(target));
                    return;
                }
                // What was loaded is whole: every scene of it can be read, and saved again.
                Content(target);
            },
            iter: 4000, threads: 2);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Every_kind_of_value_survives_mutation_without_any_other_exception(SaveForm form) =>
        Gen.SelectMany(SampleStates.Any, save => Mutations(StateFile.ToBytes(save, form))).Sample(
            bytes =>
            {
                try
                {
                    StateFile.FromBytes<SampleSave>(bytes);
                }
                catch (SaveException)
                {
                    // Refused: as good as loaded.
                }
            },
            iter: 1500, threads: 2);

    [Fact]
    public void Binary_content_that_got_past_its_digest_decodes_or_is_refused() =>
        // A digest can be repaired by whoever changes a save, so the decoders have to stand on their own.
        Gen.SelectMany(SampleStates.Any, save => Gen.Select(Mutations(Content(save.Collections)), Mutations(Content(save.Values)), Mutations(Content(save.Scalars)))).Sample(
            (collections, values, scalars) =>
            {
                Decode<Collections, Collections.StateCodec>(collections);
                Decode<Values, Values.StateCodec>(values);
                Decode<Scalars, Scalars.StateCodec>(scalars);
                Decode<SaveValue?, SaveValueCodec>(collections);
            },
            iter: 1500, threads: 2);

    [Fact]
    public void A_packed_save_with_any_bit_of_a_section_flipped_is_refused_and_names_the_section()
    {
        var whole = StateFile.ToBytes(MarshSave(), SaveForm.Binary);
        foreach (var section in SavedFile.FromBytes(whole).Sections)
        {
            var start = IndexOf(whole, section);
            for (var i = start; i < start + section.ByteCount; i++)
            {
                whole[i] ^= (byte)(1 << (i % 8));
                var problem = Assert.Throws<DamagedSaveException>(() => StateFile.FromBytes<TidewardenSave>(whole));
                whole[i] ^= (byte)(1 << (i % 8));
                Assert.Equal(section.Name, problem.Location.Section);
            }
        }
    }

    [Fact]
    public void An_empty_file_and_a_foreign_file_are_no_saves()
    {
        Assert.Equal(SaveErrorCode.NotASave, Refusal<Room>([]).Code);
        Assert.Equal(SaveErrorCode.NotASave, Refusal<Room>("PNG and so on"u8.ToArray()).Code);
        Assert.Equal(SaveErrorCode.NotASave, Refusal<Room>([0x89, 0x50, 0x4E, 0x47]).Code);
        Assert.Equal(SaveErrorCode.NotASave, Refusal<Room>([0xFF, 0xFE, 0x7B, 0x00]).Code);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_save_of_another_game_is_refused_by_name(SaveForm form)
    {
        var problem = Refusal<SampleSave>(StateFile.ToBytes(MarshSave(), form));
        Assert.Equal(SaveErrorCode.WrongGame, problem.Code);
        Assert.IsType<SaveMismatchException>(problem);
        Assert.Contains("\"tidewarden\"", problem.Message, StringComparison.Ordinal);
        Assert.Contains("\"lodrik-tests\"", problem.Message, StringComparison.Ordinal);
        Assert.Equal(SaveErrorCode.WrongGame, Refusal<Room>(StateFile.ToBytes(MarshSave(), form)).Code);
        Assert.Equal(SaveErrorCode.WrongGame, Refusal<TidewardenSave>(StateFile.ToBytes(new Room(), form)).Code);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_save_of_a_newer_version_of_the_game_is_refused(SaveForm form)
    {
        var problem = Refusal<VersionTwo>(StateFile.ToBytes(new VersionThree(), form));
        Assert.Equal(SaveErrorCode.NewerVersion, problem.Code);
        Assert.Contains("version 3", problem.Message, StringComparison.Ordinal);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_save_of_an_older_version_without_a_step_is_refused_and_says_which_step_is_missing(SaveForm form)
    {
        var problem = Refusal<VersionThree>(StateFile.ToBytes(new VersionTwo(), form));
        Assert.Equal(SaveErrorCode.MissingMigration, problem.Code);
        Assert.Contains("from 2 to 3", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_file_in_a_newer_layout_is_refused_before_anything_else_is_read()
    {
        var json = StateFile.ToText(new Room()).Replace("\"format\": 1", "\"format\": 2", StringComparison.Ordinal);
        var xml = StateFile.ToText(new Room(), SaveForm.Xml).Replace("<format>1<", "<format>2<", StringComparison.Ordinal);
        var packed = StateFile.ToBytes(new Room(), SaveForm.Binary);
        packed[4] = 2; // The tag takes three bytes, the list's head one, then comes the number of the layout.
        foreach (var bytes in new[] { Encoding.UTF8.GetBytes(json), Encoding.UTF8.GetBytes(xml), packed })
            Assert.Equal(SaveErrorCode.NewerFormat, Refusal<Room>(bytes).Code);
    }

    [Fact]
    public void A_member_of_the_wrong_type_is_named_with_section_path_line_and_column_in_JSON()
    {
        var text = StateFile.ToText(MarshSave()).Replace("\"count\": 1", "\"count\": \"many\"", StringComparison.Ordinal);
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<TidewardenSave>(text));
        Assert.Equal(SaveErrorCode.WrongContent, problem.Code);
        Assert.Equal("warden", problem.Location.Section);
        Assert.Equal("/satchel/0/count", problem.Location.Path);
        var lines = text.Split('\n');
        Assert.Contains("\"many\"", lines[problem.Location.Line!.Value - 1], StringComparison.Ordinal);
        Assert.Equal(lines[problem.Location.Line.Value - 1].IndexOf("\"many\"", StringComparison.Ordinal) + 1, problem.Location.Column);
        Assert.Contains("a whole number", problem.Message, StringComparison.Ordinal);
        Assert.Contains("\"many\"", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_member_of_the_wrong_type_is_named_with_section_path_and_line_in_XML()
    {
        var text = StateFile.ToText(MarshSave(), SaveForm.Xml).Replace("<count>1</count>", "<count>many</count>", StringComparison.Ordinal);
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<TidewardenSave>(text));
        Assert.Equal("warden", problem.Location.Section);
        Assert.Equal("/satchel/0/count", problem.Location.Path);
        Assert.Contains("<count>many", text.Split('\n')[problem.Location.Line!.Value - 1], StringComparison.Ordinal);
    }

    [Fact]
    public void A_member_of_the_wrong_type_is_named_with_section_and_path_in_binary()
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromBytes<OtherRoom>(StateFile.ToBytes(new Room { Doors = { new Room { Name = "cellar" } } }, SaveForm.Binary)));
        Assert.Equal("state", problem.Location.Section);
        Assert.Equal("/doors/0/name", problem.Location.Path);
        Assert.Contains("Expected a whole number, found text", problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("300", "300 is out of range: it must be between 0 and 255")]
    [InlineData("-1", "-1 is out of range: it must be between 0 and 255")]
    [InlineData("1.0", "Expected a whole number")]
    [InlineData("true", "Expected a whole number")]
    [InlineData("null", "Expected a whole number")]
    [InlineData("{}", "Expected a whole number")]
    [InlineData("99999999999999999999999", "out of range")]
    public void A_number_that_does_not_fit_is_named_with_its_bounds(string value, string message)
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<Scalars>($"{{ \"byte\": {value} }}"));
        Assert.Equal("/byte", problem.Location.Path);
        Assert.Contains(message, problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void A_number_that_is_too_large_for_a_float_does_not_become_infinite(SaveForm form)
    {
        foreach (var (path, wide) in new (string, Soundings)[]
        {
            ("/depth", new() { Depth = 1e300 }),
            ("/small", new() { Small = -70000 }),
            (form == SaveForm.Json ? "/depths/2" : "/depths", new() { Depths = [1, 2, 1e39] }),
            ("/rows/11/depth", new() { Rows = [.. Enumerable.Range(0, 20).Select(i => new Sounding { Depth = i == 11 ? -1e300 : i })] }),
        })
        {
            var problem = Assert.Throws<SaveContentException>(() => StateFile.FromBytes<SmallSoundings>(StateFile.ToBytes(wide, form)));
            Assert.Equal((path, true), (problem.Location.Path, problem.Message.Contains($"is too large for a {(path == "/small" ? "Half" : "float")}", StringComparison.Ordinal)));
        }
        // What is infinite stays so, and what is only not exact is rounded.
        var endless = StateFile.FromBytes<SmallSoundings>(StateFile.ToBytes(new Soundings { Depth = double.NegativeInfinity, Depths = [double.NaN, 0.1, double.PositiveInfinity], Small = float.PositiveInfinity }, form));
        Assert.Equal((float.NegativeInfinity, Half.PositiveInfinity), (endless.Depth, endless.Small));
        Assert.Equal([float.NaN, 0.1f, float.PositiveInfinity], endless.Depths);
    }

    [Theory]
    [InlineData("{ \"depth\": 1e400 }")]
    [InlineData("<soundings><depth>1e400</depth></soundings>")]
    public void A_number_typed_by_hand_that_no_float_has_room_for_is_refused(string text) =>
        Assert.Contains("1e400 is too large for a double.", Assert.Throws<SaveContentException>(() => StateFile.FromText<Soundings>(text)).Message, StringComparison.Ordinal);

    [Fact]
    public void An_unknown_enum_name_is_answered_with_the_known_ones()
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<Values>("{ \"day\": \"Moonday\" }"));
        Assert.Contains("Sunday, Monday", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_setter_of_the_game_that_refuses_a_value_is_reported_at_its_place()
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<Fussy>("{\n  \"depth\": -3\n}"));
        Assert.Equal("/depth", problem.Location.Path);
        Assert.Equal(2, problem.Location.Line);
        Assert.IsType<ArgumentOutOfRangeException>(problem.InnerException);
    }

    [Theory]
    [InlineData("{ \"name\": \"a\", \"name\": \"b\" }", SaveErrorCode.Damaged)]
    [InlineData("{ \"name\": \"a\" } { }", SaveErrorCode.Damaged)]
    [InlineData("{ \"name\": \"a\"", SaveErrorCode.Damaged)]
    [InlineData("{ \"name\": \"\\uD800\" }", SaveErrorCode.WrongContent)]
    [InlineData("<room><name>a</name><name>b</name></room>", SaveErrorCode.Damaged)]
    [InlineData("<room><name>a</name></house>", SaveErrorCode.Damaged)]
    [InlineData("<room>text<name>a</name></room>", SaveErrorCode.Damaged)]
    [InlineData("<room><name>a</nam></room>", SaveErrorCode.Damaged)]
    [InlineData("<room><name>&bomb;</name></room>", SaveErrorCode.Damaged)]
    [InlineData("<!DOCTYPE room [<!ENTITY bomb \"x\">]><room><name>&bomb;</name></room>", SaveErrorCode.Damaged)]
    [InlineData("<room/><room/>", SaveErrorCode.Damaged)]
    public void A_text_that_contradicts_itself_is_refused(string text, SaveErrorCode code) => Assert.Equal(code, Refusal<Room>(Encoding.UTF8.GetBytes(text)).Code);

    [Theory]
    [InlineData("[", "]")]
    [InlineData("{\"a\":", "}")]
    public void A_nesting_bomb_is_refused_without_ending_the_stack(string open, string close)
    {
        var bomb = "{ \"tree\": " + string.Concat(Enumerable.Repeat(open, 100_000)) + "1" + string.Concat(Enumerable.Repeat(close, 100_000)) + "}";
        Assert.Contains(Refusal<SampleSave>(Encoding.UTF8.GetBytes(bomb)).Code, new[] { SaveErrorCode.LimitExceeded, SaveErrorCode.Damaged });
        var xml = "<save><tree>" + string.Concat(Enumerable.Repeat("<a>", 100_000)) + string.Concat(Enumerable.Repeat("</a>", 100_000)) + "</tree></save>";
        Assert.Equal(SaveErrorCode.LimitExceeded, Refusal<SampleSave>(Encoding.UTF8.GetBytes(xml)).Code);
    }

    [Fact]
    public void Huge_declared_lengths_reserve_nothing()
    {
        foreach (var head in new byte[] { 0x5B, 0x7B, 0x9B, 0xBB })
        {
            byte[] bomb = [0xD9, 0xD9, 0xF7, head, 0x00, 0x00, 0x00, 0x00, 0x7F, 0xFF, 0xFF, 0xFF, 0x01];
            Assert.ThrowsAny<SaveException>(() => StateFile.FromBytes<Room>(bomb));
        }
        var before = GC.GetAllocatedBytesForCurrentThread();
        Assert.ThrowsAny<SaveException>(() => StateFile.FromBytes<Room>(new byte[] { 0xD9, 0xD9, 0xF7, 0x86, 0x01, 0x5B, 0, 0, 0, 0, 0x7F, 0xFF, 0xFF, 0xFF }));
        Assert.True(GC.GetAllocatedBytesForCurrentThread() - before < 1_000_000);
    }

    [Fact]
    public void A_missing_file_is_a_storage_error_that_names_it_and_a_fallback_has_defaults()
    {
        var path = Path.Combine(Path.GetTempPath(), Guid.NewGuid().ToString("N"), "none.json");
        var problem = Assert.Throws<StorageException>(() => StateFile.Read<Room>(path));
        Assert.Equal(path, problem.Location.File);
        Assert.Equal("", StateFile.ReadOrNew<Room>(path).Name);
    }

    private static byte[] Content<T>(T state) where T : IStateType<T>
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        T.WriteState(ref writer, state);
        return buffer.Written.ToArray();
    }

    private static void Decode<T, TCodec>(byte[] bytes) where TCodec : IStateCodec<T>
    {
        var value = TCodec.Initial;
        try
        {
            var reader = new BinaryStateReader(bytes);
            TCodec.Read(ref reader, ref value);
            reader.End();
        }
        catch (ContentException problem)
        {
            BinaryPlace.PointerAt(bytes, problem.Place);
        }
    }

    private static TidewardenSave MarshSave()
    {
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = new Lodrik.Storage.MemoryStorage() });
        using var game = new Game(store);
        game.Session.StartNew();
        game.Light("beacon-1");
        game.PickUpOil("oil-2");
        game.SetOut(new(4, 4), Glasses.Amber, tied: true);
        game.Session.Save("marsh", overwrite: Overwrite.Allowed);
        return store.Load("marsh").State;
    }

    private static SaveMap Content(TidewardenSave save) => SavedFile.FromBytes(StateFile.ToBytes(save)).ReadTree();

    private static SaveException Refusal<T>(byte[] bytes) where T : IStateRoot<T> => Assert.ThrowsAny<SaveException>(() => StateFile.FromBytes<T>(bytes));

    private static int IndexOf(byte[] file, SavedSection section)
    {
        // The sections stand in order, each behind its head; the search starts behind the table, which ends with the last digest.
        var slices = Lodrik.Saves.Forms.FileForms.Recognise(file, default).Find(file, default).Sections;
        return slices.Single(slice => slice.Name == section.Name).Offset;
    }

    /// <summary>The bytes with a few of them changed, inserted, taken out, doubled or exchanged.</summary>
    private static Gen<byte[]> Mutations(byte[] whole) =>
        Gen.Select(Gen.Int[0, 4], Gen.Int[0, whole.Length - 1], Gen.Int[1, 12], Gen.Byte).Array[1, 4].Select(changes =>
        {
            var bytes = new List<byte>(whole);
            foreach (var (how, position, length, value) in changes)
            {
                var at = Math.Min(position, bytes.Count - 1);
                var count = Math.Min(length, bytes.Count - at);
                switch (how)
                {
                    case 0:
                        bytes[at] = value;
                        break;
                    case 1:
                        bytes[at] ^= (byte)(1 << (value % 8));
                        break;
                    case 2:
                        bytes.Insert(at, value);
                        break;
                    case 3:
                        bytes.RemoveRange(at, Math.Min(count, bytes.Count - 1));
                        break;
                    default:
                        bytes.InsertRange(at, bytes.GetRange(at, count));
                        break;
                }
            }
            return bytes.ToArray();
        });
}

[SaveFile("versions", Version = 2)]
public sealed partial class VersionTwo
{
    public Room Room { get; set; } = new();
}

[SaveFile("versions", Version = 3)]
public sealed partial class VersionThree
{
    public Room Room { get; set; } = new();
}

/// <summary>What a Room would be if its names were numbers.</summary>
[StateType]
public sealed partial class OtherRoom
{
    public List<NumberedRoom> Doors { get; set; } = [];
}

[StateType]
public sealed partial class NumberedRoom
{
    public int Name { get; set; }
}

[StateType]
public sealed partial class Fussy
{
    private int _depth;

    public int Depth
    {
        get => _depth;
        set => _depth = value >= 0 ? value : throw new ArgumentOutOfRangeException(nameof(value), "A depth is not negative.");
    }
}

[StateType]
public sealed partial class Soundings
{
    public double Depth { get; set; }
    public float Small { get; set; }
    public double[] Depths { get; set; } = [];
    public List<Sounding> Rows { get; set; } = [];
}

[StateType]
public sealed partial class Sounding
{
    public double Depth { get; set; }
}

[StateType]
public sealed partial class SmallSoundings
{
    public float Depth { get; set; }
    public Half Small { get; set; }
    public float[] Depths { get; set; } = [];
    public List<SmallSounding> Rows { get; set; } = [];
}

[StateType]
public sealed partial class SmallSounding
{
    public float Depth { get; set; }
}

[StateType]
public sealed partial class Ledger
{
    public System.Numerics.BigInteger Number { get; set; }
}

using System.Text;
using Lodrik.Inspection;
using Lodrik.Storage;
using Lodrik.Tests.Formats;
using Lodrik.Tests.State;

namespace Lodrik.Tests.Saves;

/// <summary>The smallest case: one object and one file.</summary>
public sealed class StateFileTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory, MemberData(nameof(Forms))]
    public void An_object_goes_to_a_path_and_comes_back(SaveForm form)
    {
        var path = Path.Combine(_folder, "new", "folder", "room.save");
        StateFile.Write(path, new Room { Name = "loft" }, form);
        Assert.Equal("loft", StateFile.Read<Room>(path).Name);
        Assert.Equal(form, SavedFile.Open(path).Form);
        Assert.Equal(["room.save"], Directory.GetFiles(Path.GetDirectoryName(path)!).Select(Path.GetFileName));
    }

    [Theory, MemberData(nameof(Forms))]
    public void An_object_goes_to_a_stream_and_comes_back(SaveForm form)
    {
        using var stream = new MemoryStream();
        StateFile.Write(stream, new Room { Name = "loft" }, form);
        stream.Position = 0;
        Assert.Equal("loft", StateFile.Read<Room>(stream).Name);
    }

    [Fact]
    public void Writing_again_replaces_the_file()
    {
        var path = Path.Combine(_folder, "room.json");
        StateFile.Write(path, new Room { Name = "a much longer name than the next" });
        StateFile.Write(path, new Room { Name = "b" });
        Assert.Equal("b", StateFile.Read<Room>(path).Name);
    }

    [Fact]
    public void An_object_that_cannot_be_saved_leaves_the_file_alone()
    {
        var path = Path.Combine(_folder, "room.json");
        StateFile.Write(path, new Room { Name = "kept" });
        var endless = new Room();
        endless.Doors.Add(endless);
        Assert.Throws<UnsavableStateException>(() => StateFile.Write(path, endless));
        Assert.Equal("kept", StateFile.Read<Room>(path).Name);
    }

    [Fact]
    public void Text_has_no_binary_form() => Assert.Throws<ArgumentOutOfRangeException>(() => StateFile.ToText(new Room(), SaveForm.Binary));

    [Theory, MemberData(nameof(Forms))]
    public void Reading_into_an_object_fills_it_anew_and_keeps_it(SaveForm form)
    {
        var saved = new Declarations { Required = "r", Letter = new Letter("the miller", 2) };
        var used = new Declarations { Required = "x" };
        used.GetOnly.Add("second");
        var (list, letter) = (used.GetOnly, used.Letter);
        StateFile.ReadInto(StateFile.ToBytes(saved, form), used);
        Assert.Same(list, used.GetOnly);
        Assert.Same(letter, used.Letter);
        Assert.Equal(["first"], used.GetOnly);
        Assert.Equal("the miller", used.Letter.To);
    }

    [Theory]
    [InlineData("{ \"name\": \"loft\", \"doors\": [ { \"name\": \"stairs\" }, ], /* by hand */ }")]
    [InlineData("\uFEFF  {\"name\":\"loft\",\"doors\":[{\"name\":\"stairs\"}]}")]
    [InlineData("// at the top\n{\"doors\":[{\"name\":\"stairs\"}],\"name\":\"loft\",\"unknown\":{\"deep\":[1,2]}}")]
    [InlineData("<room><name>loft</name><doors type=\"list\"><item><name>stairs</name></item></doors></room>")]
    [InlineData("<?xml version=\"1.0\"?>\n<!-- by hand -->\n<r><unknown><deep a='>'/></unknown><doors>\n <door><name><![CDATA[stairs]]></name></door>\n</doors><name>l<!-- -->oft</name></r>\n")]
    [InlineData("<room><?a > <note> ?><name>l<?x <y>?>oft</name><doors type=\"list\"><?by <hand> ?><item><name>stairs</name><?end?></item></doors></room>")]
    public void A_file_written_wholly_by_hand_loads_as_the_state_it_describes(string text)
    {
        var room = StateFile.FromText<Room>(text);
        Assert.Equal("loft", room.Name);
        Assert.Equal("stairs", Assert.Single(room.Doors).Name);
    }

    [Theory]
    [InlineData("{ \"room\": { \"name\": \"loft\" } }")]
    [InlineData("<anything><room><name>loft</name></room></anything>")]
    public void A_save_root_written_by_hand_is_its_sections(string text)
    {
        Assert.Equal("loft", StateFile.FromText<VersionTwo>(text).Room.Name);
        var file = SavedFile.FromBytes(Encoding.UTF8.GetBytes(text));
        Assert.Null(file.Header);
        Assert.Equal(SectionHealth.Unchecked, file.Health);
    }

    [Fact]
    public void What_a_file_does_not_mention_has_its_initial_value()
    {
        var declarations = StateFile.FromText<Declarations>("{ \"required\": \"r\" }");
        Assert.Equal("init", declarations.Init);
        Assert.Equal(5, declarations.PrivateSetter);
        Assert.Equal(9, declarations.Oil);
        Assert.Equal(["first"], declarations.GetOnly);
        Assert.Equal(new Letter("nobody", 1), declarations.Letter);
        Assert.Equal(new Letter("a", 1), StateFile.FromText<Declarations>("{ \"required\": \"r\", \"letter\": { \"to\": \"a\" } }").Letter);
        Assert.Equal(new Letter("", 3), StateFile.FromText<Letter>("{}"));
    }

    [Fact]
    public void A_required_member_that_is_missing_is_an_error_and_not_nothing()
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<Declarations>("{ \"init\": \"x\" }"));
        Assert.Contains("\"required\" is missing", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_folder_that_cannot_be_created_is_named()
    {
        File.WriteAllText(Path.Combine(_folder, "file"), "");
        var problem = Assert.Throws<StorageException>(() => StateFile.Write(Path.Combine(_folder, "file", "below", "room.json"), new Room()));
        Assert.Contains("A file is in the place of a folder", problem.Message, StringComparison.Ordinal);
    }

    [Theory, MemberData(nameof(Forms))]
    public void An_array_that_the_object_keeps_stays_and_keeps_what_a_shorter_one_does_not_cover(SaveForm form)
    {
        var saved = new Declarations { Required = "r" };
        (saved.Pockets[0], saved.Stalls[1]) = (9, new Crate("z", 26));
        var used = new Declarations { Required = "r" };
        var (pockets, stalls) = (used.Pockets, used.Stalls);
        StateFile.ReadInto(StateFile.ToBytes(saved, form), used);
        Assert.Same(pockets, used.Pockets);
        Assert.Same(stalls, used.Stalls);
        Assert.Equal([9, 2, 3], pockets);
        Assert.Equal(new Crate("z", 26), stalls[1]);

        StateFile.ReadTextInto("{ \"required\": \"r\", \"pockets\": [7], \"stalls\": [] }", used);
        Assert.Equal([7, 2, 3], pockets);
        Assert.Equal(new Crate("z", 26), stalls[1]);
        var problem = Assert.Throws<SaveContentException>(() => StateFile.ReadTextInto("{ \"required\": \"r\", \"pockets\": [1, 2, 3, 4] }", used));
        Assert.Contains("room for 3 items here, and the save has 4", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_struct_in_a_list_begins_with_its_own_initial_values()
    {
        var rack = StateFile.FromText<Rack>("{ \"bottles\": [ { \"vintage\": 1901 }, {} ], \"best\": {}, \"byName\": { \"a\": {} } }");
        Assert.Equal([new Bottle(1901, 75, "cork"), new Bottle(1850, 75, "cork")], rack.Bottles);
        Assert.Equal(new Bottle(1850, 75, "cork"), rack.Best);
        Assert.Equal(new Bottle(1850, 75, "cork"), rack.ByName["a"]);
    }

    [Theory]
    [InlineData("{ \"contents\": [\"rope\"], \"seal\": \"wax\" }")]
    [InlineData("<chest><contents><item>rope</item></contents><seal>wax</seal></chest>")]
    public void What_the_file_itself_calls_its_parts_may_be_members_of_a_state(string text)
    {
        var chest = StateFile.FromText<Chest>(text);
        Assert.Equal(("rope", "wax"), (Assert.Single(chest.Contents), chest.Seal));
        foreach (var form in Enum.GetValues<SaveForm>())
            Assert.Equal("wax", StateFile.FromBytes<Chest>(StateFile.ToBytes(chest, form)).Seal);
    }

    [Fact]
    public void A_save_whose_only_section_was_taken_out_is_refused_rather_than_read_as_defaults()
    {
        var text = StateFile.ToText(new Chest());
        var start = text.IndexOf("\"state\": {", StringComparison.Ordinal);
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<Chest>(text[..text.LastIndexOf(',', start)] + "}"));
        Assert.Equal(SaveErrorCode.NoSuchSection, problem.Code);
    }

    [Theory, MemberData(nameof(Forms))]
    public void A_readable_file_can_be_edited_and_says_so(SaveForm form)
    {
        var bytes = StateFile.ToBytes(new VersionTwo { Room = { Name = "loft" } }, form);
        var edited = Encoding.Latin1.GetBytes(Encoding.Latin1.GetString(bytes).Replace("loft", "barn", StringComparison.Ordinal));
        if (form == SaveForm.Binary)
        {
            Assert.Equal(SectionHealth.Damaged, SavedFile.FromBytes(edited).Health);
            Assert.Throws<DamagedSaveException>(() => StateFile.FromBytes<VersionTwo>(edited));
            return;
        }
        Assert.Equal("barn", StateFile.FromBytes<VersionTwo>(edited).Room.Name);
        var file = SavedFile.FromBytes(edited);
        Assert.Equal(SectionHealth.EditedByHand, file.Health);
        Assert.Equal(("room", SectionHealth.EditedByHand), (file.Sections[0].Name, file.Sections[0].Health));
    }

    [Fact]
    public void A_section_taken_out_by_hand_is_missed()
    {
        var text = StateFile.ToText(new VersionTwo());
        var start = text.LastIndexOf("\"room\"", StringComparison.Ordinal);
        var file = SavedFile.FromBytes(Encoding.UTF8.GetBytes(text[..text.LastIndexOf(',', start)] + "}"));
        Assert.Equal(["room"], file.MissingSections);
        Assert.Equal(SectionHealth.EditedByHand, file.Health);
    }

    [Theory, MemberData(nameof(Forms))]
    public void The_header_is_read_from_the_beginning_of_a_file(SaveForm form)
    {
        var bytes = StateFile.ToBytes(new SampleSave { Collections = { Ints = new int[100_000] } }, form);
        var header = Lodrik.Saves.Forms.FileForms.Of(form).FindHeader(bytes.AsMemory(0, 1500));
        Assert.Equal("lodrik-tests", header?.Game);
        Assert.Equal(3, header?.Version);
        Assert.Equal(form, header?.Content);
        Assert.Null(Lodrik.Saves.Forms.FileForms.Of(form).FindHeader(bytes.AsMemory(0, 60)));
    }

    [Theory]
    [InlineData("<a/>")]
    [InlineData("<a></a>")]
    [InlineData("<a> <b/> <c d='>'>x</c> <!-- <e> --> <?pi <f> ?> <g><![CDATA[</g>]]><h/></g> </a>")]
    [InlineData("<a><b><?pi </b> <f> ?><c/></b><d><?pi?></d></a>")]
    [InlineData("<?xml version='1.0'?><a><entry key='with / and &lt;'>x</entry><b>\n</b></a>\n")]
    public void Sections_of_XML_are_found_where_XmlReader_finds_them(string text)
    {
        var bytes = Encoding.UTF8.GetBytes(text);
        var found = new Lodrik.Formats.Xml.XmlSlices(bytes).All().Select(slice => (slice.Name, Xml: Encoding.UTF8.GetString(bytes.AsSpan(slice.Offset, slice.Length)))).ToList();
        var expected = System.Xml.Linq.XDocument.Parse(text, System.Xml.Linq.LoadOptions.PreserveWhitespace).Root!.Elements().ToList();
        Assert.Equal(expected.Select(element => element.Attribute("key")?.Value ?? element.Name.LocalName), found.Select(one => one.Name));
        Assert.All(found.Zip(expected), pair =>
            Assert.True(System.Xml.Linq.XNode.DeepEquals(System.Xml.Linq.XElement.Parse(pair.First.Xml, System.Xml.Linq.LoadOptions.PreserveWhitespace), pair.Second)));
    }

    [Fact]
    public async Task Streams_are_written_and_read_without_blocking()
    {
        var token = TestContext.Current.CancellationToken;
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            using var stream = new AsyncOnlyStream();
            var saved = new Chest { Seal = "wax" };
            var writing = StateFile.WriteAsync(stream, saved, form, token);
            saved.Seal = "later";
            await writing;
            stream.Position = 0;
            Assert.Equal("wax", (await StateFile.ReadAsync<Chest>(stream, token)).Seal);
            stream.Position = 0;
            var used = new Chest { Seal = "before" };
            await StateFile.ReadIntoAsync(stream, used, token);
            Assert.Equal("wax", used.Seal);
        }
    }

    [Fact]
    public async Task A_stream_that_ends_too_early_leaves_the_object_alone()
    {
        var whole = StateFile.ToBytes(new Chest { Seal = "wax" }, SaveForm.Binary);
        var used = new Chest { Seal = "before" };
        Assert.Throws<DamagedSaveException>(() => StateFile.ReadInto(new MemoryStream(whole, 0, whole.Length - 3), used));
        await Assert.ThrowsAsync<DamagedSaveException>(
            () => StateFile.ReadIntoAsync(new MemoryStream(whole, 0, whole.Length - 3), used, TestContext.Current.CancellationToken));
        Assert.Equal("before", used.Seal);
        StateFile.ReadInto(new MemoryStream(whole), used);
        Assert.Equal("wax", used.Seal);
    }

    /// <summary>Each way to write takes the same form where none is given.</summary>
    [Fact]
    public void Without_a_form_everything_is_written_as_JSON()
    {
        var stream = new MemoryStream();
        StateFile.Write(stream, new Chest());
        Assert.Equal(SaveForm.Json, SavedFile.FromBytes(stream.ToArray()).Form);
        Assert.Equal(SaveForm.Json, SavedFile.FromBytes(StateFile.ToBytes(new Chest())).Form);
    }

    /// <summary>A stream such as a server's, which refuses what would block.</summary>
    private sealed class AsyncOnlyStream : Stream
    {
        private readonly MemoryStream _inner = new();

        public override bool CanRead => true;

        public override bool CanSeek => true;

        public override bool CanWrite => true;

        public override long Length => _inner.Length;

        public override long Position { get => _inner.Position; set => _inner.Position = value; }

        public override void Flush() => throw new InvalidOperationException("Synchronous flushing.");

        public override int Read(byte[] buffer, int offset, int count) => throw new InvalidOperationException("Synchronous reading.");

        public override void Write(byte[] buffer, int offset, int count) => throw new InvalidOperationException("Synchronous writing.");

        public override long Seek(long offset, SeekOrigin origin) => _inner.Seek(offset, origin);

        public override void SetLength(long value) => _inner.SetLength(value);

        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
            _inner.ReadAsync(buffer, cancellationToken);

        public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default) =>
            _inner.WriteAsync(buffer, cancellationToken);
    }
}

[StateType]
public sealed partial class Chest
{
    public List<string> Contents { get; set; } = [];

    public string Seal { get; set; } = "";
}

[StateType]
public sealed partial class Rack
{
    public List<Bottle> Bottles { get; set; } = [];

    public Bottle? Best { get; set; }

    public Dictionary<string, Bottle> ByName { get; set; } = [];
}

[StateType]
public partial record struct Bottle(int Vintage = 1850, int Litres = 75, string Stopper = "cork");

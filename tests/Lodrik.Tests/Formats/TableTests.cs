using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Binary.Tables;
using Lodrik.Inspection;
using Lodrik.State;
using Lodrik.Tests.State;

namespace Lodrik.Tests.Formats;

/// <summary>Lists and maps laid out in columns are the same lists and maps.</summary>
public sealed class TableTests
{
    private static Gen<DriftSave> Small => DriftSave.Of(Gen.Int[0, 40]);

    // Around the sizes at which chunks are full, and columns begin to be packed.
    private static Gen<DriftSave> Long => DriftSave.Of(Gen.OneOf(Gen.Int[60, 70], Gen.Int[1020, 1030], Gen.Int[2040, 2060]));

    [Fact]
    public void What_is_in_columns_loads_as_it_was() => Small.Sample(save => AssertSame(save, Reload(save)), iter: 150, threads: 2);

    [Fact]
    public void What_is_in_long_columns_loads_as_it_was() => Long.Sample(save => AssertSame(save, Reload(save)), iter: 12, threads: 2);

    [Fact]
    public void A_used_object_is_filled_as_a_new_one_is() => Gen.Select(Small, Small).Sample(
        (save, used) =>
        {
            StateFile.ReadInto(StateFile.ToBytes(save, SaveForm.Binary), used);
            AssertSame(save, used);
        },
        iter: 60, threads: 2);

    [Theory]
    [InlineData(SaveForm.Json), InlineData(SaveForm.Xml), InlineData(SaveForm.Binary)]
    public void Conversion_without_the_types_gives_what_a_typed_load_sees(SaveForm between) => Small.Sample(
        save =>
        {
            var binary = SavedFile.FromBytes(StateFile.ToBytes(save, SaveForm.Binary));
            var converted = SavedFile.FromBytes(binary.ToForm(between));
            AssertSame(save, StateFile.FromBytes<DriftSave>(converted.ToForm(between)));
            AssertSame(save, StateFile.FromBytes<DriftSave>(converted.ToForm(SaveForm.Binary)));
        },
        iter: 60, threads: 2);

    [Fact]
    public void The_same_state_is_written_the_same_whatever_was_written_before() => Gen.Select(Small, Small).Sample(
        (save, other) =>
        {
            var first = Encode(save);
            Encode(other);
            Assert.Equal(first, Encode(save));
        },
        iter: 60, threads: 2);

    [Fact]
    public void Columns_take_less_space_than_rows_and_few_items_stay_rows()
    {
        var save = DriftSave.Of(Gen.Const(500)).Single();
        var shells = Bytes<List<Shell>?, ListCodec<Shell, Shell.StateCodec>>(save.Shells);
        var rows = save.Shells.Chunk(7).Sum(few => Bytes<Shell[]?, ArrayCodec<Shell, Shell.StateCodec>>(few).Length);
        Assert.True(shells.Length * 3 < rows * 2, $"{shells.Length} bytes in columns, {rows} in rows");

        Assert.Equal(TableFormat.Tag, new BinaryStateReader(shells).TryReadTag());
        Assert.Equal(0UL, new BinaryStateReader(Bytes<List<Shell>?, ListCodec<Shell, Shell.StateCodec>>(save.Shells[..7])).TryReadTag());
    }

    [Fact]
    public void Numbers_are_as_narrow_as_the_widest_of_them()
    {
        foreach (var (widest, bytes) in new[] { (200L, 1), (-100, 1), (60_000, 2), (-30_000, 2), (4_000_000_000, 4), (-2_000_000_000, 4), (5_000_000_000, 8) })
        {
            // Wherever the widest stands: in the first chunk, or so late that what was packed has to be widened.
            foreach (var at in new[] { 0, 1500, 2999 })
            {
                var rows = Enumerable.Range(0, 3000).Select(i => new NumberRow { N = i == at ? widest : i % 2 }).ToList();
                var encoded = Bytes<List<NumberRow>?, ListCodec<NumberRow, NumberRow.StateCodec>>(rows);
                Assert.InRange(encoded.Length, 3000 * bytes, (3000 * bytes) + 60);
                Assert.Equal(rows.Select(row => row.N), ReadList<NumberRow, NumberRow.StateCodec>(encoded).Select(row => row.N));
            }
        }
        var equal = Enumerable.Range(0, 3000).Select(_ => new NumberRow { N = -5, Text = "a" }).ToList();
        equal[2000].Text = "b";
        Assert.InRange(Bytes<List<NumberRow>?, ListCodec<NumberRow, NumberRow.StateCodec>>(equal).Length, 3000, 3060);
    }

    [Fact]
    public void A_type_with_other_members_reads_the_columns_that_it_knows()
    {
        var save = DriftSave.Of(Gen.Const(1500)).Single();
        var read = ReadList<ShellSize, ShellSize.StateCodec>(Bytes<List<Shell>?, ListCodec<Shell, Shell.StateCodec>>(save.Shells));
        Assert.Equal(save.Shells.Select(shell => shell.Size), read.Select(shell => shell.Size));
        Assert.All(read, shell => Assert.Equal(("initial", 11), (shell.Colour, shell.Chambers)));
    }

    [Fact]
    public void A_row_without_a_required_member_is_refused()
    {
        var problem = Assert.Throws<ContentException>(() => ReadList<Flotsam, Flotsam.StateCodec>(
            Bytes<List<Shell>?, ListCodec<Shell, Shell.StateCodec>>([.. Enumerable.Range(0, 9).Select(i => new Shell("s", i, i))])));
        Assert.Equal("The required member \"count\" is missing.", problem.Message);
    }

    [Fact]
    public void A_value_in_a_column_that_does_not_fit_is_named_with_its_row()
    {
        var rows = Enumerable.Range(0, 1300).Select(i => new NumberRow { N = i == 1207 ? 300 : i % 100, Text = $"t{i % 4}" }).ToList();
        var bytes = Bytes<Numbers, Numbers.StateCodec>(new Numbers { Rows = rows });
        var tooBig = Assert.Throws<ContentException>(() => Read<SmallNumbers, SmallNumbers.StateCodec>(bytes));
        Assert.Equal("300 is out of range: it must be between 0 and 255.", tooBig.Message);
        Assert.Equal("/rows/1207/n", BinaryPlace.PointerAt(bytes, tooBig.Place));

        var noNumber = Assert.Throws<ContentException>(() => Read<WrongNumbers, WrongNumbers.StateCodec>(bytes));
        Assert.Equal("Expected a whole number, found text.", noNumber.Message);
        Assert.Equal("/rows/0/text", BinaryPlace.PointerAt(bytes, noNumber.Place));
    }

    [Fact]
    public void A_file_names_the_row_of_a_table_that_does_not_fit()
    {
        var rows = Enumerable.Range(0, 20).Select(i => new NumberRow { N = i == 13 ? -1 : i, Text = "" }).ToList();
        var file = StateFile.ToBytes(new Numbers { Rows = rows }, SaveForm.Binary);
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromBytes<SmallNumbers>(file));
        Assert.Equal("/rows/13/n", problem.Location.Path);
        Assert.Contains("between 0 and 255", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_value_that_cannot_be_saved_is_named_with_its_row()
    {
        var cycle = new Flotsam { Count = 1 };
        cycle.Under.Add(cycle);
        var save = new DriftSave { Items = [.. Enumerable.Range(0, 30).Select(i => i == 21 ? cycle : new Flotsam { Count = i })] };
        var problem = Assert.Throws<UnsavableStateException>(() => StateFile.ToBytes(save, SaveForm.Binary));
        Assert.Equal(SaveErrorCode.TooDeep, problem.Code);
        Assert.Equal("/21/under/0", problem.Location.Path);
    }

    [Fact]
    public void Rows_that_take_no_space_are_written_plainly_so_that_a_reader_can_trust_the_count()
    {
        var nothing = new List<Nothing>(Enumerable.Range(0, 5000).Select(_ => new Nothing()));
        var bytes = Bytes<List<Nothing>?, ListCodec<Nothing, Nothing.StateCodec>>(nothing);
        Assert.Equal(0UL, new BinaryStateReader(bytes).TryReadTag());
        Assert.Equal(5000, ReadList<Nothing, Nothing.StateCodec>(bytes).Count);
    }

    [Fact]
    public void A_table_that_claims_more_rows_than_it_can_have_is_refused()
    {
        // A list of 2^30 objects whose one member is null.
        byte[] bytes = [0xDA, 0x4C, 0x44, 0x52, 0x4B, 0x83, 6, 0x82, 1, 0x1A, 0x40, 0, 0, 0, 0x83, 8, 0x61, (byte)'a', 0x81, 0];
        var before = GC.GetAllocatedBytesForCurrentThread();
        Assert.Throws<ContentException>(() => ReadList<NumberRow, NumberRow.StateCodec>(bytes));
        Assert.True(GC.GetAllocatedBytesForCurrentThread() - before < 100_000);
    }

    [Fact]
    public void Recursive_rows_do_not_make_columns_without_end()
    {
        var tree = Grow(9);
        var bytes = Bytes<List<Branch>?, ListCodec<Branch, Branch.StateCodec>>([.. Enumerable.Repeat(tree, 10)]);
        var read = ReadList<Branch, Branch.StateCodec>(bytes);
        Assert.Equal(10, read.Count);
        Assert.All(read, branch => Assert.Equal(Count(tree), Count(branch)));

        static Branch Grow(int depth) => new() { Name = $"{depth}", Left = depth == 0 ? null : Grow(depth - 1), Right = depth == 0 ? null : Grow(depth - 1) };
        static int Count(Branch? branch) => branch is null ? 0 : 1 + Count(branch.Left) + Count(branch.Right);
    }

    [Fact]
    public void A_damaged_table_is_refused_and_nothing_else_happens()
    {
        var save = DriftSave.Of(Gen.Const(12)).Single();
        var table = Bytes<List<Flotsam>?, ListCodec<Flotsam, Flotsam.StateCodec>>(save.Items);
        var read = 0;
        Gen.Select(Gen.Int[0, table.Length - 1], Gen.Byte, Gen.Int[0, 2]).Array[1, 3].Sample(
            changes =>
            {
                var bytes = table.ToList();
                foreach (var (at, value, how) in changes)
                {
                    var position = Math.Min(at, bytes.Count - 1);
                    if (how == 0)
                        bytes[position] = value;
                    else if (how == 1)
                        bytes.Insert(position, value);
                    else if (bytes.Count > 1)
                        bytes.RemoveAt(position);
                }
                byte[] mutated = [.. bytes];
                try
                {
                    ReadList<Flotsam, Flotsam.StateCodec>(mutated);
                    Interlocked.Increment(ref read);
                }
                catch (ContentException problem)
                {
                    BinaryPlace.PointerAt(mutated, problem.Place);
                }
                try
                {
                    Read<SaveValue?, SaveValueCodec>(mutated);
                }
                catch (ContentException)
                {
                }
            },
            iter: 8_000, threads: 2);
        Assert.True(read > 0);
    }

    [Fact]
    public void A_tree_of_a_table_is_looked_into_without_being_laid_out() => Small.Sample(
        save =>
        {
            var bytes = Bytes<SaveValue?, SaveValueCodec>(save.Notes);
            var list = (SaveList)Read<SaveValue?, SaveValueCodec>(bytes)!;
            var items = ((SaveList)save.Notes).ToList();
            Assert.Equal(items.Select(item => item is SaveMap map && map.TryGet("b", out var b) ? b : null), list.Member("b"));
            Assert.Equal(items, list);
            for (var i = 0; i < items.Count; i += 5)
                Assert.Equal(items[i], list.Peek(i));
            Assert.Equal(items.Count >= TableFormat.LeastItems, list.IsTable);
            Assert.Equal(bytes, Bytes<SaveValue?, SaveValueCodec>(list));
            list.Add("more");
            Assert.Equal([.. items, "more"], list);
            Assert.False(list.IsTable);
        },
        iter: 100, threads: 2);

    [Fact]
    public void Reading_one_member_of_many_rows_decodes_that_column_only()
    {
        var rows = Enumerable.Range(0, 20_000).Select(i => new NumberRow { N = i, Text = $"a long text that is another one in every row {i}" }).ToList();
        var list = (SaveList)Read<SaveValue?, SaveValueCodec>(Bytes<List<NumberRow>?, ListCodec<NumberRow, NumberRow.StateCodec>>(rows))!;
        var before = GC.GetAllocatedBytesForCurrentThread();
        var sum = list.Member("n").Sum(n => (long)((SaveScalar)n!).Integer);
        var allocated = GC.GetAllocatedBytesForCurrentThread() - before;
        Assert.Equal(rows.Sum(row => row.N), sum);
        before = GC.GetAllocatedBytesForCurrentThread();
        Assert.Equal(20_000, list.Count());
        Assert.True(allocated * 2 < GC.GetAllocatedBytesForCurrentThread() - before);
    }

    [Fact]
    public void The_example_of_the_format_page_is_what_is_written()
    {
        var cans = Enumerable.Range(0, 8).Select(i => new OilCan { At = i < 7 ? "quay" : "mill", Litres = i < 7 ? 3 : 300 }).ToList();
        var page = File.ReadAllText(Path.Combine(Repository, "docs", "format.md"));
        var example = page[page.IndexOf("### An example", StringComparison.Ordinal)..];
        example = example[(example.IndexOf("```", StringComparison.Ordinal) + 4)..];
        var hex = string.Concat(example[..example.IndexOf("```", StringComparison.Ordinal)].Split('\n').Select(line => System.Text.RegularExpressions.Regex.Match(line, "^ *((?:[0-9A-F]+ )*[0-9A-F]+)(?:  |$)").Groups[1].Value.Replace(" ", "", StringComparison.Ordinal)));
        Assert.Equal(Convert.ToHexString(Bytes<List<OilCan>?, ListCodec<OilCan, OilCan.StateCodec>>(cans)), hex);
    }

    private static string Repository
    {
        get
        {
            var folder = AppContext.BaseDirectory;
            while (!File.Exists(Path.Combine(folder, "Directory.Packages.props")))
                folder = Path.GetDirectoryName(folder)!;
            return folder;
        }
    }

    [Fact]
    public void A_table_is_read_item_by_item_where_nobody_asks_for_a_table()
    {
        var save = DriftSave.Of(Gen.Const(25)).Single();
        var bytes = Bytes<List<Flotsam>?, ListCodec<Flotsam, Flotsam.StateCodec>>(save.Items);
        var reader = new BinaryStateReader(bytes);
        Assert.Equal(SaveValueKind.List, reader.Peek());
        Assert.Equal(25, reader.BeginList());
        for (var i = 0; i < 25; i++)
        {
            Assert.True(reader.NextItem());
            Flotsam? item = null;
            Flotsam.StateCodec.Read(ref reader, ref item!);
            Assert.Equal(save.Items[i].Serial, item.Serial);
            Assert.Equal(save.Items[i].Marks, item.Marks);
        }
        Assert.False(reader.NextItem());
        reader.End();
    }

    [Theory]
    [InlineData(200, false), InlineData(1_000_000, true), InlineData(int.MaxValue, true)]
    public void A_column_claims_no_more_rows_than_its_bytes_allow(int rows, bool isTooMany)
    {
        // A list of objects whose one member is always null: the number of rows is one number, and a row takes no byte.
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.WriteTag(TableFormat.Tag);
        writer.BeginList(3);
        writer.WriteInteger((int)ColumnKind.List);
        writer.BeginList(2);
        writer.WriteInteger((int)ColumnKind.Same);
        writer.WriteInteger(rows);
        writer.BeginList(3);
        writer.WriteInteger((int)ColumnKind.Object);
        writer.WriteText(new string('a', 40));
        writer.BeginList(1);
        writer.WriteInteger((int)ColumnKind.Null);
        Refuses(buffer.Written.ToArray(), isTooMany);
    }

    [Theory]
    [InlineData(7, false), InlineData(40, true)]
    public void All_columns_together_claim_no_more_slots_than_the_tables_bytes_allow(int members, bool isTooMany)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.WriteTag(TableFormat.Tag);
        writer.BeginList(3);
        writer.WriteInteger((int)ColumnKind.List);
        writer.BeginList(2);
        writer.WriteInteger((int)ColumnKind.Same);
        // Each column alone stays below its own bound of eight rows for a byte.
        writer.WriteInteger(7 * 4 * members);
        writer.BeginList(1 + (2 * members));
        writer.WriteInteger((int)ColumnKind.Object);
        for (var i = 0; i < members; i++)
        {
            writer.WriteText($"{i}");
            writer.BeginList(1);
            writer.WriteInteger((int)ColumnKind.Null);
        }
        Refuses(buffer.Written.ToArray(), isTooMany);
    }

    private static void Refuses(byte[] table, bool isRefused)
    {
        if (isRefused)
            Assert.Contains("more rows than the table", Assert.Throws<ContentException>(() => Read<SaveValue?, SaveValueCodec>(table)).Message, StringComparison.Ordinal);
        else
            Assert.NotNull(Read<SaveValue?, SaveValueCodec>(table));
    }

    private static DriftSave Reload(DriftSave save) => StateFile.FromBytes<DriftSave>(StateFile.ToBytes(save, SaveForm.Binary));

    private static void AssertSame(DriftSave expected, DriftSave actual) => Same.Assert(expected.Content(), actual.Content());

    private static byte[] Encode(DriftSave save) => [
        .. Bytes<List<Flotsam>?, ListCodec<Flotsam, Flotsam.StateCodec>>(save.Items),
        .. Bytes<List<Creature?>?, ListCodec<Creature?, Creature.StateCodec>>(save.Creatures),
        .. Bytes<SaveValue?, SaveValueCodec>(save.Notes)];

    private static byte[] Bytes<T, TCodec>(T value) where TCodec : IStateCodec<T>
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        TCodec.Write(ref writer, value);
        return buffer.Written.ToArray();
    }

    private static List<T> ReadList<T, TCodec>(byte[] bytes) where TCodec : IStateCodec<T> => Read<List<T>?, ListCodec<T, TCodec>>(bytes)!;

    private static T Read<T, TCodec>(byte[] bytes) where TCodec : IStateCodec<T>
    {
        var reader = new BinaryStateReader(bytes);
        var value = TCodec.Initial;
        TCodec.Read(ref reader, ref value);
        reader.End();
        return value;
    }
}

[StateType]
public sealed partial class Numbers
{
    public List<NumberRow> Rows { get; set; } = [];
}

[StateType]
public sealed partial class NumberRow
{
    public long N { get; set; }
    public string Text { get; set; } = "";
}

[StateType]
public sealed partial class SmallNumbers
{
    public List<SmallNumber> Rows { get; set; } = [];
}

[StateType]
public sealed partial class SmallNumber
{
    public byte N { get; set; }
}

[StateType]
public sealed partial class WrongNumbers
{
    public List<WrongNumber> Rows { get; set; } = [];
}

[StateType]
public sealed partial class WrongNumber
{
    public int Text { get; set; }
}

/// <summary>A shell as another release knows it.</summary>
[StateType]
public sealed partial class ShellSize
{
    public string Colour { get; set; } = "initial";
    public float Size { get; set; }
    public int Chambers { get; set; } = 11;
}

[StateType]
public sealed partial class OilCan
{
    public string At { get; set; } = "";
    public int Litres { get; set; }
}

[StateType]
public sealed partial class Nothing;

[StateType]
public sealed partial class Branch
{
    public string Name { get; set; } = "";
    public Branch? Left { get; set; }
    public Branch? Right { get; set; }
}

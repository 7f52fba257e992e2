using System.Numerics;
using CsCheck;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>Many objects that are written and read at once, member by member, give what one after the other gives.</summary>
public sealed class RowTests
{
    private static readonly Gen<string?> Word = Gen.OneOf(
        Gen.Int[0, 30].Select(i => (string?)$"word {i}"), Gen.String.Select(text => (string?)text), Gen.Const((string?)null),
        Gen.Int[0, 4].Select(i => (string?)new string('x', i)), Gen.Int[0, 9999].Select(i => (string?)$"mire \u00e4 {i} {new string('o', i % 90)}"));

    private static readonly Gen<Cargo> Things = Gen.OneOf(
        Gen.Select(Gen.Int, Word).Select((n, word) => (Cargo)new Keg { Weight = n, Label = word }),
        Gen.Select(Gen.Int[0, 9], Gen.Int[-300, 70_000].Array[0, 4]).Select((n, marks) => (Cargo)new Hamper { Weight = n, Marks = marks }),
        Gen.Single.Select(x => (Cargo)new Sack { Fill = x }));

    private static readonly Gen<Punt> Punts =
        from word in Word
        from name in Word
        from numbers in Gen.OneOf(Gen.Int[0, 20].Array[0, 5], Gen.Int.Array[0, 200])
        from floats in Gen.Single.Array[0, 3]
        from wide in Gen.ULong.Array[0, 2]
        from cargo in Things.List[0, 4]
        from few in Things.Array[0, 2]
        from place in Gen.Select(Gen.Single, Gen.Single).Select((x, y) => new Vector2(x, y))
        from mast in Gen.Select(Gen.Double, Gen.Bool).Select((height, up) => new Mast { Height = height, IsUp = up })
        from count in Gen.OneOf(Gen.Int[0, 100], Gen.Int)
        from maybe in Gen.Int[0, 300]
        from deep in Gen.Int[0, 5].List[0, 3].List[0, 3]
        select new Punt
        {
            Name = name ?? "punt",
            Note = word,
            Numbers = numbers,
            Floats = floats,
            Wide = wide,
            Cargo = cargo,
            Few = few,
            Place = place,
            Mast = mast,
            Small = (byte)count,
            Whole = count,
            Long = (long)count << (maybe % 40),
            Short = (short)count,
            Maybe = maybe % 3 == 0 ? null : maybe,
            Deep = deep,
            Bow = maybe % 5 == 0 ? null : new Hamper { Weight = maybe },
            Oar = new Oar(maybe, word ?? "oar"),
            IsAfloat = maybe % 2 == 0,
            Numbered = [.. numbers.Select(number => (short)number)],
        };

    [Fact]
    public void Objects_at_once_are_the_bytes_of_one_after_the_other() => Gen.OneOf(Punts.List[8, 40], Punts.List[250, 300]).Sample(
        punts => Assert.Equal(
            Convert.ToHexString(Bytes<List<Punt>?, ListCodec<Punt, OneByOne<Punt, Punt.StateCodec>>>(punts)),
            Convert.ToHexString(Bytes<List<Punt>?, ListCodec<Punt, Punt.StateCodec>>(punts))),
        iter: 40, threads: 2);

    [Fact]
    public void Objects_read_at_once_are_those_read_one_after_the_other() => Gen.OneOf(Punts.List[8, 40], Punts.List[250, 300]).Sample(
        punts =>
        {
            var bytes = Bytes<List<Punt>?, ListCodec<Punt, Punt.StateCodec>>(punts);
            var one = Read<List<Punt>?, ListCodec<Punt, OneByOne<Punt, Punt.StateCodec>>>(bytes);
            var all = Read<List<Punt>?, ListCodec<Punt, Punt.StateCodec>>(bytes);
            Assert.True(ListCodec<Punt, Punt.StateCodec>.AreEqual(one, all, null));
            Assert.True(ListCodec<Punt, Punt.StateCodec>.AreEqual(Written(punts), all, null));
        },
        iter: 40, threads: 2);

    [Fact]
    public void Chunks_of_texts_of_numbers_and_of_bits_may_end_anywhere()
    {
        // 256 objects at a time, 1,024 values at a time, and neither a multiple of what is in the lists.
        var punts = Enumerable.Range(0, 1_500).Select(i => new Punt
        {
            Name = $"name {i % 700}",
            Note = i % 3 == 0 ? null : $"note {i}",
            IsAfloat = i % 7 < 3,
            Numbers = [.. Enumerable.Range(0, i % 11)],
            Cargo = [.. Enumerable.Range(0, i % 5).Select(j => j % 2 == 0 ? (Cargo)new Keg { Label = $"{i + j}" } : new Sack { Fill = j })],
        }).ToList();
        var bytes = Bytes<List<Punt>?, ListCodec<Punt, Punt.StateCodec>>(punts);
        Assert.Equal(Bytes<List<Punt>?, ListCodec<Punt, OneByOne<Punt, Punt.StateCodec>>>(punts), bytes);
        Assert.True(ListCodec<Punt, Punt.StateCodec>.AreEqual(punts, Read<List<Punt>?, ListCodec<Punt, Punt.StateCodec>>(bytes), null));
    }

    [Fact]
    public void Short_lists_and_long_ones_take_turns_in_the_same_columns()
    {
        // A type with a hook goes one by one: its short lists do so too, and its long ones go at once.
        var piers = Enumerable.Range(0, 60).Select(i => new Pier
        {
            Hampers = [.. Enumerable.Range(0, i % 4 == 0 ? 20 + i : i % 7).Select(j => new Keg { Label = j % 9 == 8 ? null : $"keg {j % 30}", Weight = i * j })],
        }).ToList();
        var read = Read<List<Pier>?, ListCodec<Pier, Pier.StateCodec>>(Bytes<List<Pier>?, ListCodec<Pier, Pier.StateCodec>>(piers));
        Assert.True(ListCodec<Pier, Pier.StateCodec>.AreEqual(piers, read, null));
    }

    [Fact]
    public void What_an_object_holds_already_is_filled_and_not_replaced()
    {
        var mooring = new Mooring { Ropes = { "old" } };
        var bytes = Bytes<List<Mooring>?, ListCodec<Mooring, Mooring.StateCodec>>([.. Enumerable.Range(0, 20).Select(i => new Mooring { Ropes = { $"rope {i}" }, Buoy = { Number = i } })]);
        var read = Read<List<Mooring>?, ListCodec<Mooring, Mooring.StateCodec>>(bytes)!;
        Assert.Equal("rope 7", Assert.Single(read[7].Ropes));
        Assert.Equal(StringComparer.OrdinalIgnoreCase, read[7].Knots.Comparer);
        Assert.Equal((7, "of the game"), (read[7].Buoy.Number, read[7].Buoy.Colour));
        Assert.Equal("old", Assert.Single(mooring.Ropes));
    }

    [Fact]
    public void A_number_that_does_not_fit_is_named_where_it_stands()
    {
        var bytes = Bytes<List<Wide>?, ListCodec<Wide, Wide.StateCodec>>([.. Enumerable.Range(0, 300).Select(i => new Wide { Number = i == 270 ? 70_000 : i })]);
        var problem = Assert.Throws<ContentException>(() => Read<List<Narrow>?, ListCodec<Narrow, Narrow.StateCodec>>(bytes));
        Assert.Contains("70000 is out of range: it must be between -32768 and 32767.", problem.Message, StringComparison.Ordinal);
    }

    /// <summary>What the file has of them: half of a pair is replaced.</summary>
    private static List<Punt> Written(List<Punt> punts)
    {
        var copy = ListCodec<Punt, Punt.StateCodec>.Copy(punts, null, null)!;
        foreach (var punt in copy)
        {
            punt.Name = Valid(punt.Name)!;
            punt.Note = Valid(punt.Note);
            punt.Oar = new Oar(punt.Oar.Length, Valid(punt.Oar.Wood)!);
            foreach (var keg in punt.Cargo.Concat(punt.Few).OfType<Keg>())
                keg.Label = Valid(keg.Label);
        }
        return copy;

        static string? Valid(string? text) => text is null ? null : System.Text.Encoding.UTF8.GetString(System.Text.Encoding.UTF8.GetBytes(text));
    }

    private static byte[] Bytes<T, TCodec>(T value) where TCodec : IStateCodec<T>
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        TCodec.Write(ref writer, value);
        return buffer.Written.ToArray();
    }

    private static T Read<T, TCodec>(byte[] bytes) where TCodec : IStateCodec<T>
    {
        var reader = new BinaryStateReader(bytes);
        var value = TCodec.Initial;
        TCodec.Read(ref reader, ref value);
        reader.End();
        return value;
    }

    /// <summary>Does not take part in what is done at once.</summary>
    private readonly struct OneByOne<T, TCodec> : IStateCodec<T> where TCodec : IStateCodec<T>
    {
        public static T Initial => TCodec.Initial;

        public static bool HasColumns => TCodec.HasColumns;

        public static void Write<TWriter>(ref TWriter writer, T value) where TWriter : IStateWriter, allows ref struct =>
            TCodec.Write(ref writer, value);

        public static void Read<TReader>(ref TReader reader, ref T value) where TReader : IStateReader, allows ref struct =>
            TCodec.Read(ref reader, ref value);
    }
}

[StateType]
public sealed partial class Punt
{
    public string Name { get; set; } = "";
    public string? Note { get; set; } = "none";
    public int[] Numbers { get; set; } = [];
    public float[] Floats { get; set; } = [];
    public ulong[] Wide { get; set; } = [];
    public List<short> Numbered { get; set; } = [];
    public List<Cargo> Cargo { get; set; } = [];
    public Cargo[] Few { get; set; } = [];
    public Vector2 Place { get; set; }
    public Mast Mast { get; set; }
    public byte Small { get; set; }
    public int Whole { get; set; }
    public long Long { get; set; }
    public short Short { get; set; }
    public int? Maybe { get; set; }
    public bool IsAfloat { get; set; }
    public List<List<int>> Deep { get; set; } = [];
    public Hamper? Bow { get; set; }
    public Oar Oar { get; set; } = new(1, "ash");
}

[StateType]
public sealed partial record Oar(int Length, string Wood);

[StateType]
public partial struct Mast
{
    public double Height { get; set; }
    public bool IsUp { get; set; }
}

[StateType]
[SaveVariant("keg", typeof(Keg))]
[SaveVariant("hamper", typeof(Hamper))]
[SaveVariant("sack", typeof(Sack))]
public abstract partial class Cargo
{
    public int Weight { get; set; }
}

[StateType]
public sealed partial class Keg : Cargo
{
    public string? Label { get; set; }
}

[StateType]
public sealed partial class Hamper : Cargo
{
    public int[] Marks { get; set; } = [];
}

[StateType]
public sealed partial class Sack : Cargo
{
    public float Fill { get; set; }
}

[StateType]
public sealed partial class Pier : IAfterLoading
{
    public List<Keg> Hampers { get; set; } = [];

    public void AfterLoading()
    {
    }
}

[StateType]
public sealed partial class Mooring
{
    public List<string> Ropes { get; } = [];
    public HashSet<string> Knots { get; } = new(StringComparer.OrdinalIgnoreCase);
    public Buoy Buoy { get; } = new() { Colour = "of the game" };
}

[StateType]
public sealed partial class Buoy
{
    public int Number { get; set; }

    [NotSaved]
    public string Colour { get; set; } = "";
}

[StateType]
public sealed partial class Wide
{
    public int Number { get; set; }
}

[StateType]
public sealed partial class Narrow
{
    public short Number { get; set; }
}

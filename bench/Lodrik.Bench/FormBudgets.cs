using System.Buffers;
using System.Runtime.CompilerServices;
using System.Text.Json;
using System.Xml;
using System.Xml.Serialization;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.Saves.Writing;
using Lodrik.State;
using MemoryPack;
using MessagePack;

namespace Lodrik.Bench;

/// <summary>The forms against general-purpose serializers, both into a buffer that is used again.</summary>
internal static class FormBudgets
{
    public static IEnumerable<BudgetLine> Binary(World world, string name, bool distinct)
    {
        using var buffer = new PooledBuffer(64 << 20);
        var reference = new ArrayBufferWriter<byte>(64 << 20);
        var (ours, theirs) = Measuring.Race(
            () => Encode(world, buffer),
            () =>
            {
                reference.ResetWrittenCount();
                MemoryPackSerializer.Serialize(reference, world);
            });
        yield return BudgetLine.Of($"binary, {name}: encode / MemoryPack (ms)", ours, theirs, distinct ? 1.3 : 0.85);
        if (!distinct)
            yield return BudgetLine.Of($"binary, {name}: size / MemoryPack (MB)", buffer.Length / 1e6, reference.WrittenCount / 1e6, 0.36);
        (ours, theirs) = Measuring.Race(
            () => Decode<World>(buffer.Written),
            () => MemoryPackSerializer.Deserialize<World>(reference.WrittenSpan));
        yield return BudgetLine.Of($"binary, {name}: decode / MemoryPack (ms)", ours, theirs, distinct ? 1.0 : 0.6);
        // MessagePack makes its code while the program runs, which a native one does not do.
        if (distinct || !RuntimeFeature.IsDynamicCodeSupported)
            yield break;
        var packed = new ArrayBufferWriter<byte>(64 << 20);
        (ours, theirs) = Measuring.Race(
            () => Encode(world, buffer),
            () =>
            {
                packed.ResetWrittenCount();
                MessagePackSerializer.Serialize(packed, world);
            });
        yield return BudgetLine.Of($"binary, {name}: encode / MessagePack (ms)", ours, theirs, 0.9);
        (ours, theirs) = Measuring.Race(
            () => Decode<World>(buffer.Written),
            () => MessagePackSerializer.Deserialize<World>(packed.WrittenMemory));
        yield return BudgetLine.Of($"binary, {name}: decode / MessagePack (ms)", ours, theirs, 0.6);
    }

    /// <summary>A workload of one kind of content.</summary>
    public static IEnumerable<BudgetLine> Against<T>(string name, T state, double encode, double decode) where T : IStateType<T>
    {
        using var buffer = new PooledBuffer(8 << 20);
        var reference = new ArrayBufferWriter<byte>(8 << 20);
        var (ours, theirs) = Measuring.Race(
            () => Encode(state, buffer),
            () =>
            {
                reference.ResetWrittenCount();
                MemoryPackSerializer.Serialize(reference, state);
            });
        yield return BudgetLine.Of($"binary, {name}: encode / MemoryPack (ms)", ours, theirs, encode);
        yield return BudgetLine.Of($"binary, {name}: size / MemoryPack (MB)", buffer.Length / 1e6, reference.WrittenCount / 1e6, 1.0);
        (ours, theirs) = Measuring.Race(
            () => Decode<T>(buffer.Written),
            () => MemoryPackSerializer.Deserialize<T>(reference.WrittenSpan));
        yield return BudgetLine.Of($"binary, {name}: decode / MemoryPack (ms)", ours, theirs, decode);
    }

    /// <summary>Small saves, as whole files with header, digests and seal; the reference has the state alone.</summary>
    public static IEnumerable<BudgetLine> Journeys()
    {
        const int Times = 100;
        foreach (var (size, encode, decode) in ((int, double, double)[])[(1, 2.0, 1.8), (3, 1.5, 1.4), (8, 1.2, 1.1)])
        {
            var journey = Journey.Make(size);
            var reference = new ArrayBufferWriter<byte>(1 << 16);
            using var writer = new SaveWriter();
            var terms = new SaveTerms(SaveForm.Binary);
            var bytes = Array.Empty<byte>();
            var (ours, theirs) = Measuring.Race(
                () =>
                {
                    for (var i = 0; i < Times; i++)
                        writer.Write(journey, new SaveHeader { Game = "bench-journey", Version = 1 }, terms);
                },
                () =>
                {
                    for (var i = 0; i < Times; i++)
                    {
                        reference.ResetWrittenCount();
                        MemoryPackSerializer.Serialize(reference, journey);
                    }
                });
            bytes = writer.Write(journey, new SaveHeader { Game = "bench-journey", Version = 1 }, terms).ToArray();
            var name = FormattableString.Invariant($"small save of {reference.WrittenCount / 1e3:F0} KB ({bytes.Length / 1e3:F1} as a file)");
            yield return BudgetLine.Of($"{name}: encode / MemoryPack (us)", ours * 1e3 / Times, theirs * 1e3 / Times, encode);
            (ours, theirs) = Measuring.Race(
                () =>
                {
                    for (var i = 0; i < Times; i++)
                        StateFile.FromBytes<Journey>(bytes);
                },
                () =>
                {
                    for (var i = 0; i < Times; i++)
                        MemoryPackSerializer.Deserialize<Journey>(reference.WrittenSpan);
                });
            yield return BudgetLine.Of($"{name}: decode / MemoryPack (us)", ours * 1e3 / Times, theirs * 1e3 / Times, decode);
        }
    }

    public static IEnumerable<BudgetLine> Json(World world)
    {
        using var buffer = new PooledBuffer(64 << 20);
        var reference = new ArrayBufferWriter<byte>(64 << 20);
        using var referenceWriter = new Utf8JsonWriter(reference);
        var (ours, theirs) = Measuring.Race(
            () =>
            {
                buffer.Reset();
                var tokens = new JsonStateWriter(new JsonText(buffer, isIndented: false));
                World.StateCodec.Write(ref tokens, world);
            },
            () =>
            {
                reference.ResetWrittenCount();
                referenceWriter.Reset();
                JsonSerializer.Serialize(referenceWriter, world, ReferenceJson.Default.World);
            });
        yield return BudgetLine.Of("JSON compact, entities: encode / System.Text.Json (ms)", ours, theirs, 0.55);
        (ours, theirs) = Measuring.Race(
            () =>
            {
                var tokens = new JsonStateReader(buffer.Written);
                var read = new World();
                World.StateCodec.Read(ref tokens, ref read);
            },
            () => JsonSerializer.Deserialize(reference.WrittenSpan, ReferenceJson.Default.World));
        yield return BudgetLine.Of("JSON compact, entities: decode / System.Text.Json (ms)", ours, theirs, 0.9);
    }

    public static IEnumerable<BudgetLine> Xml(World world)
    {
        using var buffer = new PooledBuffer(64 << 20);
        using var reference = new MemoryStream(64 << 20);
        var serializer = new XmlSerializer(typeof(World));
        var (ours, theirs) = Measuring.Race(
            () => EncodeXml(world, buffer),
            () =>
            {
                reference.SetLength(0);
                using var writer = XmlWriter.Create(reference);
                serializer.Serialize(writer, world);
            });
        yield return BudgetLine.Of("XML, entities: encode / XmlSerializer (ms)", ours, theirs, 0.75);
        var bytes = buffer.Written.ToArray();
        var referenceBytes = reference.ToArray();
        (ours, theirs) = Measuring.Race(
            () => DecodeXml(bytes),
            () =>
            {
                using var reader = XmlReader.Create(new MemoryStream(referenceBytes));
                serializer.Deserialize(reader);
            });
        yield return BudgetLine.Of("XML, entities: decode / XmlSerializer (ms)", ours, theirs, 0.55);
    }

    public static IEnumerable<BudgetLine> Tiles()
    {
        var map = new TileMap { Tiles = new ushort[2048 * 2048] };
        new Random(3).NextBytes(System.Runtime.InteropServices.MemoryMarshal.AsBytes(map.Tiles.AsSpan()));
        using var buffer = new PooledBuffer(16 << 20);
        var target = new ushort[map.Tiles.Length];
        var (ours, theirs) = Measuring.Race(() => Encode(map, buffer), () => map.Tiles.CopyTo(target.AsSpan()));
        yield return BudgetLine.Of("tile map 2048 x 2048: encode / memcpy (ms)", ours, theirs, 2.0);
        (ours, theirs) = Measuring.Race(() => Decode<TileMap>(buffer.Written), () => _ = map.Tiles.AsSpan().ToArray());
        yield return BudgetLine.Of("tile map 2048 x 2048: decode / memcpy to a new array (ms)", ours, theirs, 2.0);
    }

    public static IEnumerable<BudgetLine> Small()
    {
        var save = SmallSave.Make();
        foreach (var (form, microseconds) in new[] { (SaveForm.Binary, 10.0), (SaveForm.Json, 30.0) })
        {
            using var writer = new SaveWriter();
            var terms = new SaveTerms(form, IsIndented: false);
            var ours = Measuring.Median(() =>
            {
                for (var i = 0; i < 200; i++)
                {
                    var header = new SaveHeader { Game = "bench", Version = 1, SaveId = Guid.CreateVersion7(), Saved = DateTimeOffset.UtcNow };
                    writer.Write(save, header, terms);
                }
            });
            yield return BudgetLine.Of($"one small save, {form}: whole file / {microseconds:F0} microseconds", ours * 1000 / 200, microseconds, 1.0);
        }
    }

    /// <summary>What encoding allocates once everything is warm; the reference is one kilobyte, which is as good as nothing.</summary>
    public static IEnumerable<BudgetLine> Allocation()
    {
        var world = World.Make(10_000, distinct: false);
        using var buffer = new PooledBuffer(8 << 20);
        Measuring.WarmUp(() => Encode(world, buffer));
        yield return BudgetLine.Of("binary, 10,000 entities: allocated by one encode (KB)", Allocated(() => Encode(world, buffer)), 1, 1.0);

        var save = SmallSave.Make();
        using var writer = new SaveWriter();
        var header = new SaveHeader { Game = "bench", Version = 1, SaveId = Guid.CreateVersion7(), Saved = DateTimeOffset.UtcNow };
        var binary = new SaveTerms(SaveForm.Binary);
        Measuring.WarmUp(() => writer.Write(save, header, binary));
        yield return BudgetLine.Of("one small save, Binary: allocated by one whole file (KB)", Allocated(() => writer.Write(save, header, binary)), 1, 1.0);
    }

    private static double Allocated(Action act)
    {
        var before = GC.GetAllocatedBytesForCurrentThread();
        for (var i = 0; i < 10; i++)
            act();
        return (GC.GetAllocatedBytesForCurrentThread() - before) / 10.0 / 1024;
    }

    private static void Encode<T>(T state, PooledBuffer buffer) where T : IStateType<T>
    {
        buffer.Reset();
        var writer = new BinaryStateWriter(buffer);
        T.WriteState(ref writer, state);
    }

    private static void Decode<T>(ReadOnlySpan<byte> bytes) where T : IStateType<T>
    {
        var reader = new BinaryStateReader(bytes);
        var state = T.CreateState();
        T.ReadState(ref reader, ref state);
    }

    private static void EncodeXml(World world, PooledBuffer buffer)
    {
        buffer.Reset();
        var tokens = new XmlStateWriter(new XmlOutput(buffer, isIndented: false));
        tokens.Name("world");
        World.StateCodec.Write(ref tokens, world);
    }

    private static void DecodeXml(byte[] bytes)
    {
        using var reader = XmlReader.Create(new MemoryStream(bytes), XmlStateReader.Settings);
        var tokens = new XmlStateReader(reader);
        var read = new World();
        World.StateCodec.Read(ref tokens, ref read);
    }

    /// <summary>Does one thing for so long, for a profiler to watch.</summary>
    public static void Loop(string name, double seconds)
    {
        using var buffer = new PooledBuffer(64 << 20);
        Action act = name switch
        {
            "encode" => Encoding(World.Make(100_000, distinct: false)),
            "encode-distinct" => Encoding(World.Make(100_000, distinct: true)),
            "encode-variants" => Encoding(Hoard.Make()),
            "encode-lists" => Encoding(Posts.Make()),
            "encode-dialogue" => Encoding(Dialogue.Make()),
            "decode" => Decoding(World.Make(100_000, distinct: false)),
            "decode-distinct" => Decoding(World.Make(100_000, distinct: true)),
            "decode-variants" => Decoding(Hoard.Make()),
            "decode-lists" => Decoding(Posts.Make()),
            "encode-xml" => EncodingXml(World.Make(20_000, distinct: false)),
            "encode-json" => EncodingJson(World.Make(20_000, distinct: false)),
            "decode-xml" => DecodingXml(World.Make(20_000, distinct: false)),
            "encode-small" => WritingSmall(),
            "decode-small" => ReadingSmall(),
            "load-one" => Budgets.LoadingOneScene(),
            "capture" => SceneBudgets.Capturing(),
            "restore" => SceneBudgets.Restoring(),
            _ => throw new ArgumentException($"There is no act \"{name}\".", nameof(name)),
        };
        for (var started = System.Diagnostics.Stopwatch.StartNew(); started.Elapsed.TotalSeconds < seconds;)
            act();

        Action Encoding<T>(T state) where T : IStateType<T> => () => Encode(state, buffer);

        Action Decoding<T>(T state) where T : IStateType<T>
        {
            Encode(state, buffer);
            return () => Decode<T>(buffer.Written);
        }

        Action EncodingXml(World world) => () => EncodeXml(world, buffer);

        Action EncodingJson(World world) => () =>
        {
            buffer.Reset();
            var writer = new JsonStateWriter(new JsonText(buffer, isIndented: false), null);
            World.StateCodec.Write(ref writer, world);
        };

        Action DecodingXml(World world)
        {
            EncodeXml(world, buffer);
            var bytes = buffer.Written.ToArray();
            return () => DecodeXml(bytes);
        }

        static Action WritingSmall()
        {
            var writer = new SaveWriter();
            var journey = Journey.Make(1);
            var terms = new SaveTerms(SaveForm.Binary);
            return () => writer.Write(journey, new SaveHeader { Game = "bench-journey", Version = 1 }, terms);
        }

        static Action ReadingSmall()
        {
            var bytes = StateFile.ToBytes(Journey.Make(1), SaveForm.Binary);
            return () => StateFile.FromBytes<Journey>(bytes);
        }
    }
}

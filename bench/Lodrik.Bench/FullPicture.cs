using System.Buffers;
using BenchmarkDotNet.Attributes;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using MemoryPack;
using MessagePack;

namespace Lodrik.Bench;

/// <summary>The entities in every form, with everything that BenchmarkDotNet measures.</summary>
[MemoryDiagnoser]
public class EntitiesFull
{
    private readonly World _world = World.Make(100_000, distinct: false);
    private readonly PooledBuffer _buffer = new(64 << 20);
    private readonly ArrayBufferWriter<byte> _reference = new(64 << 20);
    private byte[] _binary = [];
    private byte[] _json = [];
    private byte[] _xml = [];
    private byte[] _memoryPack = [];
    private byte[] _messagePack = [];

    /// <summary>Encodes once what is decoded.</summary>
    [GlobalSetup]
    public void SetUp()
    {
        _binary = StateFile.ToBytes(_world, SaveForm.Binary);
        _json = StateFile.ToBytes(_world, SaveForm.Json);
        _xml = StateFile.ToBytes(_world, SaveForm.Xml);
        _memoryPack = MemoryPackSerializer.Serialize(_world);
        _messagePack = MessagePackSerializer.Serialize(_world);
    }

    /// <summary>The content alone.</summary>
    [Benchmark(Baseline = true)]
    public int EncodeBinary()
    {
        _buffer.Reset();
        var writer = new BinaryStateWriter(_buffer);
        World.StateCodec.Write(ref writer, _world);
        return _buffer.Length;
    }

    /// <summary>The reference.</summary>
    [Benchmark]
    public int EncodeMemoryPack()
    {
        _reference.ResetWrittenCount();
        MemoryPackSerializer.Serialize(_reference, _world);
        return _reference.WrittenCount;
    }

    /// <summary>The reference.</summary>
    [Benchmark]
    public int EncodeMessagePack()
    {
        _reference.ResetWrittenCount();
        MessagePackSerializer.Serialize(_reference, _world);
        return _reference.WrittenCount;
    }

    /// <summary>A whole file, with header and digests.</summary>
    [Benchmark]
    public int SaveJson() => StateFile.ToBytes(_world, SaveForm.Json).Length;

    /// <summary>A whole file, with header and digests.</summary>
    [Benchmark]
    public int SaveXml() => StateFile.ToBytes(_world, SaveForm.Xml).Length;

    /// <summary>A whole file, checked.</summary>
    [Benchmark]
    public World LoadBinary() => StateFile.FromBytes<World>(_binary);

    /// <summary>A whole file, checked.</summary>
    [Benchmark]
    public World LoadJson() => StateFile.FromBytes<World>(_json);

    /// <summary>A whole file, checked.</summary>
    [Benchmark]
    public World LoadXml() => StateFile.FromBytes<World>(_xml);

    /// <summary>The reference.</summary>
    [Benchmark]
    public World? DecodeMemoryPack() => MemoryPackSerializer.Deserialize<World>(_memoryPack);

    /// <summary>The reference.</summary>
    [Benchmark]
    public World DecodeMessagePack() => MessagePackSerializer.Deserialize<World>(_messagePack);
}

using Lodrik.Formats.Binary.Tables;
using Lodrik.State;

namespace Lodrik.Formats.Binary;

/// <summary>Logs: lists of which all but the end is copied from what was encoded before.</summary>
internal partial struct BinaryStateWriter
{
    public bool TryWriteLog<T, TCodec>(SaveLog<T> log) where TCodec : IStateCodec<T>
    {
        if (_withoutTables)
            return false;
        // The parts stand one level deeper than the items of a list.
        log.Blocks.BeginFor(typeof(TCodec), _depth + 1);
        if (log.Blocks.CannotBeKept)
            return false;
        var (start, depth) = (buffer.Length, _depth++);
        try
        {
            if (context is { ChecksWhatIsKept: true })
                CheckEnd<T, TCodec>(log);
            if (log.Count < LogBlocks.Size)
                return false;
            WriteParts<T, TCodec>(log);
            return true;
        }
        catch (ContentException)
        {
            // Written like a list, either it can be saved, or the bytes before it tell where the value is that cannot.
            buffer.Truncate(start);
            log.Blocks.CannotBeKept = true;
            return false;
        }
        finally
        {
            _depth = depth;
        }
    }

    /// <summary>Holds the entries that are in no block yet against what they were encoded as last.</summary>
    private readonly void CheckEnd<T, TCodec>(SaveLog<T> log) where TCodec : IStateCodec<T>
    {
        var blocks = log.Blocks;
        if (blocks.End is var (start, block))
            Again<T, TCodec>(log, start, block);
        var kept = blocks.All.Sum(one => one.Count);
        var end = kept + ((log.Count - kept) / LogBlocks.Size * LogBlocks.Size);
        blocks.End = (end, Encode<T, TCodec>(log, end, log.Count - end));
    }

    private void WriteParts<T, TCodec>(SaveLog<T> log) where TCodec : IStateCodec<T>
    {
        var blocks = log.Blocks;
        var at = 0;
        for (var i = 0; i < blocks.All.Count; i++)
        {
            var block = blocks.All[i];
            if (block.Bytes is null || context is { ChecksWhatIsKept: true })
                blocks.Replace(i, Again<T, TCodec>(log, at, block));
            at += block.Count;
        }
        for (; log.Count - at >= LogBlocks.Size; at += LogBlocks.Size)
            blocks.Add(Encode<T, TCodec>(log, at, LogBlocks.Size));
        Head(Cbor.Tag, TableFormat.PartsTag);
        Head(Cbor.Array, (uint)(blocks.All.Count + (log.Count > at ? 1 : 0)));
        foreach (var block in blocks.All)
        {
            buffer.Write(block.Bytes);
            if (block.HasReplacedText && context is not null)
                context.HasReplacedText = true;
        }
        if (log.Count > at)
            ListCodec<T, TCodec>.Write(ref this, log.Entries.GetRange(at, log.Count - at));
    }

    private readonly LogBlock Again<T, TCodec>(SaveLog<T> log, int at, LogBlock block) where TCodec : IStateCodec<T>
    {
        var now = Encode<T, TCodec>(log, at, block.Count);
        if (block.Bytes is not null && !block.Bytes.AsSpan().SequenceEqual(now.Bytes))
            context!.HasChangedEntry = true;
        return now;
    }

    private readonly LogBlock Encode<T, TCodec>(SaveLog<T> log, int at, int count) where TCodec : IStateCodec<T>
    {
        // Without the objects that the section shares: their numbers are others in the next save.
        var own = new WriteContext();
        using var body = new PooledBuffer();
        var writer = new BinaryStateWriter(body, own, _depth);
        ListCodec<T, TCodec>.Write(ref writer, log.Entries.GetRange(at, count));
        return new LogBlock(count, body.Written.ToArray(), own.HasReplacedText);
    }
}

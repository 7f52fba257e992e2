using System.Buffers;
using System.Net;
using System.Net.Http.Headers;

namespace Lodrik.Http;

/// <summary>The body of a request, sent from several pieces of memory without putting them together.</summary>
internal sealed class SequenceContent : HttpContent
{
    private readonly ReadOnlySequence<byte> _bytes;

    public SequenceContent(ReadOnlySequence<byte> bytes)
    {
        _bytes = bytes;
        Headers.ContentType = new MediaTypeHeaderValue("application/octet-stream");
    }

    protected override Task SerializeToStreamAsync(Stream stream, TransportContext? context) =>
        SerializeToStreamAsync(stream, context, CancellationToken.None);

    protected override async Task SerializeToStreamAsync(Stream stream, TransportContext? context, CancellationToken cancellationToken)
    {
        foreach (var segment in _bytes)
            await stream.WriteAsync(segment, cancellationToken).ConfigureAwait(false);
    }

    protected override bool TryComputeLength(out long length)
    {
        length = _bytes.Length;
        return true;
    }
}

using System.Text;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Protection;

/// <summary>
/// The protected header of a COSE structure (RFC 9052 section 3): the algorithm, the key's id, and for a passphrase how its key is made.
/// There is one way only to write it; a reader writes again what it read and compares.
/// </summary>
internal static class CoseHeader
{
    public const string SaltLabel = "salt";
    public const string IterationsLabel = "iterations";
    private const string LabelSaltLabel = "label salt";
    private const int AlgorithmLabel = 1;
    private const int KeyIdLabel = 4;

    /// <param name="algorithm">The algorithm's number (RFC 9053).</param>
    /// <param name="key">The key.</param>
    /// <param name="making">How it is made.</param>
    /// <param name="labelSalt">What the key of an encrypted label is made with; null if it is none.</param>
    public static byte[] Write(int algorithm, SaveKey key, KeyMaking making, byte[]? labelSalt = null)
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        writer.BeginObject(2 + (making.Iterations > 0 ? 2 : 0) + (labelSalt is null ? 0 : 1));
        writer.WriteInteger(AlgorithmLabel);
        writer.WriteInteger(algorithm);
        writer.WriteInteger(KeyIdLabel);
        writer.WriteBytes(Encoding.ASCII.GetBytes(key.Id));
        if (making.Iterations > 0)
        {
            writer.WriteText(SaltLabel);
            writer.WriteBytes(making.Salt);
            writer.WriteText(IterationsLabel);
            writer.WriteInteger(making.Iterations);
        }
        if (labelSalt is not null)
        {
            writer.WriteText(LabelSaltLabel);
            writer.WriteBytes(labelSalt);
        }
        writer.EndObject();
        return buffer.Written.ToArray();
    }

    /// <summary>The key's id, how to make the key, and a label's salt. The rest is compared with what we would have written.</summary>
    /// <exception cref="ContentException">It is no such header.</exception>
    public static (string Id, KeyMaking Making, byte[]? LabelSalt) Read(byte[] header)
    {
        // Behind the map's own head stand its keys and values, one after the other.
        if (header.Length == 0)
            throw new ContentException(SaveErrorCode.Tampered, "The seal has no header.", default);
        var items = new ItemSequence(header.AsSpan(1));
        items.Integer();
        items.Integer();
        items.Integer();
        var id = Encoding.ASCII.GetString(items.Bytes());
        var (making, labelSalt) = (KeyMaking.None, (byte[]?)null);
        while (!items.AreDone)
        {
            if (items.Text() == LabelSaltLabel)
            {
                labelSalt = items.Bytes();
                continue;
            }
            var salt = items.Bytes();
            items.Text();
            making = new KeyMaking(salt, (int)items.Integer());
        }
        return (id, making, labelSalt);
    }

    /// <summary>Reads CBOR items that follow each other without a list around them.</summary>
    private ref struct ItemSequence(ReadOnlySpan<byte> items)
    {
        private BinaryStateReader _reader = new(items);

        public readonly bool AreDone => _reader.Rest.IsEmpty;

        public long Integer() => _reader.ReadInteger(int.MinValue, int.MaxValue);

        public byte[] Bytes() => _reader.ReadBytes();

        public string Text() => _reader.ReadText();
    }
}

using System.Formats.Cbor;

namespace CheckWithoutLodrik;

/// <summary>A packed save: a list in CBOR (RFC 8949) whose last item is a COSE_Mac0 or a COSE_Sign1 (RFC 9052).</summary>
internal static class PackedSave
{
    public static Parts Open(byte[] save, Key key)
    {
        var reader = new CborReader(save);
        reader.ReadTag();
        var items = reader.ReadStartArray() ?? throw new InvalidDataException("The save is not written as saves are.");
        // The layout's number, a digest of the header, the header; then the list of sections: [name, size, digest, …] each.
        reader.ReadInt32();
        reader.ReadByteString();
        reader.ReadByteString();
        var names = NamesOf(reader.ReadByteString());
        if (items != names.Count + 5)
            throw new InvalidDataException("The save has other sections than it lists.");
        var sections = new List<(string, int, int)>();
        foreach (var name in names)
        {
            var length = reader.ReadByteString().Length;
            sections.Add((name, save.Length - reader.BytesRemaining - length, length));
        }
        var start = save.Length - reader.BytesRemaining;
        var seal = reader.ReadEncodedValue();
        reader.ReadEndArray();
        return new Parts(sections, start, seal.Length, Verify(seal, key));
    }

    private static List<string> NamesOf(byte[] table)
    {
        var names = new List<string>();
        var reader = new CborReader(table);
        reader.ReadStartArray();
        while (reader.PeekState() != CborReaderState.EndArray)
        {
            var values = reader.ReadStartArray();
            names.Add(reader.ReadTextString());
            for (var i = 1; i < values; i++)
                reader.SkipValue();
            reader.ReadEndArray();
        }
        return names;
    }

    private static Seal Verify(ReadOnlyMemory<byte> cose, Key key)
    {
        var reader = new CborReader(cose);
        if (reader.PeekState() != CborReaderState.Tag || reader.ReadTag() != (CborTag)(key.IsPublic ? 18 : 17))
            throw new InvalidDataException("There is no seal, or one of another kind.");
        reader.ReadStartArray();
        var header = reader.ReadByteString();
        reader.SkipValue();
        var payload = reader.ReadByteString();
        var tag = reader.ReadByteString();

        var map = new CborReader(header);
        map.ReadStartMap();
        if (map.ReadInt32() != 1 || map.ReadInt32() != key.Algorithm.Cose)
            throw new InvalidDataException("The seal is made by another algorithm.");

        // RFC 9052 sections 4.4 and 6.3.
        var message = new CborWriter();
        message.WriteStartArray(4);
        message.WriteTextString(key.IsPublic ? "Signature1" : "MAC0");
        message.WriteByteString(header);
        message.WriteByteString([]);
        message.WriteByteString(payload);
        message.WriteEndArray();
        if (!key.Fits(message.Encode(), tag))
            throw new InvalidDataException("The seal does not fit the key.");

        var content = new CborReader(payload);
        content.ReadStartArray();
        var frame = content.ReadByteString();
        var sections = new List<(string, byte[])>();
        content.ReadStartArray();
        while (content.PeekState() != CborReaderState.EndArray)
        {
            content.ReadStartArray();
            sections.Add((content.ReadTextString(), content.ReadByteString()));
            content.ReadEndArray();
        }
        return new Seal(frame, sections);
    }
}

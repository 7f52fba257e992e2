using System.Text.Json;
using System.Xml;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>A section whose bytes may be decoded. There is no other way to a decoder than through this type.</summary>
internal sealed class VerifiedSection(
    SaveForm form, ReadOnlyMemory<byte> file, SectionSlice slice, SectionHealth health, SaveLocation location, string? name = null,
    VerifiedSection? shared = null)
    : UndecodedSection
{
    public override string Name => name ?? slice.Name;

    /// <summary>The size of what is decoded.</summary>
    public int Bytes => slice.Length;

    public override bool IsIntact => health == SectionHealth.Intact;

    /// <summary>The same section under its name within a group.</summary>
    public VerifiedSection Within(string group) => new(form, file, slice, health, location, slice.Name[(group.Length + 1)..], shared);

    /// <summary>The same content under the name that a migration gave it.</summary>
    public VerifiedSection Renamed(string newName) => new(form, file, new SectionSlice(newName, slice.Offset, slice.Length), health, location, null, shared);

    public override void Decode(ISectionDecoder decoder)
    {
        using var reading = SharedReading.Begin(shared is null ? null : new SharedSection(shared, location));
        DecodeContent(decoder);
        reading.Fill();
    }

    private void DecodeContent(ISectionDecoder decoder)
    {
        try
        {
            switch (form)
            {
                case SaveForm.Json:
                    DecodeJson(decoder);
                    break;
                case SaveForm.Xml:
                    DecodeXml(decoder);
                    break;
                default:
                    DecodeBinary(decoder);
                    break;
            }
        }
        catch (Exception exception) when (exception is ContentException or JsonException or XmlException)
        {
            throw ContentErrors.InSection(exception, form, file, slice, location);
        }
    }

    private void DecodeJson(ISectionDecoder decoder)
    {
        var reader = new JsonStateReader(file.Span.Slice(slice.Offset, slice.Length));
        try
        {
            decoder.Decode(ref reader);
            reader.End();
        }
        catch (Exception exception) when (IsOfTheGame(exception))
        {
            throw Refused(exception, reader.Place);
        }
    }

    private void DecodeXml(ISectionDecoder decoder)
    {
        using var xml = XmlReader.Create(new MemoryStream(file.Slice(slice.Offset, slice.Length).ToArray()), XmlStateReader.Settings);
        var reader = new XmlStateReader(xml);
        try
        {
            decoder.Decode(ref reader);
            reader.End();
        }
        catch (Exception exception) when (IsOfTheGame(exception))
        {
            throw Refused(exception, reader.Place);
        }
    }

    private void DecodeBinary(ISectionDecoder decoder)
    {
        var reader = new BinaryStateReader(file.Span.Slice(slice.Offset, slice.Length));
        try
        {
            decoder.Decode(ref reader);
            reader.End();
        }
        catch (Exception exception) when (IsOfTheGame(exception))
        {
            throw Refused(exception, reader.Place);
        }
    }

    /// <summary>The game's own setters run while a section is decoded; whatever they refuse is a value that could not be taken.</summary>
    private static bool IsOfTheGame(Exception exception) => exception is not (ContentException or JsonException or XmlException or SaveException or OutOfMemoryException);

    private static ContentException Refused(Exception exception, ContentPlace place) =>
        new(SaveErrorCode.WrongContent, $"The value could not be taken: {exception.Message}", place, exception);
}

using System.Text;
using System.Text.Json;
using System.Xml;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Json;
using Lodrik.Formats.Xml;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>
/// Turns what a format's reader found wrong into an error that names the place as a person looks for it: the section, the
/// path, and in text forms the line and the column of the file.
/// </summary>
internal static class ContentErrors
{
    /// <summary>Only what can be read can be mended by hand.</summary>
    private static string OlderGeneration(SaveForm form) =>
        form == SaveForm.Binary ? "Load an older generation." : "Load an older generation, or mend the file by hand at this place.";

    /// <summary>The file's own layout cannot be made out.</summary>
    public static SaveException Damaged(Exception exception, SaveForm form, ReadOnlyMemory<byte> file, SaveLocation location)
    {
        var place = PlaceOf(exception, form, file.Span);
        location = InFile(form, file, place).Within(location);
        return exception is ContentException content
            ? new DamagedSaveException(content.Code == SaveErrorCode.WrongContent ? SaveErrorCode.Damaged : content.Code, content.Message, location, OlderGeneration(form))
            : new DamagedSaveException(SaveErrorCode.Damaged, NotWellFormed(form), location, OlderGeneration(form), exception);
    }

    /// <summary>A section's content does not fit.</summary>
    public static SaveException InSection(Exception exception, SaveForm form, ReadOnlyMemory<byte> file, SectionSlice slice, SaveLocation location)
    {
        var bytes = file.Slice(slice.Offset, slice.Length);
        var place = PlaceOf(exception, form, bytes.Span);
        var path = form switch
        {
            SaveForm.Json => JsonPlace.PointerAt(bytes.Span, place.Offset),
            SaveForm.Xml => XmlPlace.PointerAt(bytes, place.Line, place.Column),
            _ => BinaryPlace.PointerAt(bytes.Span, place),
        };
        location = new SaveLocation { Section = slice.Name.Length == 0 ? null : slice.Name, Path = path.Length == 0 ? null : path }.Within(location);
        if (form == SaveForm.Json)
            location = TextPlace(file.Span, slice.Offset + place.Offset).Within(location);
        else if (form == SaveForm.Xml)
            location = Shifted(file.Span, slice.Offset, place).Within(location);
        return exception switch
        {
            ContentException { Code: SaveErrorCode.WrongContent or SaveErrorCode.Invalid } content =>
                new SaveContentException(content.Code, content.Message, location, "Mend the value, or load an older generation.", content.InnerException),
            ContentException content => new DamagedSaveException(content.Code, content.Message, location, OlderGeneration(form)),
            _ => new DamagedSaveException(SaveErrorCode.Damaged, NotWellFormed(form), location, OlderGeneration(form), exception),
        };
    }

    /// <summary>The line and the column of an offset in a text file.</summary>
    public static SaveLocation TextPlace(ReadOnlySpan<byte> file, long offset)
    {
        var before = file[..(int)Math.Clamp(offset, 0, file.Length)];
        var lineStart = before.LastIndexOf((byte)'\n') + 1;
        return new SaveLocation
        {
            Line = 1 + before.Count((byte)'\n'),
            Column = 1 + Encoding.UTF8.GetCharCount(before[lineStart..]),
        };
    }

    private static SaveLocation InFile(SaveForm form, ReadOnlyMemory<byte> file, ContentPlace place)
    {
        switch (form)
        {
            case SaveForm.Json:
                var pointer = JsonPlace.PointerAt(file.Span, place.Offset);
                return TextPlace(file.Span, place.Offset) with { Path = pointer.Length == 0 ? null : pointer };
            case SaveForm.Xml:
                return place.Line > 0 ? new SaveLocation { Line = place.Line, Column = place.Column } : TextPlace(file.Span, place.Offset);
            default:
                return default;
        }
    }

    private static ContentPlace PlaceOf(Exception exception, SaveForm form, ReadOnlySpan<byte> bytes) => exception switch
    {
        ContentException content => content.Place,
        JsonException json => new ContentPlace(OffsetOf(bytes, json.LineNumber ?? 0, json.BytePositionInLine ?? 0)),
        XmlException xml => new ContentPlace(0, xml.LineNumber, xml.LinePosition),
        _ => form == SaveForm.Xml ? new ContentPlace(0, int.MaxValue, int.MaxValue) : new ContentPlace(long.MaxValue),
    };

    private static SaveLocation Shifted(ReadOnlySpan<byte> file, int offset, ContentPlace place)
    {
        if (place.Line is 0 or int.MaxValue)
            return default;
        var start = TextPlace(file, offset);
        return new SaveLocation
        {
            Line = start.Line + place.Line - 1,
            Column = place.Line == 1 ? start.Column + place.Column - 1 : place.Column,
        };
    }

    private static long OffsetOf(ReadOnlySpan<byte> bytes, long line, long column)
    {
        var offset = 0;
        for (; line > 0; line--)
        {
            var end = bytes[offset..].IndexOf((byte)'\n');
            if (end < 0)
                break;
            offset += end + 1;
        }
        return offset + column;
    }

    private static string NotWellFormed(SaveForm form) =>
        form == SaveForm.Json ? "The file is not well-formed JSON from here on." : "The file is not well-formed XML from here on.";
}

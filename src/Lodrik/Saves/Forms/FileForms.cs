namespace Lodrik.Saves.Forms;

/// <summary>The forms that there are, and the one switch in the source that picks one.</summary>
internal static class FileForms
{
    private static readonly JsonFile Json = new();
    private static readonly XmlFile Xml = new();

    /// <summary>Packed files: binary content, and content of any form that is compressed or encrypted.</summary>
    public static PackedFile Packed { get; } = new();

    /// <summary>All forms, in the order in which they are recognised.</summary>
    public static IReadOnlyList<FileForm> All { get; } = [Packed, Json, Xml];

    /// <summary>The form of that name.</summary>
    /// <exception cref="ArgumentOutOfRangeException">There is no such form.</exception>
    public static FileForm Of(SaveForm form) => form switch
    {
        SaveForm.Json => Json,
        SaveForm.Xml => Xml,
        SaveForm.Binary => Packed,
        _ => throw new ArgumentOutOfRangeException(nameof(form), form, $"{(int)form} is not a valid form."),
    };

    /// <summary>Recognises the form by the first bytes (byte order mark and white space aside).</summary>
    /// <exception cref="DamagedSaveException">No form begins like this.</exception>
    public static FileForm Recognise(ReadOnlySpan<byte> bytes, SaveLocation location)
    {
        foreach (var form in All)
        {
            if (form.IsBeginning(bytes))
                return form;
        }
        throw bytes.IsEmpty
            ? new DamagedSaveException(
                SaveErrorCode.NotASave, "The file is empty.", location, "Load an older generation or a copy, or delete the file.")
            : Packed.IsBeginningOf(bytes)
                ? new DamagedSaveException(
                    SaveErrorCode.Damaged, "The file is cut off after its first bytes.", location, "Load an older generation or a copy.")
                : new DamagedSaveException(
                    SaveErrorCode.NotASave, "This is not a save: it begins like neither JSON nor XML nor a packed save.",
                    location, "Check that this is the right file.");
    }

    /// <summary>The form of the sections' content: another than the file's in a packed save whose content is text.</summary>
    public static FileForm ContentOf(FileForm file, FileParts parts) => parts.ContentForm is { } form ? Of(form) : file;
}

using Lodrik.Protection;
using Lodrik.Saves.Forms;

namespace Lodrik.Saves.Writing;

/// <summary>How a save is written.</summary>
/// <param name="Form">The form of its content.</param>
/// <param name="IsIndented">Whether a readable form is laid out for people.</param>
/// <param name="Compression">How its sections are compressed.</param>
/// <param name="Protection">How it is sealed or encrypted; null for not at all.</param>
internal sealed record SaveTerms(
    SaveForm Form, bool IsIndented = true, SaveCompression Compression = SaveCompression.None, SaveProtection? Protection = null)
{
    /// <summary>The form of the content.</summary>
    public FileForm Content => FileForms.Of(Form);

    /// <summary>The form of the file: that of its content, unless that is compressed or encrypted.</summary>
    public FileForm File => Compression == SaveCompression.None && Protection is not { IsEncrypted: true } ? Content : FileForms.Packed;
}

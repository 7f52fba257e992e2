using Lodrik.Saves.Forms;

namespace Lodrik;

/// <summary>How the content of a save is written. The same generated code serves all three.</summary>
public enum SaveForm
{
    /// <summary>JSON (RFC 8259): readable, and the easiest to edit by hand.</summary>
    Json,

    /// <summary>XML 1.0: readable, with elements for members.</summary>
    Xml,

    /// <summary>CBOR (RFC 8949): compact and fast.</summary>
    Binary,
}

/// <summary>What a form is called.</summary>
public static class SaveForms
{
    /// <summary>The form's name in a sentence: JSON, XML, binary.</summary>
    public static string DisplayName(this SaveForm form) => FileForm.Of(form).DisplayName;

    /// <summary>The extension that files of this form have unless the game chooses another, with its dot.</summary>
    public static string FileExtension(this SaveForm form) => FileForm.Of(form).Extension;
}

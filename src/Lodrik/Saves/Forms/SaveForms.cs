using Lodrik.Saves.Forms;

namespace Lodrik;

/// <summary>What a form is called.</summary>
public static class SaveForms
{
    /// <summary>The form's name in a sentence: JSON, XML, binary.</summary>
    public static string DisplayName(this SaveForm form) => FileForms.Of(form).DisplayName;

    /// <summary>The extension that files of this form have unless the game chooses another, with its dot.</summary>
    public static string FileExtension(this SaveForm form) => FileForms.Of(form).Extension;
}

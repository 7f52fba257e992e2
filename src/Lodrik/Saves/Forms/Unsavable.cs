using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>A state that cannot be saved as it is.</summary>
internal static class Unsavable
{
    private const int LongestPath = 200;

    public static UnsavableStateException At(ContentException content, string section, string path) => new(
        content.Code,
        content.Message,
        new SaveLocation { Section = section, Path = path.Length <= LongestPath ? path : path[..LongestPath] + "…" },
        content.Code switch
        {
            SaveErrorCode.TooDeep => "Leave the member that leads back out with [NotSaved], and set it again after loading.",
            SaveErrorCode.UndeclaredType => "Declare the member with the object's own type, or name its variants with [SaveVariant].",
            _ => null,
        },
        content);
}

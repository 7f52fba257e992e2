namespace Lodrik.Saves;

/// <summary>The names of a file's own parts, which no section may have.</summary>
internal static class FileWords
{
    public const string Header = "lodrik";
    public const string HeaderDigest = "headerDigest";
    public const string Contents = "contents";
    public const string Seal = "seal";

    /// <summary>Whether a section may not have this name.</summary>
    public static bool IsReserved(string name) => name is Header or HeaderDigest or Contents or Seal;
}

namespace Lodrik.Site;

/// <summary>Where the documents are.</summary>
internal static class Repository
{
    /// <summary>The folder of the sources, above this program.</summary>
    public static string Folder
    {
        get
        {
            for (var folder = AppContext.BaseDirectory; folder is not null; folder = Path.GetDirectoryName(folder))
            {
                if (File.Exists(Path.Combine(folder, "Lodrik.slnx")))
                    return folder;
            }
            throw new InvalidOperationException("This program has to be run from the sources: dotnet run --project tools/Lodrik.Site.");
        }
    }
}

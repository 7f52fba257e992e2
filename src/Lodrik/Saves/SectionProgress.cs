using Lodrik.Inspection;

namespace Lodrik.Saves;

/// <summary>Tells how far something has got that goes through the sections of a save, by their sizes.</summary>
internal sealed class SectionProgress(SavedFile file, IProgress<double>? progress)
{
    private readonly long _whole = Math.Max(file.Sections.Sum(section => (long)section.ByteCount), 1);
    private long _done;

    /// <summary>Says that a section is the next, and what comes before it is done.</summary>
    /// <returns>The value, as it was given.</returns>
    public T Next<T>(string section, T value)
    {
        progress?.Report((double)_done / _whole);
        _done += file.Sections.FirstOrDefault(one => one.Name == section)?.ByteCount ?? 0;
        return value;
    }
}

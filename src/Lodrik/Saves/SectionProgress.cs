namespace Lodrik.Saves;

/// <summary>Tells how far something has got that goes through the sections of a save, by their sizes.</summary>
/// <param name="sizes">The sizes of the sections in bytes, by their names.</param>
/// <param name="progress">Who is told; null for nobody.</param>
internal sealed class SectionProgress(IReadOnlyDictionary<string, long> sizes, IProgress<double>? progress)
{
    private readonly long _whole = Math.Max(sizes.Values.Sum(), 1);
    private long _done;

    /// <summary>Says that a section is the next, and what comes before it is done.</summary>
    /// <returns>The value, as it was given.</returns>
    public T Next<T>(string section, T value)
    {
        progress?.Report((double)_done / _whole);
        _done += sizes.GetValueOrDefault(section);
        return value;
    }
}

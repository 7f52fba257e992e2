using System.Globalization;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// How slots and generations lie in a storage: <c>slots/evening/00000007.json</c>. Anything else in there is left alone.
/// </summary>
internal sealed class SlotFiles(ISaveStorage storage, SaveProtection? protection = null)
{
    public const string Folder = "slots";
    public const string ThumbnailExtension = ".png";

    /// <summary>What is read of a file for its header at first; most headers and their file's beginning fit.</summary>
    private const int HeaderBytes = 4096;

    /// <summary>What is read in one go, between two looks at whether the load was given up.</summary>
    private const int ReadAtOnce = 1 << 20;

    public ISaveStorage Storage => storage;

    /// <summary>All slots that have a generation, each with its generations, newest first.</summary>
    public SortedDictionary<SlotName, List<Generation>> All()
    {
        var slots = new SortedDictionary<SlotName, List<Generation>>();
        foreach (var file in storage.List(Folder))
        {
            if (!TryParse(file, out var slot, out var generation))
                continue;
            if (!slots.TryGetValue(slot, out var generations))
                slots.Add(slot, generations = []);
            generations.Add(generation);
        }
        foreach (var generations in slots.Values)
            SortNewestFirst(generations);
        return slots;
    }

    /// <summary>The generations of one slot, newest first.</summary>
    public List<Generation> Of(SlotName slot)
    {
        var generations = ListOf(slot);
        // While another process puts a new generation in place of the only one, a listing may see neither.
        if (generations.Count == 0)
            generations = ListOf(slot);
        SortNewestFirst(generations);
        return generations;
    }

    private List<Generation> ListOf(SlotName slot)
    {
        var generations = new List<Generation>();
        foreach (var file in storage.List($"{Folder}/{slot}"))
        {
            if (TryParse(file, out _, out var generation))
                generations.Add(generation);
        }
        return generations;
    }

    /// <summary>The names of all slots that differ from this one by upper and lower case only.</summary>
    public IEnumerable<SlotName> Lookalikes(SlotName slot) =>
        All().Keys.Where(other => other != slot && string.Equals(other.ToString(), slot.ToString(), StringComparison.OrdinalIgnoreCase));

    /// <summary>The playthrough of a generation; all zeros where it cannot be told.</summary>
    public Guid PlaythroughOf(SlotName slot, Generation generation)
    {
        try
        {
            return ReadHeader(slot, generation)?.Playthrough ?? default;
        }
        catch (SaveException exception) when (exception is not GenerationGoneException)
        {
            return default;
        }
    }

    /// <summary>The name of a generation's picture.</summary>
    public static string ThumbnailOf(SlotName slot, int generation) => NameOf(slot, generation, ThumbnailExtension);

    /// <summary>Deletes a generation. Its picture goes first: one without a save would be taken for a later save's.</summary>
    public void Delete(SlotName slot, Generation generation)
    {
        storage.Delete(ThumbnailOf(slot, generation.Number));
        storage.Delete(generation.File);
    }

    public static string NameOf(SlotName slot, int generation, string extension) =>
        string.Create(CultureInfo.InvariantCulture, $"{Folder}/{slot}/{generation:D8}{extension}");

    public SaveLocation Locate(SlotName slot, Generation generation) => new()
    {
        Slot = slot.ToString(),
        Generation = generation.Number,
        File = storage.Locate(generation.File),
    };

    /// <summary>Opens a generation.</summary>
    /// <exception cref="SaveException">It is damaged, or gone.</exception>
    public SavedFile Open(SlotName slot, Generation generation) => SavedFile.FromBytes(
        storage.Read(generation.File) ?? throw new GenerationGoneException(Locate(slot, generation)), Locate(slot, generation));

    /// <summary>Opens a generation bit by bit.</summary>
    /// <exception cref="SaveException">It is damaged, or gone.</exception>
    /// <exception cref="OperationCanceledException">It was given up.</exception>
    public SavedFile Open(SlotName slot, Generation generation, IProgress<SaveProgress>? progress, CancellationToken cancellationToken)
    {
        if (generation.ByteCount <= ReadAtOnce)
            return Open(slot, generation);
        var bytes = new byte[generation.ByteCount];
        for (var read = 0; read < bytes.Length;)
        {
            cancellationToken.ThrowIfCancellationRequested();
            var part = storage.Read(generation.File, read, ReadAtOnce) ?? throw new GenerationGoneException(Locate(slot, generation));
            if (part.Length == 0)
            {
                // The file became shorter since it was listed: what is left is for the digests to judge.
                Array.Resize(ref bytes, read);
                break;
            }
            part.AsSpan(0, Math.Min(part.Length, bytes.Length - read)).CopyTo(bytes.AsSpan(read));
            read += part.Length;
            progress?.Report(new SaveProgress(SaveStage.Reading, Math.Min(read, bytes.Length), bytes.Length));
        }
        return SavedFile.FromBytes(bytes, Locate(slot, generation));
    }

    /// <summary>
    /// Reads what takes a list and then the files on it. Another process may save meanwhile and take its oldest generations away; then
    /// the list is an old one, and all is read anew. A reader never waits for a writer.
    /// </summary>
    /// <exception cref="StorageException">A file is gone each time anew, which no game's saving can explain.</exception>
    public static TResult Read<TResult>(Func<TResult> read)
    {
        const int Attempts = 100;
        for (var attempt = 1; ; attempt++)
        {
            try
            {
                return read();
            }
            catch (GenerationGoneException) when (attempt < Attempts)
            {
            }
        }
    }

    /// <summary>The sections of a generation that match their digest; none where not even they can be told.</summary>
    public IReadOnlyList<string> WholeSections(SlotName slot, Generation generation)
    {
        try
        {
            return [.. Open(slot, generation).Sections.Where(section => section.Health == SectionHealth.Intact)
                .Select(section => section.Name)];
        }
        catch (SaveException exception) when (exception is not GenerationGoneException)
        {
            return [];
        }
    }

    /// <summary>Reads a generation's header and as little else as it can; null for a file written wholly by hand.</summary>
    /// <exception cref="SaveException">It cannot be read.</exception>
    public SaveHeader? ReadHeader(SlotName slot, Generation generation)
    {
        var location = Locate(slot, generation);
        for (var count = HeaderBytes; ; count *= 8)
        {
            var start = storage.Read(generation.File, 0, count) ?? throw new GenerationGoneException(location);
            var header = FileForm.Recognise(start, location).FindHeader(start);
            if (header is null && start.Length < count)
                header = SavedFile.FromBytes(start, location).Header;
            else if (header is null)
                continue;
            return protection is null ? header : HiddenLabel.Reveal(header, protection.Keys);
        }
    }

    /// <summary>Describes a generation, whether or not its header can be read.</summary>
    public GenerationSummary Describe(SlotName slot, Generation generation)
    {
        try
        {
            return new GenerationSummary(
                slot, generation.Number, generation.File, generation.ByteCount, ReadHeader(slot, generation), null);
        }
        catch (SaveException problem) when (problem is not GenerationGoneException)
        {
            return new GenerationSummary(slot, generation.Number, generation.File, generation.ByteCount, null, problem);
        }
    }

    /// <summary>Describes a slot: quick and auto once for each playthrough, as each has a ring of its own.</summary>
    public IEnumerable<SlotSummary> SummariseAll(SlotName slot, List<Generation> generations) => slot.IsRing
        ? generations.GroupBy(generation => PlaythroughOf(slot, generation)).Select(ring => Summarise(slot, [.. ring]))
        : [Summarise(slot, generations)];

    /// <summary>Describes a slot by its newest generation whose header can be read.</summary>
    public SlotSummary Summarise(SlotName slot, List<Generation> generations)
    {
        SaveException? problem = null;
        foreach (var generation in generations)
        {
            try
            {
                var header = ReadHeader(slot, generation);
                return new SlotSummary(
                    slot, generations, generation, header, problem is null ? SlotHealth.Readable : SlotHealth.FellBack, problem);
            }
            catch (SaveException exception) when (exception is not GenerationGoneException)
            {
                problem ??= exception;
            }
        }
        return new SlotSummary(slot, generations, generations[0], null, SlotHealth.Damaged, problem);
    }

    private static bool TryParse(StoredFile file, out SlotName slot, out Generation generation)
    {
        var isGeneration = TryParse(file.Name, out slot, out var number);
        generation = new Generation(number, file.Name, file.ByteCount);
        return isGeneration;
    }

    /// <summary>The slot and the generation that a file is by its name; false where it is neither.</summary>
    public static bool TryParse(string name, out SlotName slot, out int number)
    {
        (slot, number) = (default, 0);
        var steps = name.Split('/');
        if (steps.Length != 3 || steps[0] != Folder || !SlotName.TryParse(steps[1], out slot))
            return false;
        var dot = steps[2].IndexOf('.', StringComparison.Ordinal);
        return dot == 8 && int.TryParse(steps[2].AsSpan(0, dot), NumberStyles.None, CultureInfo.InvariantCulture, out number) && number >= 1
            && !steps[2].AsSpan(dot).SequenceEqual(ThumbnailExtension);
    }

    private static void SortNewestFirst(List<Generation> generations) => generations.Sort((a, b) => b.Number.CompareTo(a.Number));
}

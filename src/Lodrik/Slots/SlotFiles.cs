using System.Globalization;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>How the saves of a storage are read.</summary>
/// <param name="protection">The keys that show hidden titles; null for none.</param>
/// <param name="ownExtension">The game's own file extension; null for none.</param>
/// <param name="allowance">What a save may become in memory; null for what is usual.</param>
internal sealed class SlotReading(SaveProtection? protection, string? ownExtension = null, ReadAllowance? allowance = null)
{
    private volatile SaveProtection? _protection = protection;

    /// <summary>The keys that show hidden titles; null for none.</summary>
    public SaveProtection? Protection { get => _protection; set => _protection = value; }

    public string? OwnExtension => ownExtension;

    public ReadAllowance? Allowance => allowance;
}

/// <summary>
/// How slots and generations lie in a storage: <c>slots/evening/00000007.json</c>. Anything else in there is left alone.
/// </summary>
internal sealed partial class SlotFiles(StorageCalls calls, SlotReading reading, HeaderCache headers)
{
    public const string Folder = "slots";

    /// <summary>How many digits the number of a generation has at least, and at most.</summary>
    private const int Digits = 8;
    private const int MostDigits = 10;

    /// <summary>What files beside a save, and what other programs leave, is never taken for a save.</summary>
    private static readonly string[] NeverSaves = [".png", ".tmp", ".bak", ".old", ".orig", ".part", ".swp"];

    private static readonly System.Buffers.SearchValues<char> ExtensionCharacters =
        System.Buffers.SearchValues.Create("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_-");

    /// <summary>What is read of a file for its header at first; most headers and their file's beginning fit.</summary>
    private const int HeaderBytes = 4096;

    /// <summary>What is read in one go, between two looks at whether the load was given up.</summary>
    private const int ReadAtOnce = 1 << 20;

    /// <summary>What a save may become in memory; null for what is usual.</summary>
    public ReadAllowance? Allowance => reading.Allowance;

    /// <summary>The storage that they are in.</summary>
    public StorageCalls Calls => calls;

    /// <summary>The same, for what has to be done though the caller gave up.</summary>
    public SlotFiles Uncancelled() => new(calls.Uncancelled, reading, headers);

    /// <summary>All slots that have a generation, each with its generations, newest first.</summary>
    public async ValueTask<SortedDictionary<SlotName, List<Generation>>> All()
    {
        var slots = new SortedDictionary<SlotName, List<Generation>>();
        foreach (var (slot, listed) in await List(Folder).ConfigureAwait(false))
        {
            if (listed.Shown.Count > 0)
                slots.Add(slot, listed.Shown);
        }
        return slots;
    }

    /// <summary>The generations of one slot, newest first.</summary>
    public async ValueTask<List<Generation>> Of(SlotName slot) => (await Contents(slot).ConfigureAwait(false)).Shown;

    /// <summary>The generations of a slot that has to be there, newest first.</summary>
    /// <exception cref="SlotException">It is not.</exception>
    public async ValueTask<List<Generation>> OfExisting(SlotName slot)
    {
        var generations = await Of(slot).ConfigureAwait(false);
        return generations.Count > 0 ? generations : throw NoSuchSlot(slot, (await All().ConfigureAwait(false)).Keys);
    }

    /// <summary>A generation that has to be there.</summary>
    /// <exception cref="SlotException">It is not.</exception>
    public async ValueTask<Generation> Find(SlotName slot, int number)
    {
        var generations = await OfExisting(slot).ConfigureAwait(false);
        var index = generations.FindIndex(one => one.Number == number);
        return index >= 0 ? generations[index] : throw new SlotException(
            SaveErrorCode.NoSuchSlot,
            $"Slot '{slot}' has no generation {number}.",
            new SaveLocation { Slot = slot.ToString() },
            $"It has {string.Join(", ", generations.Select(one => one.Number))}.");
    }

    /// <summary>The file of a generation if it is the save with this id; otherwise null.</summary>
    public async ValueTask<string?> FileOf(SlotName slot, int number, Guid save)
    {
        var generation = (await Of(slot).ConfigureAwait(false)).Find(one => one.Number == number);
        return generation.Number == number && (await Describe(slot, generation).ConfigureAwait(false)).Header?.SaveId == save
            ? generation.File
            : null;
    }

    /// <summary>The names of all slots that differ from this one by upper and lower case only.</summary>
    public async ValueTask<List<SlotName>> Lookalikes(SlotName slot) => [.. (await All().ConfigureAwait(false)).Keys.Where(other =>
        other != slot && string.Equals(other.ToString(), slot.ToString(), StringComparison.OrdinalIgnoreCase))];

    /// <summary>The playthrough of a generation; all zeros where it is unknown.</summary>
    public async ValueTask<Guid> PlaythroughOf(SlotName slot, Generation generation)
    {
        try
        {
            return (await ReadHeader(slot, generation).ConfigureAwait(false))?.Playthrough ?? default;
        }
        catch (SaveException exception) when (IsOfOneSave(exception))
        {
            return default;
        }
    }

    /// <summary>A ring's generations by playthrough, in the same order; the playthrough that was saved last comes first.</summary>
    public async ValueTask<OrderedDictionary<Guid, List<Generation>>> RingsOf(SlotName slot, List<Generation> generations)
    {
        var rings = new OrderedDictionary<Guid, List<Generation>>();
        foreach (var generation in generations)
        {
            var playthrough = await PlaythroughOf(slot, generation).ConfigureAwait(false);
            if (!rings.TryGetValue(playthrough, out var ring))
                rings.Add(playthrough, ring = []);
            ring.Add(generation);
        }
        return rings;
    }

    /// <summary>Those of a slot's generations that belong to a playthrough, newest first.</summary>
    public async ValueTask<List<Generation>> RingOf(SlotName slot, Guid playthrough)
    {
        var ring = new List<Generation>();
        foreach (var generation in await Of(slot).ConfigureAwait(false))
        {
            if (await PlaythroughOf(slot, generation).ConfigureAwait(false) == playthrough)
                ring.Add(generation);
        }
        return ring;
    }

    /// <summary>Deletes a generation, and then what belongs to it: a save is never without that.</summary>
    public async ValueTask Delete(SlotName slot, Generation generation)
    {
        IReadOnlyList<string> attachments;
        try
        {
            attachments = Attachments.NamesIn(await ReadHeader(slot, generation).ConfigureAwait(false));
        }
        catch (SaveException exception) when (exception is GenerationGoneException || IsOfOneSave(exception))
        {
            // What belongs to it is unknown, and nobody will ever take it for another save's.
            attachments = [];
        }
        await calls.Delete(generation.File).ConfigureAwait(false);
        foreach (var name in attachments)
            await calls.Delete(AttachmentOf(slot, generation.Number, name)).ConfigureAwait(false);
    }

    /// <summary>Something that is kept beside a save; null if there is none that belongs to it.</summary>
    public async ValueTask<byte[]?> ReadAttachment(SlotName slot, Generation generation, string name)
    {
        SaveHeader? header;
        try
        {
            header = await ReadHeader(slot, generation).ConfigureAwait(false);
        }
        catch (SaveException exception) when (IsOfOneSave(exception))
        {
            return null;
        }
        return Attachments.NamesIn(header).Contains(name)
            && await calls.Read(AttachmentOf(slot, generation.Number, name)).ConfigureAwait(false) is { } bytes
            && Attachments.IsOwn(header, name, bytes) ? bytes : null;
    }

    /// <summary>The file of something that is kept beside a save.</summary>
    public static string AttachmentOf(SlotName slot, int generation, string name) => NameOf(slot, generation, $".{name}");

    public static string NameOf(SlotName slot, int generation, string extension) =>
        string.Create(CultureInfo.InvariantCulture, $"{Folder}/{slot}/{generation:D8}{extension}");

    public SaveLocation Locate(SlotName slot, Generation generation) => new()
    {
        Slot = slot.ToString(),
        Generation = generation.Number,
        File = calls.Locate(generation.File),
    };

    /// <summary>Opens a generation, a large one bit by bit.</summary>
    /// <exception cref="SaveException">It is damaged, or gone.</exception>
    /// <exception cref="OperationCanceledException">It was given up.</exception>
    public async ValueTask<SavedFile> Open(SlotName slot, Generation generation, IProgress<SaveProgress>? progress = null)
    {
        var location = Locate(slot, generation);
        if (generation.ByteCount > Array.MaxLength)
            throw new DamagedSaveException(
                SaveErrorCode.LimitExceeded,
                $"The file has {generation.ByteCount} bytes, and a save can have {Array.MaxLength}.", location);
        if (generation.ByteCount <= ReadAtOnce || (progress is null && !calls.Cancellation.CanBeCanceled))
            return SavedFile.FromBytes(
                await calls.Read(generation.File).ConfigureAwait(false) ?? throw new GenerationGoneException(location), location,
                reading.Allowance);
        var bytes = new byte[generation.ByteCount];
        for (var read = 0; read < bytes.Length;)
        {
            calls.Cancellation.ThrowIfCancellationRequested();
            var part = await calls.ReadRange(generation.File, read, ReadAtOnce).ConfigureAwait(false)
                ?? throw new GenerationGoneException(location);
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
        return SavedFile.FromBytes(bytes, location, reading.Allowance);
    }

    /// <summary>
    /// Reads what takes a list and then the files on it. Somebody may save meanwhile and take the oldest generations away; then the list is
    /// an old one, and all is read again. A reader never waits for a writer, of this process or another.
    /// </summary>
    /// <exception cref="StorageException">A file is gone each time again, which no game's saving can explain.</exception>
    public static async ValueTask<TResult> Read<TResult>(Func<ValueTask<TResult>> read)
    {
        const int Attempts = 100;
        for (var attempt = 1; ; attempt++)
        {
            try
            {
                return await read().ConfigureAwait(false);
            }
            catch (GenerationGoneException) when (attempt < Attempts)
            {
            }
        }
    }

    /// <summary>The sections of a generation that match their digest; none if not even they can be told.</summary>
    public async ValueTask<IReadOnlyList<string>> WholeSections(SlotName slot, Generation generation)
    {
        try
        {
            var file = await Open(slot, generation).ConfigureAwait(false);
            return [.. file.Sections.Where(section => section.Health == SectionHealth.Intact).Select(section => section.Name)];
        }
        catch (SaveException exception) when (IsOfOneSave(exception))
        {
            return [];
        }
    }

    /// <summary>Reads a generation's header and as little else as it can; null for a file written entirely by hand.</summary>
    /// <exception cref="SaveException">It cannot be read.</exception>
    public async ValueTask<SaveHeader?> ReadHeader(SlotName slot, Generation generation)
    {
        if (headers.Find(generation) is { } known)
            return known;
        var location = Locate(slot, generation);
        for (var count = HeaderBytes; ; count = Math.Min(count * 8, SaveHeader.MostBytes))
        {
            var start = await calls.ReadRange(generation.File, 0, count).ConfigureAwait(false)
                ?? throw new GenerationGoneException(location);
            var header = Untrusted.Read(location, () => FileForms.Recognise(start, location).FindHeader(start));
            if (header is null && start.Length < count)
                header = SavedFile.FromBytes(start, location, reading.Allowance).Header;
            else if (header is null && count < SaveHeader.MostBytes)
                continue;
            // A file written entirely by hand has none, and nobody reads a gigabyte to list it.
            if (header is null)
                return null;
            if (reading.Protection is { } protection)
                header = HiddenLabel.Reveal(header, protection.Keys, isListing: true);
            // What stays hidden may be shown once its key was made for something else.
            if (reading.Protection is null || !header!.HasHiddenTitles)
                headers.Add(generation, header!);
            return header;
        }
    }

    /// <summary>Describes a generation, whether or not its header can be read.</summary>
    public async ValueTask<GenerationSummary> Describe(SlotName slot, Generation generation)
    {
        try
        {
            var header = await ReadHeader(slot, generation).ConfigureAwait(false);
            return new GenerationSummary(slot, generation.Number, generation.File, generation.ByteCount, header, null);
        }
        catch (SaveException problem) when (IsOfOneSave(problem))
        {
            return new GenerationSummary(slot, generation.Number, generation.File, generation.ByteCount, null, problem);
        }
    }

    /// <summary>
    /// Whether a problem is one of this save alone, which may be passed over. That a server cannot be reached says nothing of what it has:
    /// no decision may rest on it, such as which save is the newest one, or who a slot belongs to.
    /// </summary>
    public static bool IsOfOneSave(SaveException problem) =>
        problem is not (GenerationGoneException or StorageException { IsOneFile: false });

    /// <summary>As <see cref="Describe"/>, to be shown: what cannot be reached is shown as that.</summary>
    public async ValueTask<GenerationSummary> DescribeToShow(SlotName slot, Generation generation)
    {
        try
        {
            return await Describe(slot, generation).ConfigureAwait(false);
        }
        catch (StorageException problem) when (problem is not GenerationGoneException)
        {
            return new GenerationSummary(slot, generation.Number, generation.File, generation.ByteCount, null, problem);
        }
    }

    /// <summary>Describes every slot; quick and auto once for each playthrough, as each has its own ring.</summary>
    public async ValueTask<List<SlotSummary>> SummariseAll()
    {
        var summaries = new List<SlotSummary>();
        foreach (var (slot, listed) in await List(Folder).ConfigureAwait(false))
        {
            if (listed.Shown.Count == 0)
                continue;
            var name = listed.NameFile is { } file ? await ReadName(file).ConfigureAwait(false) : "";
            var before = summaries.Count;
            try
            {
                IEnumerable<List<Generation>> rings =
                    slot.IsRing ? (await RingsOf(slot, listed.Shown).ConfigureAwait(false)).Values : [listed.Shown];
                foreach (var ring in rings)
                    summaries.Add(await Summarise(slot, ring, slot.IsRing ? "" : name).ConfigureAwait(false));
            }
            catch (StorageException problem) when (problem is not GenerationGoneException)
            {
                // The others are shown all the same.
                summaries.RemoveRange(before, summaries.Count - before);
                summaries.Add(new SlotSummary(slot, name, listed.Shown, listed.Shown[0], null, SlotHealth.Damaged, problem));
            }
        }
        return summaries;
    }

    /// <summary>A slot's newest generation whose header can be read; null if none can.</summary>
    public async ValueTask<Generation?> FirstReadable(SlotName slot, List<Generation> generations)
    {
        foreach (var generation in generations)
        {
            if ((await Describe(slot, generation).ConfigureAwait(false)).Problem is null)
                return generation;
        }
        return null;
    }

    /// <summary>Describes a slot by its newest generation whose header can be read.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="generations">Its generations, newest first.</param>
    /// <param name="name">What the player calls it; null reads that.</param>
    public async ValueTask<SlotSummary> Summarise(SlotName slot, List<Generation> generations, string? name = null)
    {
        name ??= await ReadName(slot).ConfigureAwait(false);
        SaveException? problem = null;
        foreach (var generation in generations)
        {
            try
            {
                var header = await ReadHeader(slot, generation).ConfigureAwait(false);
                return new SlotSummary(
                    slot, name, generations, generation, header, problem is null ? SlotHealth.Readable : SlotHealth.FellBack, problem);
            }
            catch (SaveException exception) when (IsOfOneSave(exception))
            {
                problem ??= exception;
            }
        }
        return new SlotSummary(slot, name, generations, generations[0], null, SlotHealth.Damaged, problem);
    }

    /// <summary>The slot and the generation that a file is by its name; false if it is neither.</summary>
    public static bool TryParse(string name, out SlotName slot, out int number)
    {
        (slot, number) = (default, 0);
        var steps = name.Split('/');
        if (steps.Length != 3 || steps[0] != Folder || !SlotName.TryParse(steps[1], out slot))
            return false;
        // One extension and no more: what is called 00000002.json.bak, 00000009.json~ or 00000002 (copy).json is somebody else's.
        var file = steps[2].AsSpan();
        var dot = file.IndexOf('.');
        return dot is >= Digits and <= MostDigits && (dot == Digits || file[0] != '0')
            && int.TryParse(file[..dot], NumberStyles.None, CultureInfo.InvariantCulture, out number) && number >= 1
            && IsExtension(file[dot..]);
    }

    /// <summary>Whether saves can have such an extension, its dot included.</summary>
    public static bool IsExtension(ReadOnlySpan<char> extension)
    {
        if (extension.Length < 2 || extension[0] != '.' || extension[1..].IndexOfAnyExcept(ExtensionCharacters) >= 0)
            return false;
        foreach (var never in NeverSaves)
        {
            if (extension.Equals(never, StringComparison.OrdinalIgnoreCase))
                return false;
        }
        return true;
    }

    /// <summary>
    /// Whether a file that has the name of a generation is one. The extensions of the forms and the game's own say so; a file with any
    /// other may be from before the game changed that, or a stranger's: its beginning tells.
    /// </summary>
    private async ValueTask<bool> IsSave(StoredFile file)
    {
        var extension = Path.GetExtension(file.Name);
        if (extension == reading.OwnExtension || FileForms.All.Any(form => form.Extension == extension))
            return true;
        try
        {
            return await calls.ReadRange(file.Name, 0, HeaderBytes).ConfigureAwait(false) is { } start
                && Untrusted.Read(default, () => FileForms.Recognise(start, default).FindHeader(start)) is not null;
        }
        catch (SaveException)
        {
            return false;
        }
    }

    /// <summary>There is no such slot; names the one that was most likely meant.</summary>
    public static SlotException NoSuchSlot(SlotName slot, IEnumerable<SlotName> known, string? otherwise = null)
    {
        var names = known.Select(name => name.ToString()).ToList();
        var remedy = State.Spelling.Nearest(slot.ToString(), names) is { } nearest
            ? $"Did you mean \"{nearest}\"?"
            : otherwise ?? (names.Count == 0 ? "There are no slots at all." : $"There are: {string.Join(", ", names.Take(12))}.");
        return new SlotException(SaveErrorCode.NoSuchSlot, "There is no such slot.", new SaveLocation { Slot = slot.ToString() }, remedy);
    }
}

using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// The slots of a storage, whichever game they belong to: all that can be done with saves without the game's types. A
/// <see cref="SaveStore{T}"/> is built on it, and so is the tool.
/// </summary>
/// <remarks>
/// It may be used from several threads; each call is done before the next begins. What changes something keeps other processes from
/// writing.
/// </remarks>
public sealed partial class SaveSlots : IDisposable
{
    private readonly StoreWriter _writer;

    private SaveSlots(ISaveStorage storage, SaveProtection? protection)
    {
        Files = new SlotFiles(storage, protection);
        _writer = StoreWriter.Of(storage);
    }

    /// <summary>Where the saves are.</summary>
    public ISaveStorage Storage => Files.Storage;

    /// <summary>How slots and generations are laid out in the storage.</summary>
    internal SlotFiles Files { get; }

    /// <summary>What is done under this is done alone.</summary>
    internal Lock Gate => _writer.Gate;

    /// <summary>Opens the slots of a storage. Nothing is written.</summary>
    /// <param name="storage">Where the saves are.</param>
    /// <param name="protection">The keys that show hidden titles and summaries; without them they stay hidden.</param>
    public static SaveSlots Open(ISaveStorage storage, SaveProtection? protection = null)
    {
        ArgumentNullException.ThrowIfNull(storage);
        return new SaveSlots(storage, protection);
    }

    /// <summary>Opens the slots of a folder. Nothing is written.</summary>
    /// <param name="folder">The folder of the saves.</param>
    /// <param name="protection">The keys that show hidden titles and summaries; without them they stay hidden.</param>
    public static SaveSlots Open(string folder, SaveProtection? protection = null) => Open(new DirectoryStorage(folder), protection);

    /// <summary>All slots by what their headers say, newest first. A damaged slot is listed as such, at the end.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<SlotSummary> List() => SlotFiles.Read(() =>
    {
        var slots = Files.All().SelectMany(slot => Files.SummariseAll(slot.Key, slot.Value)).ToList();
        slots.Sort((a, b) => b.Saved.CompareTo(a.Saved) is var order and not 0 ? order : a.Slot.CompareTo(b.Slot));
        return slots;
    });

    /// <summary>All generations of a slot, newest first.</summary>
    /// <exception cref="SlotException">There is no such slot; the error names the one that was most likely meant.</exception>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<GenerationSummary> History(SlotName slot) =>
        SlotFiles.Read(() => OfExisting(slot).ConvertAll(generation => Files.Describe(slot, generation)));

    /// <summary>Whether there is such a slot.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public bool Exists(SlotName slot) => Files.Of(slot).Count > 0;

    /// <summary>Opens a save, to be looked into.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="generation">The generation; null for the newest.</param>
    /// <exception cref="SaveException">There is no such slot or generation, or it is damaged.</exception>
    public SavedFile OpenSave(SlotName slot, int? generation = null) =>
        SlotFiles.Read(() => Files.Open(slot, generation is { } number ? Find(slot, number) : OfExisting(slot)[0]));

    /// <summary>The picture of a slot's newest save, or of one generation, as PNG; null where it has none.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public byte[]? ReadThumbnail(SlotName slot, int? generation = null)
    {
        var number = generation ?? Files.Of(slot).FirstOrDefault().Number;
        return number > 0 ? Storage.Read(SlotFiles.ThumbnailOf(slot, number)) : null;
    }

    /// <summary>
    /// Writes a save as the newest generation of a slot, which has to be there; the picture of the one before comes along.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="save">The bytes of the save.</param>
    /// <returns>The number of the new generation.</returns>
    /// <exception cref="SaveException">There is no such slot, the bytes are not a save, or the storage refused.</exception>
    public int Append(SlotName slot, ReadOnlyMemory<byte> save)
    {
        SavedFile.FromBytes(save);
        lock (Gate)
        {
            var newest = OfExisting(slot)[0];
            Hold();
            var number = newest.Number + 1;
            CopyThumbnail(slot, newest, slot, number);
            Storage.Write(SlotFiles.NameOf(slot, number, Path.GetExtension(newest.File)), save, replace: false);
            return number;
        }
    }

    /// <summary>Writes a save as the first generation of a slot that is not there yet.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="save">The bytes of the save.</param>
    /// <exception cref="SlotTakenException">There is such a slot.</exception>
    /// <exception cref="SaveException">The bytes are not a save, or the storage refused.</exception>
    public void Add(SlotName slot, ReadOnlyMemory<byte> save)
    {
        var file = SavedFile.FromBytes(save);
        lock (Gate)
        {
            if (Files.Of(slot) is { Count: > 0 } occupants)
                throw new SlotTakenException(Files.Summarise(slot, occupants));
            Hold();
            Storage.Write(SlotFiles.NameOf(slot, 1, file.Opened.File.Extension), save, replace: false);
        }
    }

    /// <summary>Makes an older generation the slot's newest again. The ones in between stay in the history.</summary>
    /// <returns>The number of the new generation, which has the old one's bytes.</returns>
    /// <exception cref="SaveException">There is no such slot or generation, or it is damaged, or the storage refused.</exception>
    public int Reinstate(SlotName slot, int generation)
    {
        lock (Gate)
        {
            var found = Find(slot, generation);
            Hold();
            // What cannot be loaded is not made the newest.
            if (Files.Open(slot, found).Health == SectionHealth.Damaged)
                throw new DamagedSaveException(
                    SaveErrorCode.Damaged, "The generation is damaged.", Files.Locate(slot, found), "Choose another; nothing was changed.");
            var number = Files.Of(slot)[0].Number + 1;
            CopyGeneration(slot, found, slot, number);
            return number;
        }
    }

    /// <summary>Copies a slot with its history and pictures.</summary>
    /// <param name="from">The slot.</param>
    /// <param name="to">Another slot.</param>
    /// <param name="overwrite">Whether the other slot may hold something; that then becomes older history.</param>
    /// <exception cref="SlotException">There is no such slot.</exception>
    /// <exception cref="SlotTakenException">The other slot holds something, and overwriting was not allowed.</exception>
    /// <exception cref="StorageException">The storage refused.</exception>
    public void Copy(SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused)
    {
        lock (Gate)
        {
            var generations = OfExisting(from);
            if (from == to)
                return;
            var occupants = Files.Of(to);
            if (occupants.Count > 0 && overwrite == Overwrite.Refused)
                throw new SlotTakenException(Files.Summarise(to, occupants));
            Hold();
            var number = occupants.Count > 0 ? occupants[0].Number : 0;
            // Oldest first: were this cut short, what is there is older, and nothing is passed off as newer than it is.
            for (var i = generations.Count - 1; i >= 0; i--)
                CopyGeneration(from, generations[i], to, ++number);
        }
    }

    /// <summary>Gives a slot another name. It is there under one name or both at every moment.</summary>
    /// <inheritdoc cref="Copy"/>
    public void Rename(SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused)
    {
        lock (Gate)
        {
            Copy(from, to, overwrite);
            if (from != to)
                Delete(from);
        }
    }

    /// <summary>Deletes a slot with all its generations.</summary>
    /// <returns>How many generations were deleted; 0 where there was no such slot.</returns>
    /// <exception cref="StorageException">The storage refused.</exception>
    public int Delete(SlotName slot)
    {
        lock (Gate)
        {
            var generations = Files.Of(slot);
            if (generations.Count > 0)
                Hold();
            // Oldest first: were this cut short, what is left is the newest.
            for (var i = generations.Count - 1; i >= 0; i--)
                Files.Delete(slot, generations[i]);
            return generations.Count;
        }
    }

    /// <summary>Deletes one generation of a slot; false where there was none.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public bool Delete(SlotName slot, int generation)
    {
        lock (Gate)
        {
            if (Files.Of(slot).Find(one => one.Number == generation) is not { Number: > 0 } found)
                return false;
            Hold();
            Files.Delete(slot, found);
            return true;
        }
    }

    /// <summary>Lets other processes write, as soon as nobody in this one has these slots open any more.</summary>
    public void Dispose() => _writer.Dispose();

    /// <summary>Makes sure that no other process writes. Called under the gate before anything is changed.</summary>
    /// <exception cref="StoreInUseException">Another process does.</exception>
    internal void Hold() => _writer.Hold();

    /// <summary>The generations of a slot that has to be there, newest first.</summary>
    internal List<Generation> OfExisting(SlotName slot)
    {
        var generations = Files.Of(slot);
        return generations.Count > 0 ? generations : throw SlotException.NoSuchSlot(slot, Files.All().Keys);
    }

    /// <summary>A generation that has to be there.</summary>
    internal Generation Find(SlotName slot, int number)
    {
        var generations = OfExisting(slot);
        var index = generations.FindIndex(one => one.Number == number);
        return index >= 0 ? generations[index] : throw new SlotException(
            SaveErrorCode.NoSuchSlot,
            $"Slot '{slot}' has no generation {number}.",
            new SaveLocation { Slot = slot.ToString() },
            $"It has {string.Join(", ", generations.Select(one => one.Number))}.");
    }

    /// <summary>Writes a generation's bytes once more, its picture first.</summary>
    private void CopyGeneration(SlotName from, Generation generation, SlotName to, int number)
    {
        var bytes = Storage.Read(generation.File)
            ?? throw new StorageException("The file is gone.", Files.Locate(from, generation), "List the slots anew.");
        CopyThumbnail(from, generation, to, number);
        Storage.Write(SlotFiles.NameOf(to, number, Path.GetExtension(generation.File)), bytes, replace: false);
    }

    private void CopyThumbnail(SlotName from, Generation generation, SlotName to, int number)
    {
        if (Storage.Read(SlotFiles.ThumbnailOf(from, generation.Number)) is { } picture)
            Storage.Write(SlotFiles.ThumbnailOf(to, number), picture, replace: true);
    }
}

using Lodrik.Formats;
using Lodrik.Protection;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik;

// What a save screen does beside saving and loading: history, renaming, copying, deleting, and going on.
public sealed partial class SaveStore<T>
{
    /// <summary>Whether there is anything to continue: no file is opened for it.</summary>
    public bool HasSaves
    {
        get
        {
            lock (_gate)
                return _files.All().Count > 0;
        }
    }

    /// <summary>
    /// Reads a file that Lodrik did not write, by the way in that the store's migrations have for such files. It begins a playthrough of
    /// its own, which belongs to no slot until it is saved.
    /// </summary>
    /// <exception cref="InvalidOperationException">The store has no migrations.</exception>
    /// <exception cref="SaveException">The file cannot be read or is not the game's, or a step failed.</exception>
    public T Import(string path)
    {
        var state = (_options.Migrations
            ?? throw new InvalidOperationException("The store was opened without migrations, and does not know how to import files."))
            .Import<T>(path);
        StartPlaythrough();
        return state;
    }

    /// <summary>Saves to the ring of quick saves.</summary>
    /// <inheritdoc cref="Save(SlotName, T, SaveLabel, Overwrite)"/>
    public SaveReceipt QuickSave(T state, SaveLabel? label = null) => Save(SlotName.Quick, state, label);

    /// <summary>Saves to the ring of automatic saves.</summary>
    /// <inheritdoc cref="Save(SlotName, T, SaveLabel, Overwrite)"/>
    public SaveReceipt AutoSave(T state, SaveLabel? label = null) => Save(SlotName.Auto, state, label);

    /// <summary>Loads the newest quick save of the playthrough that is being played.</summary>
    /// <returns>The state, or the answer that there is none.</returns>
    /// <exception cref="SaveException">There are some, and none of them can be loaded.</exception>
    public LoadResult<T> QuickLoad()
    {
        lock (_gate)
        {
            return SlotFiles.Read(() =>
            {
                var ring = _files.Of(SlotName.Quick).FindAll(generation => _files.PlaythroughOf(SlotName.Quick, generation) == Playthrough);
                return LoadFirst([.. ring.Select(generation => (SlotName.Quick, generation))]);
            }) ?? new LoadResult<T>(SlotName.Quick);
        }
    }

    /// <summary>Loads the newest save of all that can be loaded.</summary>
    /// <param name="among">The slots to choose from; none means all.</param>
    /// <returns>
    /// The state, or the answer that there is nothing to continue; <c>PassedOver</c> says what was newer and could not be loaded.
    /// </returns>
    /// <exception cref="SaveException">There are saves, and none of them can be loaded; the newest one's error.</exception>
    public LoadResult<T> Continue(params IReadOnlyCollection<SlotName> among)
    {
        ArgumentNullException.ThrowIfNull(among);
        lock (_gate)
        {
            return SlotFiles.Read(() =>
                LoadFirst([.. Candidates(among).Select(one => (one.Slot, new Generation(one.Number, one.File, one.ByteCount)))]))
                ?? new LoadResult<T>(SlotName.Auto);
        }
    }

    /// <summary>The save that <see cref="Continue"/> would try first, by its header; null where there is none.</summary>
    /// <param name="among">The slots to choose from; none means all.</param>
    public GenerationSummary? Newest(params IReadOnlyCollection<SlotName> among)
    {
        ArgumentNullException.ThrowIfNull(among);
        lock (_gate)
            return SlotFiles.Read(() => Candidates(among).FirstOrDefault(one => one.Problem is null));
    }

    /// <summary>All generations of a slot, newest first.</summary>
    /// <exception cref="SlotException">There is no such slot; the error names the one that was most likely meant.</exception>
    public IReadOnlyList<GenerationSummary> History(SlotName slot)
    {
        lock (_gate)
            return _slots.History(slot);
    }

    /// <summary>Loads one generation of a slot, and no other in its place.</summary>
    /// <exception cref="SaveException">There is no such slot or generation, or it cannot be loaded.</exception>
    public LoadResult<T> LoadGeneration(SlotName slot, int generation)
    {
        lock (_gate)
            return SlotFiles.Read(() => LoadFirst([(slot, _slots.Find(slot, generation))]))!;
    }

    /// <summary>Makes an older generation the slot's newest again. The ones in between stay in the history.</summary>
    /// <returns>The number of the new generation, which has the old one's bytes.</returns>
    /// <exception cref="SaveException">There is no such slot or generation, or it is damaged, or the storage refused.</exception>
    public int Reinstate(SlotName slot, int generation)
    {
        lock (_gate)
        {
            var found = _slots.Find(slot, generation);
            var number = _slots.Reinstate(slot, generation);
            NoteNewest(slot);
            StoreLog.Reinstated(_log, slot, generation, number);
            DropOldGenerations(slot, [.. _files.Of(slot).Where(one => one.Number != number)], _files.PlaythroughOf(slot, found));
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
        lock (_gate)
        {
            _slots.OfExisting(from);
            if (from == to)
                return;
            if (!_slots.Exists(to))
                RefuseNew(to);
            _slots.Copy(from, to, overwrite);
            NoteNewest(to);
            DropOldGenerations(to, [.. _files.Of(to).Skip(1)], Playthrough);
        }
    }

    /// <summary>Gives a slot another name. It is there under one name or both at every moment.</summary>
    /// <inheritdoc cref="Copy"/>
    public void Rename(SlotName from, SlotName to, Overwrite overwrite = Overwrite.Refused)
    {
        lock (_gate)
        {
            if (from == to)
            {
                _slots.OfExisting(from);
                return;
            }
            var isCurrent = CurrentSlot == from;
            Copy(from, to, overwrite);
            Delete(from);
            if (isCurrent)
                CurrentSlot = to;
        }
    }

    /// <summary>
    /// Brings every save of the store under the protection that the store has now, from the one that it had: to a new key, or from seals to
    /// encryption.
    /// </summary>
    /// <inheritdoc cref="SaveSlots.Protect(SaveProtection?, SaveProtection?)" path="/exception"/>
    /// <param name="from">What the saves are checked by; null for saves without a seal.</param>
    /// <returns>
    /// What became of every generation. One that does not fit its old seal stays as it is. It may be run again, and goes on where it was.
    /// </returns>
    public IReadOnlyList<SlotProtection> ProtectAll(SaveProtection? from) => _slots.Protect(from, _options.Protection);

    /// <summary>Deletes one generation of a slot; false where there was none.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public bool Delete(SlotName slot, int generation)
    {
        lock (_gate)
        {
            if (!_slots.Delete(slot, generation))
                return false;
            NoteNewest(slot);
            return true;
        }
    }

    /// <summary>Deletes all slots. Settings stay.</summary>
    /// <returns>How many slots there were.</returns>
    /// <exception cref="StorageException">The storage refused; what is not deleted yet is whole.</exception>
    public int DeleteAll()
    {
        lock (_gate)
        {
            var slots = _files.All().Keys.ToList();
            foreach (var slot in slots)
                Delete(slot);
            return slots.Count;
        }
    }

    /// <summary>The picture of a slot's newest save, or of one generation, as PNG; null where it has none.</summary>
    public byte[]? ReadThumbnail(SlotName slot, int? generation = null)
    {
        lock (_gate)
        {
            return _slots.ReadThumbnail(slot, generation);
        }
    }

    /// <summary>
    /// A slot name that is free, made of what a player typed: "My first night!" becomes my-first-night, or my-first-night-2.
    /// </summary>
    public SlotName FreeName(string title)
    {
        var name = SlotName.FromTitle(title);
        lock (_gate)
        {
            var taken = _files.All().Keys.Select(slot => slot.ToString()).ToHashSet(StringComparer.OrdinalIgnoreCase);
            if (!taken.Contains(name.ToString()))
                return name;
            for (var number = 2; ; number++)
            {
                if (!taken.Contains($"{name}-{number}"))
                    return new SlotName($"{name}-{number}");
            }
        }
    }

    /// <summary>
    /// What would be lost if the game were left now: the differences between the live state and the newest save of this playthrough, or a
    /// fresh state where there is none.
    /// </summary>
    /// <param name="state">The live state.</param>
    /// <param name="ignored">Sections whose changes are no progress, such as a clock.</param>
    /// <exception cref="SaveException">The newest save cannot be loaded, or the state cannot be saved.</exception>
    public IReadOnlyList<StateChange> UnsavedChanges(T state, params IReadOnlyCollection<string> ignored)
    {
        ArgumentNullException.ThrowIfNull(state);
        CheckSections(ignored);
        lock (_gate)
        {
            var newest = Candidates([]).FirstOrDefault(one => one.Header?.Playthrough == Playthrough);
            var file = newest is null ? null : _files.Open(newest.Slot, new Generation(newest.Number, newest.File, newest.ByteCount));
            var saved = file is null ? T.CreateState() : Decode(file, one => StateFile.Decode<T>(one)).State;
            return [.. StateContent.Changes(saved, state, file?.Form ?? SaveForm.Binary)
                .Where(change => !ignored.Any(section => IsWithin(section, change.Path)))];
        }
    }

    /// <summary>Whether a place is in a section, or in one of a group's.</summary>
    private static bool IsWithin(string section, string path)
    {
        var place = $"/{PointerBuilder.Escape(section)}";
        return path == place || path.StartsWith(section.EndsWith('/') ? place : place + "/", StringComparison.Ordinal);
    }

    /// <summary>Whether something would be lost if the game were left now.</summary>
    /// <inheritdoc cref="UnsavedChanges"/>
    public bool WouldLoseProgress(T state, params IReadOnlyCollection<string> ignored) => UnsavedChanges(state, ignored).Count > 0;

    /// <summary>The file of options that belong to no slot.</summary>
    /// <typeparam name="TSettings">Any state type.</typeparam>
    public SettingsFile<TSettings> Settings<TSettings>() where TSettings : IStateType<TSettings> => new(_slots, _options.Form);

    /// <summary>The names of the profiles that have saves or settings.</summary>
    public IReadOnlyList<SlotName> Profiles()
    {
        var storage = (_files.Storage as ProfileStorage)?.Whole ?? _files.Storage;
        return [.. storage.List(ProfileStorage.Folder)
            .Select(file => SlotName.TryParse(file.Name.Split('/')[1], out var name) ? name : (SlotName?)null)
            .OfType<SlotName>().Distinct().Order()];
    }

    /// <summary>
    /// All generations of these slots, newest first. Within a slot the order is that of the generations: one that was reinstated is as
    /// new as what it was put before.
    /// </summary>
    private IEnumerable<GenerationSummary> Candidates(IReadOnlyCollection<SlotName> among) => _files.All()
        .Where(slot => among.Count == 0 || among.Contains(slot.Key))
        .SelectMany(slot =>
        {
            var newest = DateTimeOffset.MinValue;
            return slot.Value.AsEnumerable().Reverse().Select(generation => _files.Describe(slot.Key, generation))
                .Select(summary =>
                    (Summary: summary, Since: newest = summary.Header?.Saved is { } saved && saved > newest ? saved : newest))
                .ToList();
        })
        .OrderByDescending(one => one.Since).ThenByDescending(one => one.Summary.Number)
        .Select(one => one.Summary);

    /// <summary>What the game itself made a slot's newest save was not put back by anyone.</summary>
    private void NoteNewest(SlotName slot)
    {
        if (Counter is not { } counter)
            return;
        var generations = _files.Of(slot);
        if (generations.Count == 0)
            counter.Forget(slot);
        foreach (var header in _files.SummariseAll(slot, generations).Select(summary => summary.Header).OfType<SaveHeader>())
            counter.Note(slot, header.Playthrough, header.WriteNumber ?? 0);
    }
}

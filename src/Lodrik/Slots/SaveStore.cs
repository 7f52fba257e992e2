using Lodrik.Migrations;
using Lodrik.Protection;
using Lodrik.Saves.Writing;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;
using Microsoft.Extensions.Logging;
using Microsoft.Extensions.Logging.Abstractions;

namespace Lodrik;

/// <summary>
/// A game's saves: slots, and in each slot its generations. Saving writes a new generation and never touches the one before;
/// loading takes the newest that is whole.
/// </summary>
/// <typeparam name="T">The game's save root, marked <see cref="SaveFileAttribute"/>.</typeparam>
/// <remarks>
/// A store knows which playthrough is being played: a new one when it is opened or told so, and that of a save once it is
/// loaded. Saving over a slot that holds another playthrough is refused until it is asked for. A store may be used from several
/// threads: what changes saves waits for its turn, and what only looks waits for nobody. Each call that goes to the storage has an
/// asynchronous twin, which works in the background and uses the storage's asynchronous members only.
/// </remarks>
public sealed partial class SaveStore<T> : IDisposable where T : class, IStateRoot<T>
{
    private readonly SaveStoreOptions _options;
    private readonly ILogger _log;
    private readonly TimeProvider _clock;
    private readonly SaveSlots _slots;
    private readonly Lock _currentGate = new();
    private volatile Current _current;

    /// <summary>How much was asked for that may change the current slot, and which of it did so last.</summary>
    private long _asked;
    private long _rememberedBy;

    private SaveStore(SaveStoreOptions options)
    {
        _options = options;
        _log = options.Logger ?? NullLogger.Instance;
        _clock = options.Clock ?? TimeProvider.System;
        var storage = options.Storage ?? new DirectoryStorage(options.Folder ?? PlatformFolder.Of(T.Root.Game, options.Publisher));
        _slots = SaveSlots.Open(
            options.Profile is { } profile ? new ProfileStorage(storage, profile) : storage,
            new SlotReading(options.Protection, options.Extension, options.Allowance));
        _events = options.EventContext ?? SynchronizationContext.Current;
        _terms = new SaveTerms(options.Form, options.Indented, options.Compression, options.Protection);
        _accepted = [options.Protection, .. options.OtherProtections];
        _current = new Current(NewId(), null) { IsUntouched = true };
        _cache = new SectionCache { ChecksWhatIsKept = options.FindsUnmarkedChanges ?? GameBuild.IsForDebugging(typeof(T)) };
    }

    /// <summary>Where the saves are.</summary>
    public string Location => _slots.Storage.Description;

    /// <summary>The playthrough that is being played; every save carries it.</summary>
    public Guid Playthrough => _current.Playthrough;

    /// <summary>The slot that was loaded from or saved to last, other than quick and auto; null before that.</summary>
    public SlotName? CurrentSlot => _current.Slot;

    /// <summary>
    /// The number of the store's last write; 0 if it does not count (<see cref="SaveProtection.HasCounter"/>), or wrote nothing yet.
    /// </summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public long LastWriteNumber() => _slots.Now(LastWriteNumber);

    /// <inheritdoc cref="LastWriteNumber()"/>
    public Task<long> LastWriteNumberAsync(CancellationToken cancellationToken = default) =>
        _slots.InBackground(LastWriteNumber, cancellationToken);

    /// <summary>Opens the game's store. Nothing is written before the first save.</summary>
    /// <param name="options">How the saves are kept.</param>
    /// <exception cref="ArgumentException">An option cannot be.</exception>
    /// <exception cref="MigrationException">
    /// The chain of migrations has a gap, a step twice, or does not lead to the game's version.
    /// </exception>
    public static SaveStore<T> Open(SaveStoreOptions options)
    {
        ArgumentNullException.ThrowIfNull(options);
        if (!T.Root.IsSaveFile)
            throw new ArgumentException($"{typeof(T).Name} is a state type; a store needs the game's save root, marked [SaveFile(game)].");
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepGenerations, 1, nameof(options));
        if (!Enum.IsDefined(options.Compression))
            throw new ArgumentException($"{options.Compression} is not a valid compression.", nameof(options));
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepQuick, 1, nameof(options));
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepAuto, 1, nameof(options));
        if (options.KeepPlaythroughs is { } playthroughs)
            ArgumentOutOfRangeException.ThrowIfLessThan(playthroughs, 1, nameof(options));
        if (options.Extension is { } extension && !SlotFiles.IsExtension(extension))
            throw new ArgumentException(
                $"\"{extension}\" cannot be the extension of a save: it has to be a dot and letters or digits, and not one such as "
                    + ".png, .tmp or .bak.",
                nameof(options));
        if (options is { Folder: not null, Storage: not null })
            throw new ArgumentException("Give a folder or a storage, not both.", nameof(options));
        if (options.InvalidSaves is SaveTreatment.Load or SaveTreatment.Mark)
            throw new ArgumentException("A save that the game's own rules refuse cannot be loaded. Choose PassOver or Refuse for "
                + "InvalidSaves.", nameof(options));
        options.Migrations?.Check(T.Root);
        options.Protection?.Check();
        ArgumentNullException.ThrowIfNull(options.OtherProtections);
        foreach (var other in options.OtherProtections)
            other.Check();
        var store = new SaveStore<T>(options);
        if (options.WarmsUp)
            _ = store.WarmUpAsync();
        return store;
    }

    /// <summary>Opens the game's store with the defaults: readable JSON in the platform's place.</summary>
    public static SaveStore<T> Open() => Open(new SaveStoreOptions());

    /// <summary>Opens the game's store in a folder.</summary>
    public static SaveStore<T> Open(string folder) => Open(new SaveStoreOptions { Folder = folder });

    /// <summary>Begins another playthrough: what is saved from now on belongs to it, and to no slot yet.</summary>
    public void StartPlaythrough()
    {
        lock (_currentGate)
        {
            _rememberedBy = ++_asked;
            _current = new Current(NewId(), null);
        }
    }

    /// <summary>
    /// What saving to the slot would write over: another playthrough, or a save that cannot be read; null if it just saves.
    /// </summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public SlotSummary? WouldOverwrite(SlotName slot) => _slots.Now(files => WouldOverwrite(files, slot));

    /// <inheritdoc cref="WouldOverwrite(SlotName)"/>
    public Task<SlotSummary?> WouldOverwriteAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        _slots.InBackground(files => WouldOverwrite(files, slot), cancellationToken);

    /// <summary>Whether there is such a slot.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public bool Exists(SlotName slot) => _slots.Exists(slot);

    /// <inheritdoc cref="Exists(SlotName)"/>
    public Task<bool> ExistsAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        _slots.ExistsAsync(slot, cancellationToken);

    /// <summary>All slots by what their headers say, newest first. A damaged slot is listed as such.</summary>
    /// <param name="kinds">
    /// Only saves of these kinds; null or none means all. A damaged slot's kind is not known, and it is listed with all only.
    /// </param>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<SlotSummary> List(IReadOnlyCollection<SaveKind>? kinds = null) => Shown(kinds, _slots.List());

    /// <param name="kinds">Only saves of these kinds; null or none means all.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <inheritdoc cref="List(IReadOnlyCollection{SaveKind})"/>
    public async Task<IReadOnlyList<SlotSummary>> ListAsync(
        IReadOnlyCollection<SaveKind>? kinds = null, CancellationToken cancellationToken = default) =>
        Shown(kinds, await _slots.ListAsync(cancellationToken).ConfigureAwait(false));

    /// <summary>The places of the save screen in their order (<see cref="SaveStoreOptions.Places"/>), each with what is in it.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public IReadOnlyList<SlotPlace> Places() => _slots.Now(Places);

    /// <inheritdoc cref="Places()"/>
    public Task<IReadOnlyList<SlotPlace>> PlacesAsync(CancellationToken cancellationToken = default) =>
        _slots.InBackground(Places, cancellationToken);

    /// <summary>Deletes a slot with all its generations; false if there was none.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public bool Delete(SlotName slot) => _slots.ChangeNow(files => Delete(files, slot));

    /// <inheritdoc cref="Delete(SlotName)"/>
    public Task<bool> DeleteAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        _slots.ChangeInBackground(files => Delete(files, slot), cancellationToken);

    private async ValueTask<long> LastWriteNumber(SlotFiles files) => (await Counter(files).ConfigureAwait(false))?.Last ?? 0;

    /// <summary>The store's counter as it is now; null if the store does not count.</summary>
    private async ValueTask<SaveCounter?> Counter(SlotFiles files) => _terms.Protection is { HasCounter: true } protection
        ? await SaveCounter.Read(files.Calls, protection).ConfigureAwait(false)
        : null;

    private async ValueTask<SlotSummary?> WouldOverwrite(SlotFiles files, SlotName slot) => await SlotFiles.Read(async () =>
    {
        var generations = await files.Of(slot).ConfigureAwait(false);
        var occupant = generations.Count > 0 ? await files.Summarise(slot, generations).ConfigureAwait(false) : null;
        return occupant is not null && IsAnothers(slot, occupant, Playthrough) ? occupant : null;
    }).ConfigureAwait(false);

    /// <summary>Slots as this game sees them, newest first.</summary>
    private IReadOnlyList<SlotSummary> Shown(IReadOnlyCollection<SaveKind>? kinds, IReadOnlyList<SlotSummary> slots) => SaveSlots.Sorted(
        slots.Where(slot => kinds is not { Count: > 0 } || (slot.Header is { } header && kinds.Contains(header.Kind))).Select(Judged),
        _clock.GetUtcNow());

    /// <summary>A slot, with what its header alone says against loading it in this game.</summary>
    private SlotSummary Judged(SlotSummary slot)
    {
        if (slot.Header is not { } header || slot.Health == SlotHealth.Damaged)
            return slot;
        var location = new SaveLocation
        {
            Slot = slot.Slot.ToString(),
            Generation = slot.Generation,
            File = _slots.Storage.Locate(slot.File),
        };
        return (header.Game != T.Root.Game, header.Version.CompareTo(T.Root.Version)) switch
        {
            (true, _) => new SlotSummary(slot, SlotHealth.OtherGame, OtherGame(header, location), slot.IsAhead),
            (_, > 0) when _options.NewerSaves is not (SaveTreatment.Load or SaveTreatment.Mark) => With(
                SlotHealth.NewerVersion, SaveErrorCode.NewerVersion,
                $"It is of version {header.Version}, and this game has version {T.Root.Version}."),
            (_, < 0) when _options.Migrations?.LeadsUpFrom(header.Version) != true => With(
                SlotHealth.MissingMigration, SaveErrorCode.MissingMigration,
                $"It is of version {header.Version}, and no migration leads from there to version {T.Root.Version}."),
            _ => slot,
        };

        SlotSummary With(SlotHealth health, SaveErrorCode code, string problem) =>
            new(slot, health, new SaveMismatchException(code, problem, location), slot.IsAhead);
    }

    private ValueTask<IReadOnlyList<SlotPlace>> Places(SlotFiles files) => SlotFiles.Read<IReadOnlyList<SlotPlace>>(async () =>
    {
        var places = new List<SlotPlace>();
        foreach (var slot in _options.Places)
        {
            var generations = await files.Of(slot).ConfigureAwait(false);
            places.Add(new SlotPlace(
                slot, generations.Count > 0 ? Judged(await files.Summarise(slot, generations).ConfigureAwait(false)) : null));
        }
        return places;
    });

    private async ValueTask<bool> Delete(SlotFiles files, SlotName slot, SlotName? successor = null)
    {
        var deleted = await _slots.Delete(files, slot).ConfigureAwait(false);
        // Once more for a rename: what was still there may have been loaded meanwhile.
        Leave(slot, successor);
        if (deleted == 0)
            return false;
        if (await Counter(files).ConfigureAwait(false) is { } counter)
            await counter.Forget(files.Calls, slot).ConfigureAwait(false);
        StoreLog.Deleted(_log, slot, deleted);
        return true;
    }

    private bool IsAnothers(SlotName slot, SlotSummary occupant, Guid playthrough) =>
        !slot.IsRing && slot != CurrentSlot && occupant.Header?.Slot?.Playthrough != playthrough;

    /// <summary>Something is asked for that may change the current slot; what is current now.</summary>
    private (long Asked, Current Current) Ask()
    {
        lock (_currentGate)
            return (++_asked, _current);
    }

    /// <summary>
    /// From here on this playthrough is being played, and this slot is the current one unless it is a ring; but not where something that
    /// was asked for later has decided that.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="playthrough">The playthrough.</param>
    /// <param name="asked">When this was asked for.</param>
    /// <param name="save">What the save says of itself; null if it does not.</param>
    private void Remember(SlotName slot, Guid playthrough, long asked, SaveHeader? save)
    {
        lock (_currentGate)
        {
            if (asked < _rememberedBy)
                return;
            _rememberedBy = asked;
            // Another playthrough's slot is not the one to go on saving to.
            var kept = playthrough == Playthrough ? CurrentSlot : null;
            _current = new Current(
                playthrough, slot.IsRing ? kept : slot, SaveOrder.ClockTimeOf(save), save?.SaveId ?? default);
        }
    }

    /// <summary>A slot that no longer exists is not the current one; the one that took its place is, unless it is a ring.</summary>
    private void Leave(SlotName slot, SlotName? successor = null)
    {
        lock (_currentGate)
        {
            if (CurrentSlot == slot)
                _current = _current with { Slot = successor is { IsRing: false } ? successor : null };
        }
    }

    /// <summary>Deletes what is older than what is kept of a slot.</summary>
    /// <returns>The playthroughs of which nothing is left in it.</returns>
    private async ValueTask<IReadOnlyList<Guid>> DropOldGenerations(
        SlotFiles files, SlotName slot, List<Generation> before, Guid playthrough)
    {
        var dropped = new List<Guid>();
        try
        {
            await Drop(files, slot, before, playthrough, dropped).ConfigureAwait(false);
        }
        catch (StorageException exception)
        {
            // The save itself is done. What cannot be looked at now stays, and is dropped after the next save.
            StoreLog.OldGenerationStays(_log, $"{SlotFiles.Folder}/{slot}", exception.Message);
        }
        return dropped;
    }

    private async ValueTask Drop(SlotFiles files, SlotName slot, List<Generation> before, Guid playthrough, List<Guid> dropped)
    {
        var keep = slot == SlotName.Quick ? _options.KeepQuick : slot == SlotName.Auto ? _options.KeepAuto : _options.KeepGenerations;
        if (!slot.IsRing)
        {
            await DropBeyond(files, slot, before, keep - 1).ConfigureAwait(false);
            return;
        }
        // A ring is one playthrough's: a new one never pushes out the newest save of the one before.
        var others = 0;
        foreach (var (owner, ring) in await files.RingsOf(slot, before).ConfigureAwait(false))
        {
            if (owner == playthrough)
                await DropBeyond(files, slot, ring, keep - 1).ConfigureAwait(false);
            else if (owner == default || slot == SlotName.Quick)
                // The player made them, or their playthrough is unknown.
                continue;
            else if (++others < (_options.KeepPlaythroughs ?? int.MaxValue))
                await DropBeyond(files, slot, ring, 1).ConfigureAwait(false);
            else if (await DropBeyond(files, slot, ring, 0).ConfigureAwait(false))
                dropped.Add(owner);
        }
    }

    /// <summary>Deletes the generations beyond so many, newest first; true if none of them is left.</summary>
    private async ValueTask<bool> DropBeyond(SlotFiles files, SlotName slot, List<Generation> ring, int keep)
    {
        if (ring.Count <= keep)
            return ring.Count == 0;
        var left = keep;
        var kept = keep == 0 ? -1 : await LastOfOlderVersion(files, slot, ring, keep).ConfigureAwait(false);
        for (var i = ring.Count - 1; i >= keep; i--)
        {
            if (i == kept || await VersionOf(files, slot, ring[i]).ConfigureAwait(false) > T.Root.Version)
            {
                left++;
                continue;
            }
            try
            {
                await files.Delete(slot, ring[i]).ConfigureAwait(false);
            }
            catch (StorageException exception)
            {
                // The save itself is done; an old generation too many costs nothing but room.
                left++;
                StoreLog.OldGenerationStays(_log, ring[i].File, exception.Message);
            }
        }
        return left == 0;
    }

    /// <summary>
    /// The generation beyond those that are kept that stays nevertheless: the newest one of an older version, from which all that came
    /// after it was migrated. None if one of those that are kept is of an older version.
    /// </summary>
    private static async ValueTask<int> LastOfOlderVersion(SlotFiles files, SlotName slot, List<Generation> ring, int firstToDrop)
    {
        if (firstToDrop > 0 && await VersionOf(files, slot, ring[firstToDrop - 1]).ConfigureAwait(false) < T.Root.Version)
            return -1;
        for (var i = firstToDrop; i < ring.Count; i++)
        {
            if (await VersionOf(files, slot, ring[i]).ConfigureAwait(false) < T.Root.Version)
                return i;
        }
        return -1;
    }

    /// <summary>The version of a generation; the game's where it is unknown.</summary>
    private static async ValueTask<int> VersionOf(SlotFiles files, SlotName slot, Generation generation)
    {
        try
        {
            return (await files.ReadHeader(slot, generation).ConfigureAwait(false))?.Version ?? T.Root.Version;
        }
        catch (SaveException exception) when (exception is GenerationGoneException || SlotFiles.IsOfOneSave(exception))
        {
            return T.Root.Version;
        }
    }

    private void CheckLabel(SaveLabel? label)
    {
        foreach (var name in label?.Attachments.Keys ?? [])
        {
            if (!Attachments.IsName(name))
                throw new ArgumentException(
                    $"\"{name}\" is not a valid attachment name. Use a to z, 0 to 9, hyphens, and one extension.",
                    nameof(label));
        }
        if (label?.Name is { Length: > SaveLabel.MaxNameLength } typed)
            throw new ArgumentException(
                $"The name of a slot may have {SaveLabel.MaxNameLength} characters, and this has {typed.Length}.", nameof(label));
        if (label is { Thumbnail.IsEmpty: false } && ProblemOf(label.Thumbnail.Span) is { } problem)
            throw new ArgumentException(problem, nameof(label));
        if (label is { Thumbnail.IsEmpty: false, DrawThumbnail: not null })
            throw new ArgumentException("Give a thumbnail or what draws it, not both.", nameof(label));
    }

    /// <summary>Why something cannot be a thumbnail; null if it can.</summary>
    private string? ProblemOf(ReadOnlySpan<byte> thumbnail) =>
        !thumbnail.StartsWith(PngSignature) ? "A thumbnail has to be a PNG picture."
        : thumbnail.Length > _options.MaxThumbnailByteCount
            ? $"A thumbnail may have {_options.MaxThumbnailByteCount} bytes, and this has {thumbnail.Length}."
        : null;

    /// <summary>The label with its picture. A picture that cannot be made is not worth losing a save for.</summary>
    private SaveLabel Drawn(SaveLabel label, SlotName slot, List<SaveWarning> warnings)
    {
        if (label.DrawThumbnail is not { } draw)
            return label;
        ReadOnlyMemory<byte> picture = default;
        string? problem;
        try
        {
            _slots.CallBack(() => picture = draw());
            problem = picture.IsEmpty ? null : ProblemOf(picture.Span);
        }
        catch (Exception exception)
        {
            problem = exception.Message;
        }
        if (problem is not null)
            warnings.Add(new SaveWarning(
                SaveWarningCode.NoThumbnail, new SaveLocation { Slot = slot.ToString() }, $"The picture could not be made: {problem}"));
        return label with { Thumbnail = problem is null ? picture : default, DrawThumbnail = null };
    }

    /// <summary>The first bytes of every PNG file (ISO/IEC 15948 section 5.2).</summary>
    private static ReadOnlySpan<byte> PngSignature => [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A];

    /// <summary>
    /// Refuses a new slot where there is no place for it, or where its name is another's on systems that do not distinguish case.
    /// </summary>
    private async ValueTask RefuseNew(SlotFiles files, SlotName slot)
    {
        if (_options.Places.Count > 0 && !slot.IsRing && !_options.Places.Contains(slot))
        {
            throw new SlotException(
                SaveErrorCode.BadSlotName, "The game has no such save place.", new SaveLocation { Slot = slot.ToString() },
                $"It has: {string.Join(", ", _options.Places)}.");
        }
        foreach (var other in await _slots.Lookalikes(files, slot).ConfigureAwait(false))
            throw SaveSlots.Lookalike(slot, other);
    }

    /// <summary>A new id. A clock from before 1970 has no place in one (RFC 9562 section 5.7).</summary>
    private Guid NewId() =>
        Guid.CreateVersion7(_clock.GetUtcNow() is var now && now > DateTimeOffset.UnixEpoch ? now : DateTimeOffset.UnixEpoch);

    /// <summary>What is being played: one step, so that nobody sees the slot of one playthrough with the id of another.</summary>
    /// <param name="Playthrough">The playthrough.</param>
    /// <param name="Slot">The slot to go on saving to; null for none.</param>
    /// <param name="Continued">The time of the save that was loaded or written last; the beginning of time where there is none.</param>
    /// <param name="SaveId">That save; all zeros where there is none, or where it does not say.</param>
    private sealed record Current(Guid Playthrough, SlotName? Slot, DateTimeOffset Continued = default, Guid SaveId = default)
    {
        /// <summary>Whether nothing was begun, loaded or saved since the store was opened.</summary>
        public bool IsUntouched { get; init; }
    }
}

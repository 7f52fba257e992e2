using Lodrik.Inspection;
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
/// threads; each call is done before the next begins.
/// </remarks>
public sealed partial class SaveStore<T> : IDisposable where T : class, IStateRoot<T>
{
    private readonly SaveStoreOptions _options;
    private readonly SlotFiles _files;
    private readonly ILogger _log;
    private readonly TimeProvider _clock;
    private readonly SaveSlots _slots;
    private readonly Lock _gate;

    private SaveStore(SaveStoreOptions options)
    {
        _options = options;
        _log = options.Logger ?? NullLogger.Instance;
        _clock = options.Clock ?? TimeProvider.System;
        var storage = options.Storage ?? new DirectoryStorage(options.Folder ?? PlatformFolder.Of(T.Root.Game, options.Publisher));
        _slots = SaveSlots.Open(options.Profile is { } profile ? new ProfileStorage(storage, profile) : storage, options.Protection);
        _files = _slots.Files;
        _gate = _slots.Gate;
        _events = options.EventContext ?? SynchronizationContext.Current;
        _terms = new SaveTerms(options.Form, options.Indented, options.Compression, options.Protection);
        Playthrough = NewId();
    }

    /// <summary>Where the saves are.</summary>
    public string Location => _files.Storage.Description;

    /// <summary>The playthrough that is being played; every save carries it.</summary>
    public Guid Playthrough { get; private set; }

    /// <summary>The slot that was loaded from or saved to last, other than quick and auto; null before that.</summary>
    public SlotName? CurrentSlot { get; private set; }

    /// <summary>
    /// The number of the store's last write; 0 where it does not count (<see cref="SaveProtection.HasCounter"/>), or wrote nothing yet.
    /// </summary>
    public long WriteCount
    {
        get
        {
            lock (_gate)
                return Counter?.Last ?? 0;
        }
    }

    /// <summary>The store's counter as it stands; null where it does not count.</summary>
    private SaveCounter? Counter =>
        _options.Protection is { HasCounter: true } protection ? SaveCounter.Read(_files.Storage, protection) : null;

    /// <summary>Opens the game's store. Nothing is written before the first save.</summary>
    /// <param name="options">How the saves are kept; null takes the defaults: readable JSON in the platform's place.</param>
    /// <exception cref="ArgumentException">An option cannot be.</exception>
    /// <exception cref="MigrationException">
    /// The chain of migrations has a gap, a step twice, or does not lead to the game's version.
    /// </exception>
    public static SaveStore<T> Open(SaveStoreOptions? options = null)
    {
        options ??= new SaveStoreOptions();
        if (!T.Root.IsSaveFile)
            throw new ArgumentException($"{typeof(T).Name} is a state type; a store needs the game's save root, marked [SaveFile(game)].");
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepGenerations, 1, nameof(options));
        if (!Enum.IsDefined(options.Compression))
            throw new ArgumentException($"There is no compression {options.Compression}.", nameof(options));
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepQuick, 1, nameof(options));
        ArgumentOutOfRangeException.ThrowIfLessThan(options.KeepAuto, 1, nameof(options));
        if (options.Extension is { } extension && !IsExtension(extension))
            throw new ArgumentException(
                $"\"{extension}\" cannot be the extension of a save: it has to be a dot and letters or digits, and not .png or .tmp.",
                nameof(options));
        if (options is { Folder: not null, Storage: not null })
            throw new ArgumentException("Give a folder or a storage, not both.", nameof(options));
        if (options.InvalidSaves is SaveTreatment.Load or SaveTreatment.Mark)
            throw new ArgumentException("A save that the game's own rules refuse cannot be loaded. Choose PassOver or Refuse for "
                + "InvalidSaves.", nameof(options));
        options.Migrations?.Check(T.Root);
        options.Protection?.Check();
        return new SaveStore<T>(options);
    }

    /// <summary>Opens the game's store in a folder.</summary>
    public static SaveStore<T> Open(string folder) => Open(new SaveStoreOptions { Folder = folder });

    /// <summary>Begins another playthrough: what is saved from now on belongs to it, and to no slot yet.</summary>
    public void StartPlaythrough()
    {
        lock (_gate)
        {
            Playthrough = NewId();
            CurrentSlot = null;
        }
    }

    /// <summary>Saves to the slot that was loaded from or saved to last.</summary>
    /// <exception cref="SlotException">There is none yet.</exception>
    public SaveReceipt Save(T state, SaveLabel? label = null) => Save(
        CurrentSlot ?? throw new SlotException(
            SaveErrorCode.NoSuchSlot, "No slot was loaded from or saved to yet.", remedy: "Name the slot to save to."),
        state,
        label);

    /// <summary>
    /// What saving to the slot would write over: another playthrough, or a save that cannot be read; null where it just saves.
    /// </summary>
    public SlotSummary? WouldOverwrite(SlotName slot)
    {
        lock (_gate)
        {
            var generations = _files.Of(slot);
            var occupant = generations.Count > 0 ? _files.Summarise(slot, generations) : null;
            return occupant is not null && IsAnothers(slot, occupant, Playthrough) ? occupant : null;
        }
    }

    /// <summary>Loads a slot: its newest generation that is whole.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="sections">
    /// The sections to load (the root's <c>Sections</c> names them); none means all. What is not loaded has its initial values.
    /// </param>
    /// <returns>The state, or the answer that there is no such slot.</returns>
    /// <exception cref="SaveException">There is such a slot, and none of its generations can be loaded; the newest one's error.</exception>
    public LoadResult<T> Load(SlotName slot, params IReadOnlyCollection<string> sections) =>
        Load(slot, sections, progress: null, CancellationToken.None);

    /// <summary>Loads a slot into an existing state, which is untouched where anything does not fit.</summary>
    /// <inheritdoc cref="Load(SlotName, IReadOnlyCollection{string})"/>
    public LoadResult<T> LoadInto(SlotName slot, T state, params IReadOnlyCollection<string> sections)
    {
        ArgumentNullException.ThrowIfNull(state);
        return Load(slot, sections, _files.Open, file =>
        {
            _cache.ForgetContents();
            StateFile.DecodeInto(file, state, Chosen(sections));
            return state;
        });
    }

    /// <summary>Loads a slot, or gives a fresh state with its initial values where there is no such slot.</summary>
    /// <exception cref="SaveException">There is such a slot, and none of its generations can be loaded.</exception>
    public T LoadOrNew(SlotName slot) => Load(slot).OrNew();

    /// <summary>Whether there is such a slot.</summary>
    public bool Exists(SlotName slot)
    {
        lock (_gate)
            return _slots.Exists(slot);
    }

    /// <summary>All slots by what their headers say, newest first. A damaged slot is listed as such.</summary>
    /// <param name="kinds">
    /// Only saves of these kinds; none means all. A damaged slot's kind is not known, and it is listed with all only.
    /// </param>
    public IReadOnlyList<SlotSummary> List(params IReadOnlyCollection<SaveKind> kinds)
    {
        ArgumentNullException.ThrowIfNull(kinds);
        lock (_gate)
        {
            var slots = _slots.List();
            return kinds.Count == 0 ? slots : [.. slots.Where(slot => slot.Header is { } header && kinds.Contains(header.Kind))];
        }
    }

    /// <summary>The places of the save screen in their order, each with what is in it; null where it is empty.</summary>
    public IReadOnlyList<(SlotName Place, SlotSummary? Held)> Places()
    {
        lock (_gate)
        {
            return SlotFiles.Read(() => _options.Places.Select(place =>
                (place, _files.Of(place) is { Count: > 0 } generations ? _files.Summarise(place, generations) : null)).ToList());
        }
    }

    /// <summary>Deletes a slot with all its generations; false where there was none.</summary>
    public bool Delete(SlotName slot)
    {
        lock (_gate)
        {
            var deleted = _slots.Delete(slot);
            if (CurrentSlot == slot)
                CurrentSlot = null;
            if (deleted > 0)
            {
                Counter?.Forget(slot);
                StoreLog.Deleted(_log, slot, deleted);
            }
            return deleted > 0;
        }
    }

    private LoadResult<T> Load(
        SlotName slot, IReadOnlyCollection<string> sections, IProgress<SaveProgress>? progress, CancellationToken cancellationToken)
    {
        return Load(slot, sections, (slot, generation) => _files.Open(slot, generation, progress, cancellationToken), file =>
        {
            var (bytes, all) = (0L, file.BytesOf(Chosen(sections)));
            return StateFile.Decode<T>(file, Chosen(sections), decoded: section =>
            {
                cancellationToken.ThrowIfCancellationRequested();
                progress?.Report(new SaveProgress(SaveStage.Decoding, bytes += section, all));
            });
        });
    }

    private LoadResult<T> Load(
        SlotName slot, IReadOnlyCollection<string> sections, Func<SlotName, Generation, SavedFile> open, Func<SavedFile, T> decode)
    {
        CheckSections(sections);
        lock (_gate)
        {
            return SlotFiles.Read(() => LoadFirst([.. _files.Of(slot).Select(generation => (slot, generation))], open, decode))
                ?? new LoadResult<T>(
                    slot, () => SlotException.NoSuchSlot(slot, _files.All().Keys, "Ask Found before State, or use OrNew()."));
        }
    }

    /// <summary>Loads the first of these that is whole; null where there are none.</summary>
    private LoadResult<T>? LoadFirst(IReadOnlyList<(SlotName Slot, Generation Generation)> candidates) =>
        LoadFirst(candidates, _files.Open, file => StateFile.Decode<T>(file));

    private LoadResult<T>? LoadFirst(
        IReadOnlyList<(SlotName Slot, Generation Generation)> candidates, Func<SlotName, Generation, SavedFile> open,
        Func<SavedFile, T> decode)
    {
        var passedOver = new List<SaveException>();
        foreach (var (slot, generation) in candidates)
        {
            try
            {
                var file = open(slot, generation);
                if (_options.EditedSaves is SaveTreatment.PassOver or SaveTreatment.Refuse && file.Opened.IsEdited)
                    throw Edited(slot, generation);
                var (state, problem) = Decode(file, decode);
                var result = new LoadResult<T>(slot, generation.Number, state, file)
                {
                    PassedOver = passedOver,
                    SealProblem = problem,
                    Replay = Judge(slot, generation, file.Header),
                };
                if (result.MigratedFrom is { } version)
                    StoreLog.Migrated(_log, slot, generation.Number, version, T.Root.Version);
                Remember(slot, file.Header?.Slot?.Playthrough ?? Playthrough);
                StoreLog.Loaded(_log, slot, generation.Number, _files.Storage.Locate(generation.File));
                Raise(Loaded, result);
                return result;
            }
            catch (SaveException exception) when (IsPassedOver(exception))
            {
                passedOver.Add(exception);
                StoreLog.PassedOver(_log, slot, generation.Number, exception.Message);
            }
        }
        return passedOver.Count == 0 ? null : throw NoneLoads(candidates, passedOver);
    }

    /// <summary>
    /// Decodes a save once its seal was looked at; where such saves are only marked, one whose seal does not fit as well.
    /// </summary>
    private (T State, TamperedSaveException? Problem) Decode(SavedFile file, Func<SavedFile, T> decode)
    {
        try
        {
            if (_options.Protection is { } protection)
                file.CheckSeal(protection);
            return (decode(InThisVersion(file)), null);
        }
        catch (TamperedSaveException problem) when (_options.TamperedSaves is SaveTreatment.Load or SaveTreatment.Mark)
        {
            return (decode(InThisVersion(file.WithoutSeal())), problem);
        }
    }

    /// <summary>A save as this version of the game reads it: migrated, or a newer one as far as it is known.</summary>
    private SavedFile InThisVersion(SavedFile file) =>
        file.Header is not { } header || header.Game != T.Root.Game || header.Version == T.Root.Version ? file
        : header.Version < T.Root.Version && _options.Migrations is { } chain ? chain.Migrate(file, T.Root.Version)
        : header.Version > T.Root.Version && _options.NewerSaves is SaveTreatment.Load or SaveTreatment.Mark ? file.ReadAs(T.Root.Version)
        : file;

    /// <summary>The error of the newest, and what is still whole in any of them.</summary>
    private SaveException NoneLoads(IReadOnlyList<(SlotName Slot, Generation Generation)> candidates, List<SaveException> passedOver)
    {
        var (newest, whole) = (passedOver[0], new List<string>());
        foreach (var (slot, generation) in candidates)
        {
            if (_files.WholeSections(slot, generation) is { Count: > 0 } sections)
                whole.Add($"generation {generation.Number} of {slot}: {string.Join(", ", sections)}");
        }
        var problem = candidates.Count == 1
            ? newest.Problem
            : $"None of the {candidates.Count} generations can be loaded. The newest: {newest.Problem}";
        var remedy = whole.Count == 0
            ? "Nothing in the files is whole. They are left as they are; start anew, or put a copy back."
            : $"The files are left as they are. Still whole are, in {string.Join("; in ", whole)}: load those sections alone.";
        if (newest is TamperedSaveException)
            return new TamperedSaveException(newest.Code, problem, newest.Location, remedy, newest);
        return newest is DamagedSaveException
            ? new DamagedSaveException(newest.Code, problem, newest.Location, remedy, newest)
            : new SaveContentException(newest.Code, problem, newest.Location, remedy, newest);
    }

    private bool IsPassedOver(SaveException exception) => exception is DamagedSaveException
        || exception.Code == SaveErrorCode.NewerVersion && _options.NewerSaves == SaveTreatment.PassOver
        || exception.Code == SaveErrorCode.Invalid && _options.InvalidSaves == SaveTreatment.PassOver
        || exception.Code == SaveErrorCode.EditedByHand && _options.EditedSaves == SaveTreatment.PassOver
        || exception is TamperedSaveException { Code: SaveErrorCode.Replayed } && _options.ReplayedSaves == SaveTreatment.PassOver
        || exception is TamperedSaveException { Code: not SaveErrorCode.Replayed } && _options.TamperedSaves == SaveTreatment.PassOver;

    /// <summary>
    /// What is said of a save that was put in the place of a newer one; null where nothing is, or where the game does not want to know.
    /// </summary>
    /// <exception cref="TamperedSaveException">It was, and such a save does not load.</exception>
    private ReplayedSave? Judge(SlotName slot, Generation generation, SaveHeader? header)
    {
        if (_options.ReplayedSaves == SaveTreatment.Load || Counter?.Judge(slot, header) is not { } replay)
            return null;
        StoreLog.Replayed(_log, slot, generation.Number, replay.Reason);
        return _options.ReplayedSaves == SaveTreatment.Mark ? replay : throw new TamperedSaveException(
            SaveErrorCode.Replayed, $"The save is an old one that was put in the place of a newer one: {replay.Reason}",
            _files.Locate(slot, generation), "Load another slot.");
    }

    private SaveContentException Edited(SlotName slot, Generation generation) => new(
        SaveErrorCode.EditedByHand, "The save was changed by hand since it was written.",
        _files.Locate(slot, generation), "Load an older generation.");

    private bool IsAnothers(SlotName slot, SlotSummary occupant, Guid playthrough) =>
        !slot.IsRing && slot != CurrentSlot && occupant.Header?.Slot?.Playthrough != playthrough;

    private void Remember(SlotName slot, Guid playthrough)
    {
        // Another playthrough's slot is not the one to go on saving to.
        if (playthrough != Playthrough && slot.IsRing)
            CurrentSlot = null;
        Playthrough = playthrough;
        if (!slot.IsRing)
            CurrentSlot = slot;
    }

    private void DropOldGenerations(SlotName slot, List<Generation> before, Guid playthrough)
    {
        var keep = slot == SlotName.Quick ? _options.KeepQuick : slot == SlotName.Auto ? _options.KeepAuto : _options.KeepGenerations;
        if (before.Count < keep)
            return;
        // A ring is one playthrough's: a new one never pushes out the saves of the one before.
        var ring = slot.IsRing ? before.FindAll(generation => _files.PlaythroughOf(slot, generation) == playthrough) : before;
        var kept = ring.Count >= keep ? LastOfOlderVersion(slot, ring, keep - 1) : -1;
        for (var i = ring.Count - 1; i >= keep - 1; i--)
        {
            if (i == kept || VersionOf(slot, ring[i]) > T.Root.Version)
                continue;
            try
            {
                _files.Delete(slot, ring[i]);
            }
            catch (StorageException exception)
            {
                // The save itself is done; an old generation too many costs nothing but room.
                StoreLog.OldGenerationStays(_log, ring[i].File, exception.Message);
            }
        }
    }

    /// <summary>
    /// The generation beyond those that are kept that stays nevertheless: the newest one of an older version, from which all that came
    /// after it was migrated. None where one of those that are kept is of an older version.
    /// </summary>
    private int LastOfOlderVersion(SlotName slot, List<Generation> ring, int firstToDrop)
    {
        if (firstToDrop > 0 && VersionOf(slot, ring[firstToDrop - 1]) < T.Root.Version)
            return -1;
        for (var i = firstToDrop; i < ring.Count; i++)
        {
            if (VersionOf(slot, ring[i]) < T.Root.Version)
                return i;
        }
        return -1;
    }

    /// <summary>The version of a generation; the game's where it cannot be told.</summary>
    private int VersionOf(SlotName slot, Generation generation)
    {
        try
        {
            return _files.ReadHeader(slot, generation)?.Version ?? T.Root.Version;
        }
        catch (SaveException)
        {
            return T.Root.Version;
        }
    }

    private void CheckThumbnail(SaveLabel? label)
    {
        if (label is null || label.Thumbnail.IsEmpty)
            return;
        if (!label.Thumbnail.Span.StartsWith(PngSignature))
            throw new ArgumentException("A thumbnail has to be a PNG picture.", nameof(label));
        if (label.Thumbnail.Length > _options.MaxThumbnailByteCount)
            throw new ArgumentException(
                $"A thumbnail may have {_options.MaxThumbnailByteCount} bytes, and this has {label.Thumbnail.Length}.", nameof(label));
    }

    /// <summary>The first bytes of every PNG file (ISO/IEC 15948 section 5.2).</summary>
    private static ReadOnlySpan<byte> PngSignature => [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A];

    /// <summary>
    /// Refuses a new slot where there is no place for it, or where its name is another's on systems that do not tell case apart.
    /// </summary>
    private void RefuseNew(SlotName slot)
    {
        if (_options.Places.Count > 0 && !slot.IsRing && !_options.Places.Contains(slot))
        {
            throw new SlotException(
                SaveErrorCode.BadSlotName, "The game has no such place for a save.", new SaveLocation { Slot = slot.ToString() },
                $"It has: {string.Join(", ", _options.Places)}.");
        }
        foreach (var other in _files.Lookalikes(slot))
        {
            throw new SlotException(
                SaveErrorCode.BadSlotName,
                $"There is a slot \"{other}\" already, and some systems do not tell upper and lower case apart.",
                new SaveLocation { Slot = slot.ToString() },
                $"Save to \"{other}\", or choose another name.");
        }
    }

    private static void CheckSections(IReadOnlyCollection<string> sections)
    {
        ArgumentNullException.ThrowIfNull(sections);
        foreach (var section in sections)
        {
            if (T.Root.Sections.Contains(section)
                || T.Root.Sections.Any(known => known.EndsWith('/') && section.StartsWith(known, StringComparison.Ordinal)))
                continue;
            throw new SaveContentException(
                SaveErrorCode.NoSuchSection,
                $"{typeof(T).Name} has no section \"{section}\".",
                remedy: $"It has: {string.Join(", ", T.Root.Sections)}.");
        }
    }

    private static IReadOnlyCollection<string>? Chosen(IReadOnlyCollection<string> sections) => sections.Count == 0 ? null : sections;

    private static bool IsExtension(string extension) =>
        extension.Length > 1 && extension[0] == '.' && extension is not (".png" or DirectoryStorage.TemporaryExtension)
            && extension.AsSpan(1).IndexOfAnyExcept(ExtensionCharacters) < 0;

    private static readonly System.Buffers.SearchValues<char> ExtensionCharacters =
        System.Buffers.SearchValues.Create("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_-");

    private Guid NewId() => Guid.CreateVersion7(_clock.GetUtcNow());
}

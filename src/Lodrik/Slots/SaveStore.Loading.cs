using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik;

// Loading: the newest generation that is whole, and what is said of those that are not.
public sealed partial class SaveStore<T>
{
    /// <summary>Loads a slot: its newest generation that is whole.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="sections">
    /// The sections to load (the root's <c>Sections</c> names them); null or none means all. What is not loaded has its initial values.
    /// </param>
    /// <param name="progress">Receives the progress.</param>
    /// <returns>The state. If there is no such slot, <see cref="LoadResult{T}.Found"/> is false.</returns>
    /// <exception cref="SaveException">There is such a slot, and none of its generations can be loaded; the newest one's error.</exception>
    public LoadResult<T> Load(
        SlotName slot, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null) =>
        Shown(Ask().Asked, _slots.Now(files => Load(files, slot, Checked(sections), progress)));

    /// <summary>Loads a slot in the background. The state's own code runs there too.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="sections">The sections to load; null or none means all. What is not loaded has its initial values.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <param name="cancellationToken">Cancels the load.</param>
    /// <inheritdoc cref="Load(SlotName, IReadOnlyCollection{string}, IProgress{SaveProgress})"/>
    public async Task<LoadResult<T>> LoadAsync(
        SlotName slot, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null,
        CancellationToken cancellationToken = default) =>
        Shown(
            Ask().Asked,
            await _slots.InBackground(files => Load(files, slot, Checked(sections), progress), cancellationToken).ConfigureAwait(false));

    /// <summary>Loads a slot into an existing state, which is left as it was if anything does not fit.</summary>
    /// <param name="slot">The slot.</param>
    /// <param name="state">The state.</param>
    /// <param name="sections">The sections to load; null or none means all. What is not loaded stays as it is.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <returns>The same state. If there is no such slot, <see cref="LoadResult{T}.Found"/> is false.</returns>
    /// <exception cref="SaveException">There is such a slot, and none of its generations can be loaded; the newest one's error.</exception>
    public LoadResult<T> LoadInto(
        SlotName slot, T state, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null)
    {
        ArgumentNullException.ThrowIfNull(state);
        var chosen = Checked(sections);
        return Shown(Ask().Asked, _slots.Now(files => Load(files, slot, progress, file =>
        {
            Fill(file, state, chosen);
            return state;
        })));
    }

    /// <summary>
    /// Loads a slot into an existing state: all is read and checked in the background, and the state is filled where the caller waits, so
    /// that a game that waits on its own thread never sees half of it. The state is left as it was if anything does not fit.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="state">The state.</param>
    /// <param name="sections">The sections to load; null or none means all. What is not loaded stays as it is.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <param name="cancellationToken">Cancels the load, as long as it is in the background.</param>
    /// <inheritdoc cref="LoadInto(SlotName, T, IReadOnlyCollection{string}, IProgress{SaveProgress})"/>
    public async Task<LoadResult<T>> LoadIntoAsync(
        SlotName slot, T state, IReadOnlyCollection<string>? sections = null, IProgress<SaveProgress>? progress = null,
        CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(state);
        var chosen = Checked(sections);
        SavedFile? loaded = null;
        var asked = Ask().Asked;
        var result = await _slots.InBackground(files => Load(files, slot, progress, file =>
        {
            loaded = file;
            return Decode(file, chosen, progress, cancellationToken);
        }), cancellationToken).ConfigureAwait(true);
        if (!result.Found)
            return result;
        Fill(loaded!, state, chosen);
        return Shown(asked, result.With(state));
    }

    /// <summary>Loads a slot, or gives a fresh state with its initial values where there is no such slot.</summary>
    /// <exception cref="SaveException">There is such a slot, and none of its generations can be loaded.</exception>
    public T LoadOrNew(SlotName slot) => OrNew(Load(slot));

    /// <inheritdoc cref="LoadOrNew(SlotName)"/>
    public async Task<T> LoadOrNewAsync(SlotName slot, CancellationToken cancellationToken = default) =>
        OrNew(await LoadAsync(slot, cancellationToken: cancellationToken).ConfigureAwait(false));

    private static T OrNew(LoadResult<T> result) => result.Found ? result.State : T.CreateState();

    /// <summary>A result, once the game's own events have told of it.</summary>
    /// <param name="asked">When the load was asked for.</param>
    /// <param name="result">What came of it. Only now is its slot the current one: nothing of the load can fail any more.</param>
    private LoadResult<T> Shown(long asked, LoadResult<T> result)
    {
        if (result.Found)
        {
            Remember(result.Slot, result.Header?.Slot?.Playthrough ?? Playthrough, asked, result.Header);
            if (SaveOrder.IsAhead(result.Header, _clock.GetUtcNow()))
                StoreLog.Ahead(_log, result.Slot, result.Generation, result.Header!.Saved);
            Raise(Loaded, result);
        }
        return result;
    }

    private ValueTask<LoadResult<T>> Load(
        SlotFiles files, SlotName slot, IReadOnlyCollection<string>? sections, IProgress<SaveProgress>? progress) =>
        Load(files, slot, progress, file => Decode(file, sections, progress, files.Calls.Cancellation));

    private ValueTask<LoadResult<T>> Load(
        SlotFiles files, SlotName slot, IProgress<SaveProgress>? progress, Func<SavedFile, T> decode) =>
        LoadAny(files, () => OfSlot(files, slot), progress, decode, async () => new LoadResult<T>(slot, SlotFiles.NoSuchSlot(
            slot, (await files.All().ConfigureAwait(false)).Keys, "Ask Found before State, or use LoadOrNew.")));

    private static async ValueTask<List<SlotGeneration>> OfSlot(SlotFiles files, SlotName slot) =>
        [.. (await files.Of(slot).ConfigureAwait(false)).Select(generation => new SlotGeneration(slot, generation))];

    private T Decode(
        SavedFile file, IReadOnlyCollection<string>? sections, IProgress<SaveProgress>? progress, CancellationToken cancellation)
    {
        progress = Guarded(progress);
        var (bytes, all) = (0L, progress is null ? 0 : file.BytesOf(sections));
        var state = WholeState.Decode<T>(file, sections, decoded: section =>
        {
            cancellation.ThrowIfCancellationRequested();
            progress?.Report(new SaveProgress(SaveStage.Decoding, bytes += section, all));
        });
        Expect(file);
        return state;
    }

    private void Fill(SavedFile file, T state, IReadOnlyCollection<string>? sections)
    {
        _cache.ForgetContents();
        WholeState.DecodeInto(file, state, sections);
        Expect(file);
    }

    /// <summary>The next save will be about as large as what was loaded.</summary>
    private void Expect(SavedFile file)
    {
        if (!file.Opened.Content.IsText)
            _cache.SnapshotSize = (int)Math.Min(Math.Max(file.BytesOf(null), _cache.SnapshotSize), Array.MaxLength);
    }

    /// <summary>Loads the first of some generations that is whole.</summary>
    /// <param name="files">The storage.</param>
    /// <param name="find">Lists the generations, in the order in which they are tried.</param>
    /// <param name="progress">Receives the progress.</param>
    /// <param name="decode">Makes the state of a save that was checked.</param>
    /// <param name="absent">The answer where there is nothing to load.</param>
    private async ValueTask<LoadResult<T>> LoadAny(
        SlotFiles files, Func<ValueTask<List<SlotGeneration>>> find, IProgress<SaveProgress>? progress, Func<SavedFile, T> decode,
        Func<ValueTask<LoadResult<T>>> absent)
    {
        progress = Guarded(progress);
        progress?.Report(new SaveProgress(SaveStage.Reading, 0, 0));
        LoadResult<T>? result;
        try
        {
            result = await SlotFiles.Read(() => LoadFirst(isAlone: false)).ConfigureAwait(false);
        }
        catch (DoubtException)
        {
            // It may be this store itself that saved or reinstated something meanwhile: between two writes that is out of the question.
            result = await _slots.Alone(files, () => SlotFiles.Read(() => LoadFirst(isAlone: true))).ConfigureAwait(false);
        }
        result ??= await absent().ConfigureAwait(false);
        progress?.Report(new SaveProgress(SaveStage.Done, 0, 0));
        return result;

        async ValueTask<LoadResult<T>?> LoadFirst(bool isAlone)
        {
            // The counter comes first: a save that is written from here on is newer than it says, and not older.
            var counter = _options.ReplayedSaves == SaveTreatment.Load ? null : await Counter(files).ConfigureAwait(false);
            return await this.LoadFirst(files, await find().ConfigureAwait(false), new ReplayWatch(counter, isAlone), progress, decode)
                .ConfigureAwait(false);
        }
    }

    /// <summary>Loads the first of these that is whole; null if there are none.</summary>
    private async ValueTask<LoadResult<T>?> LoadFirst(
        SlotFiles files, List<SlotGeneration> candidates, ReplayWatch replays, IProgress<SaveProgress>? progress,
        Func<SavedFile, T> decode)
    {
        var passedOver = new List<SaveException>();
        var accepted = _accepted;
        foreach (var (slot, generation) in candidates)
        {
            try
            {
                var file = await files.Open(slot, generation, progress).ConfigureAwait(false);
                if (_options.EditedSaves is SaveTreatment.PassOver or SaveTreatment.Refuse && file.Opened.IsEdited)
                    throw Edited(files.Locate(slot, generation));
                var (state, problem, unknown) = Decode(file, decode, accepted);
                var result = new LoadResult<T>(slot, generation.Number, state, file)
                {
                    PassedOver = passedOver,
                    SealProblem = problem,
                    UnknownMembers = unknown,
                    Replay = Judge(files, slot, generation, file.Header, replays),
                };
                if (result.MigratedFrom is { } version)
                    StoreLog.Migrated(_log, slot, generation.Number, version, T.Root.Version);
                StoreLog.Loaded(_log, slot, generation.Number, files.Calls.Locate(generation.File));
                return result;
            }
            catch (SaveException exception) when (IsPassedOver(exception))
            {
                passedOver.Add(exception);
                StoreLog.PassedOver(_log, slot, generation.Number, exception.Message);
            }
        }
        return passedOver.Count == 0 ? null : throw await NoneLoads(files, candidates, passedOver).ConfigureAwait(false);
    }

    /// <summary>
    /// Decodes a save once its seal was looked at; where such saves are only marked, one whose seal does not fit as well.
    /// </summary>
    /// <exception cref="DoubtException">
    /// The seal does not fit, and the store's protection was changed since the save was looked for.
    /// </exception>
    private (T State, TamperedSaveException? Problem, IReadOnlyList<UnknownMember> Unknown) Decode(
        SavedFile file, Func<SavedFile, T> decode, SaveProtection?[] accepted)
    {
        try
        {
            CheckSeal(file, accepted);
            return Decoded(InThisVersion(file), null);
        }
        catch (TamperedSaveException) when (accepted != _accepted)
        {
            throw new DoubtException();
        }
        catch (TamperedSaveException problem) when (_options.TamperedSaves is SaveTreatment.Load or SaveTreatment.Mark)
        {
            return Decoded(InThisVersion(file.WithoutSeal()), problem);
        }
        catch (DamagedSaveException problem) when (
            _options.TamperedSaves is SaveTreatment.Load or SaveTreatment.Mark && accepted[0] is not null
            && file.Opened.EditedSections.Any())
        {
            // In a readable save it is most likely an edit by hand, which without a seal would be loaded as well.
            return Decoded(
                InThisVersion(file.WithoutSeal()),
                new TamperedSaveException(SaveErrorCode.Tampered, problem.Problem, problem.Location, problem.Remedy, problem));
        }

        (T, TamperedSaveException?, IReadOnlyList<UnknownMember>) Decoded(SavedFile current, TamperedSaveException? problem)
        {
            current.Found = unknown => Judge(unknown, current);
            var state = decode(current);
            var known = _options.OtherShapes == SaveTreatment.Load ? [] : current.UnknownMembers;
            if (known.Count > 0)
                StoreLog.OtherShape(_log, current.Location.ToString(), T.Root.Version, InWords(known));
            return (state, problem, known);
        }
    }

    /// <summary>Refuses a save with unknown members if the options say so.</summary>
    /// <exception cref="SaveMismatchException">There are unknown members, and the options refuse them.</exception>
    private void Judge(IReadOnlyList<UnknownMember> unknown, SavedFile file)
    {
        if (unknown.Count > 0 && _options.OtherShapes is SaveTreatment.PassOver or SaveTreatment.Refuse)
            throw new SaveMismatchException(
                SaveErrorCode.OtherShape,
                $"The save has the game's version {T.Root.Version} but has members that the game does not know: {InWords(unknown)}.",
                file.Location,
                "Raise the game's version and add a migration step. If two branches changed the save, give each its own version.");
    }

    private static string InWords(IReadOnlyList<UnknownMember> unknown)
    {
        var first = string.Join(", ", unknown.Take(3).Select(one => $"\"{one.Key}\" in {one.Location.Section}"));
        return unknown.Count > 3 ? $"{first} and {unknown.Count - 3} more" : first;
    }

    /// <summary>A save as this version of the game reads it: migrated, or a newer one as far as it is known.</summary>
    private SavedFile InThisVersion(SavedFile file) =>
        file.Header is not { } header || header.Game != T.Root.Game || header.Version == T.Root.Version ? file
        : header.Version < T.Root.Version && _options.Migrations is { } chain ? chain.Migrate(file, T.Root.Version)
        : header.Version > T.Root.Version && _options.NewerSaves is SaveTreatment.Load or SaveTreatment.Mark ? file.ReadAs(T.Root.Version)
        : file;

    /// <summary>The error of the newest, and what is still whole in any of them.</summary>
    private static async ValueTask<SaveException> NoneLoads(
        SlotFiles files, List<SlotGeneration> candidates, List<SaveException> passedOver)
    {
        var (newest, whole) = (passedOver[0], new List<string>());
        foreach (var (slot, generation) in candidates)
        {
            if (await files.WholeSections(slot, generation).ConfigureAwait(false) is { Count: > 0 } sections)
                whole.Add($"generation {generation.Number} of {slot}: {string.Join(", ", sections)}");
        }
        var problem = candidates.Count == 1
            ? newest.Problem
            : $"None of the {candidates.Count} generations can be loaded. The newest: {newest.Problem}";
        var remedy = whole.Count == 0
            ? "No part of the files is intact. They were left unchanged: start a new game, or restore a copy."
            : $"The files were left unchanged. Some sections are intact and can be loaded alone: {string.Join("; ", whole)}.";
        if (newest is StorageException)
            return new StorageException(problem, newest.Location, newest.Remedy ?? remedy, newest);
        if (newest is TamperedSaveException)
            return new TamperedSaveException(newest.Code, problem, newest.Location, remedy, newest);
        return newest is DamagedSaveException
            ? new DamagedSaveException(newest.Code, problem, newest.Location, remedy, newest)
            : new SaveContentException(newest.Code, problem, newest.Location, remedy, newest);
    }

    private bool IsPassedOver(SaveException exception) => exception is DamagedSaveException or StorageException { IsOneFile: true }
        || exception.Code == SaveErrorCode.NewerVersion && _options.NewerSaves == SaveTreatment.PassOver
        || exception.Code == SaveErrorCode.OtherShape && _options.OtherShapes == SaveTreatment.PassOver
        || exception.Code == SaveErrorCode.Invalid && _options.InvalidSaves == SaveTreatment.PassOver
        || exception.Code == SaveErrorCode.EditedByHand && _options.EditedSaves == SaveTreatment.PassOver
        || exception is TamperedSaveException { Code: SaveErrorCode.Replayed } && _options.ReplayedSaves == SaveTreatment.PassOver
        || exception is TamperedSaveException { Code: not SaveErrorCode.Replayed } && _options.TamperedSaves == SaveTreatment.PassOver;

    /// <summary>
    /// What is said of a save that was put in the place of a newer one; null if nothing is, or where the game does not want to know.
    /// </summary>
    /// <exception cref="TamperedSaveException">It was, and such a save does not load.</exception>
    /// <exception cref="DoubtException">It may have been, or a save of this store was written meanwhile.</exception>
    private ReplayedSave? Judge(SlotFiles files, SlotName slot, Generation generation, SaveHeader? header, ReplayWatch replays)
    {
        if (replays.Counter?.Judge(slot, header) is not { } replay)
            return null;
        if (!replays.IsAlone)
            throw new DoubtException();
        StoreLog.Replayed(_log, slot, generation.Number, replay.Reason);
        return _options.ReplayedSaves == SaveTreatment.Mark ? replay : throw new TamperedSaveException(
            SaveErrorCode.Replayed, $"The save is a replay: an old one in the place of a newer one: {replay.Reason}",
            files.Locate(slot, generation), "Load another slot.");
    }

    private static SaveContentException Edited(SaveLocation location) => new(
        SaveErrorCode.EditedByHand, "The save was changed by hand since it was written.", location, "Load an older generation or a copy.");

    /// <summary>Names of sections that the save has; null if all are meant.</summary>
    /// <exception cref="SaveContentException">There is no such section.</exception>
    private static IReadOnlyCollection<string>? Checked(IReadOnlyCollection<string>? sections)
    {
        foreach (var section in sections ?? [])
        {
            if (T.Root.Sections.Contains(section)
                || T.Root.Sections.Any(known => known.EndsWith('/') && section.StartsWith(known, StringComparison.Ordinal)))
                continue;
            throw new SaveContentException(
                SaveErrorCode.NoSuchSection,
                $"{typeof(T).Name} has no section \"{section}\".",
                remedy: $"It has: {string.Join(", ", T.Root.Sections)}.");
        }
        return sections is { Count: > 0 } ? sections : null;
    }

    /// <summary>What old saves in the place of newer ones are told by.</summary>
    /// <param name="Counter">The store's counter as it was before anything was listed; null if nobody wants to know.</param>
    /// <param name="IsAlone">Whether nothing is written meanwhile.</param>
    private readonly record struct ReplayWatch(SaveCounter? Counter, bool IsAlone);

    /// <summary>A save looks like an old one, and something may have been written since the counter was read.</summary>
    private sealed class DoubtException : Exception;
}

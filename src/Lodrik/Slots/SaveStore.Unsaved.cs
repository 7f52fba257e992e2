using Lodrik.Formats;
using Lodrik.Inspection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;
using Lodrik.Slots;
using Lodrik.State;

namespace Lodrik;

// What would be lost if the game were left now.
public sealed partial class SaveStore<T>
{
    /// <summary>
    /// What would be lost if the game were left now: the differences between the live state and the save that was loaded or written last,
    /// or the newest of this playthrough where that is gone, or a fresh state where there is none.
    /// </summary>
    /// <param name="state">The live state.</param>
    /// <param name="ignored">Sections whose changes are not progress, such as a clock; null for none.</param>
    /// <exception cref="SaveException">The newest save cannot be loaded, or the state cannot be saved.</exception>
    public IReadOnlyList<StateChange> UnsavedChanges(T state, IReadOnlyCollection<string>? ignored = null)
    {
        ArgumentNullException.ThrowIfNull(state);
        using var live = Snapshot.Of(state, expected: _cache.SnapshotSize);
        return _slots.Now(files => UnsavedChanges(files, live, Checked(ignored)));
    }

    /// <summary>
    /// What would be lost if the game were left now. The state is taken down before this returns, as for a save, and compared in the
    /// background.
    /// </summary>
    /// <param name="state">The live state; it may change as soon as this has returned.</param>
    /// <param name="ignored">Sections whose changes are not progress, such as a clock; null for none.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <inheritdoc cref="UnsavedChanges(T, IReadOnlyCollection{string})"/>
    public Task<IReadOnlyList<StateChange>> UnsavedChangesAsync(
        T state, IReadOnlyCollection<string>? ignored = null, CancellationToken cancellationToken = default)
    {
        ArgumentNullException.ThrowIfNull(state);
        try
        {
            return Compare(Snapshot.Of(state, expected: _cache.SnapshotSize));
        }
        catch (SaveException exception)
        {
            return Task.FromException<IReadOnlyList<StateChange>>(exception);
        }

        async Task<IReadOnlyList<StateChange>> Compare(Snapshot live)
        {
            using (live)
            {
                return await _slots.InBackground(files => UnsavedChanges(files, live, Checked(ignored)), cancellationToken)
                    .ConfigureAwait(false);
            }
        }
    }

    /// <summary>Whether something would be lost if the game were left now.</summary>
    /// <inheritdoc cref="UnsavedChanges(T, IReadOnlyCollection{string})"/>
    public bool WouldLoseProgress(T state, IReadOnlyCollection<string>? ignored = null) => UnsavedChanges(state, ignored).Count > 0;

    /// <summary>Whether something would be lost if the game were left now.</summary>
    /// <inheritdoc cref="UnsavedChangesAsync"/>
    public async Task<bool> WouldLoseProgressAsync(
        T state, IReadOnlyCollection<string>? ignored = null, CancellationToken cancellationToken = default) =>
        (await UnsavedChangesAsync(state, ignored, cancellationToken).ConfigureAwait(false)).Count > 0;

    private async ValueTask<IReadOnlyList<StateChange>> UnsavedChanges(
        SlotFiles files, Snapshot live, IReadOnlyCollection<string>? ignored)
    {
        try
        {
            return await FindUnsaved(files, live, ignored).ConfigureAwait(false);
        }
        catch (DoubtException)
        {
            // The protection of the saves was changed meanwhile.
            return await _slots.Alone(files, () => FindUnsaved(files, live, ignored)).ConfigureAwait(false);
        }
    }

    private async ValueTask<IReadOnlyList<StateChange>> FindUnsaved(
        SlotFiles files, Snapshot live, IReadOnlyCollection<string>? ignored)
    {
        var (written, accepted) = (_written, _accepted);
        var (file, isWritten) = await SlotFiles.Read(async () =>
        {
            var (saves, current) = (await Candidates(files, null).ConfigureAwait(false), _current);
            // Whoever loaded an older save and has done nothing since loses nothing.
            var newest = saves.Find(one => current.SaveId != default && one.Header?.SaveId == current.SaveId)
                ?? saves.Find(one => one.Header?.Playthrough == current.Playthrough);
            if (newest is null)
                return (null, false);
            // What this store wrote itself it knows by its digests. It is not even read where nothing is different.
            var isKnown = written is not null && newest.Header?.SaveId == written.SaveId;
            if (isKnown && written!.FindDifferent(live).All(IsIgnored))
                return ((SavedFile?)null, true);
            return (await files.Open(newest.Slot, GenerationOf(newest)).ConfigureAwait(false), isKnown);
        }).ConfigureAwait(false);
        if (isWritten && file is null)
            return [];
        if (file is null)
            return Different(T.CreateState(), live, null, SaveForm.Binary);
        var found = isWritten ? written!.FindDifferent(live) : SectionDifference.Find(file, live, T.Root);
        List<string> different = [.. found.Where(name => !IsIgnored(name))];
        // The save is judged as when it is loaded, however little of it is looked at.
        var saved = Decode(file, one => WholeState.Decode<T>(one, SectionDifference.WithoutShared(different)), accepted).State;
        return different.Count == 0 ? [] : Different(saved, live, different, file.Form);

        bool IsIgnored(string section) => ignored is not null && ignored.Any(one => IsWithin(one, $"/{PointerBuilder.Escape(section)}"));

        IReadOnlyList<StateChange> Different(T saved, Snapshot live, List<string>? different, SaveForm form)
        {
            var names = different?.ToHashSet(StringComparer.Ordinal);
            bool IsWanted(string name) => !IsIgnored(name) && names?.Contains(name) != false;
            // Shared objects are next to the section that leads to them.
            using var before = Snapshot.Of(saved, isWanted: name => IsWanted(name) || IsWanted(name + SharedTree.Suffix));
            using var after = live.Only(name =>
                IsWanted(name) || IsWanted(name + SharedTree.Suffix) || IsWanted(SectionDifference.WithoutShared(name)));
            return [.. StateContent.Changes(before, after, T.Root, form)
                .Where(change => ignored is null || !ignored.Any(section => IsWithin(section, change.Path)))];
        }
    }

    /// <summary>Whether a place is in a section, or in one of a group's.</summary>
    private static bool IsWithin(string section, string path)
    {
        var place = $"/{PointerBuilder.Escape(section)}";
        return path == place || path.StartsWith(section.EndsWith('/') ? place : place + "/", StringComparison.Ordinal);
    }
}

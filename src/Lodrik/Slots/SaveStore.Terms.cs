using System.Runtime.ExceptionServices;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves.Writing;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik;

// How saves are written and what is asked of those that are read; both can be changed while the game runs.
public sealed partial class SaveStore<T>
{
    private volatile SaveTerms _terms;

    /// <summary>
    /// The protections that a save may have, the store's own first. While all saves are brought from one to another, both are among them.
    /// </summary>
    private volatile SaveProtection?[] _accepted;

    /// <summary>
    /// The form that saves are written in, which may be changed at any time: the next save is written in the new one. Saves of every form
    /// are read.
    /// </summary>
    /// <exception cref="ArgumentException">There is no such form.</exception>
    public SaveForm Form
    {
        get => _terms.Form;
        set
        {
            if (!Enum.IsDefined(value))
                throw new ArgumentException($"{value} is not a valid form.", nameof(value));
            lock (_currentGate)
                _terms = _terms with { Form = value };
        }
    }

    /// <summary>
    /// How saves are sealed, signed or encrypted; null for not at all. <see cref="ChangeProtection(SaveProtection?)"/> changes it.
    /// </summary>
    public SaveProtection? Protection => _terms.Protection;

    /// <summary>
    /// Changes how saves are protected while the store is open: all saves that are there are brought under the new protection, one after
    /// the other, and the next ones are written under it. Saves load the whole time. Saves that wait to be written are written first.
    /// </summary>
    /// <remarks>
    /// If it fails or is given up, saves go on being written under the earlier protection, both are accepted until the store is closed, and
    /// the call can be repeated. If the process ends in the middle, some saves have the new protection and others the earlier one: a game
    /// that changes it while it runs lists both in <see cref="SaveStoreOptions.OtherProtections"/>. What was deleted can no longer be
    /// brought back. A store without protection has nothing to check its saves by: all of them get the seal, including those that a
    /// stranger put there.
    /// </remarks>
    /// <param name="to">The new protection; null for none.</param>
    /// <returns>What became of every generation. One that did not fit the earlier protection stays as it is.</returns>
    /// <exception cref="ArgumentException">The protection is invalid.</exception>
    /// <exception cref="StorageException">The storage refused.</exception>
    /// <exception cref="StoreInUseException">Another process writes to the store.</exception>
    public IReadOnlyList<SlotProtection> ChangeProtection(SaveProtection? to)
    {
        to?.CheckForWriting();
        return _slots.ChangeNow(files => ChangeProtection(files, to));
    }

    /// <param name="to">The new protection; null for none.</param>
    /// <param name="cancellationToken">Cancels it; the call can be repeated.</param>
    /// <inheritdoc cref="ChangeProtection(SaveProtection?)"/>
    public Task<IReadOnlyList<SlotProtection>> ChangeProtectionAsync(SaveProtection? to, CancellationToken cancellationToken = default)
    {
        to?.CheckForWriting();
        return _slots.ChangeInBackground(files => ChangeProtection(files, to), cancellationToken);
    }

    private async ValueTask<IReadOnlyList<SlotProtection>> ChangeProtection(SlotFiles files, SaveProtection? to)
    {
        await _slots.Hold(files).ConfigureAwait(false);
        var from = Protection;
        _accepted = [to, from, .. _options.OtherProtections];
        // The keys that show hidden titles: until the end, saves under both are there.
        _slots.Reading.Protection = from ?? to;
        IReadOnlyList<SlotProtection> results;
        try
        {
            results = await _slots.Protect(files, [from, .. _options.OtherProtections], to).ConfigureAwait(false);
        }
        catch
        {
            _accepted = [from, to, .. _options.OtherProtections];
            throw;
        }
        lock (_currentGate)
            _terms = _terms with { Protection = to };
        _slots.Reading.Protection = to;
        _accepted = [to, .. _options.OtherProtections];
        return results;
    }

    /// <summary>Holds a save against the protections that the store accepts, its own first.</summary>
    /// <exception cref="TamperedSaveException">It fits none of them; what does not fit the store's own.</exception>
    private static void CheckSeal(SavedFile file, SaveProtection?[] accepted)
    {
        if (SaveSlots.FindMisfit(file, accepted) is { } misfit && accepted[0] is not null)
            ExceptionDispatchInfo.Throw(misfit);
    }
}

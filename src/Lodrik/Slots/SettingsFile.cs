using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Saves.Writing;
using Lodrik.Slots;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik;

/// <summary>
/// Options that belong to no slot, such as the volume: one file beside the slots, written as durably as saves are. It is replaced in
/// one step and has no history.
/// </summary>
/// <typeparam name="T">Any state type.</typeparam>
public sealed class SettingsFile<T> where T : IStateType<T>
{
    private readonly SaveSlots _slots;
    private readonly SaveForm _form;
    private readonly SaveProtection? _protection;

    internal SettingsFile(SaveSlots slots, SaveForm form, SaveProtection? protection = null) =>
        (_slots, _form, _protection) = (slots, form, protection);

    private string FileName => SettingsNames.Name + new SaveTerms(_form, Protection: _protection).File.Extension;

    /// <summary>Where a person finds the file; where there is none yet, where it will be.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public string Locate() => _slots.Now(Locate);

    /// <inheritdoc cref="Locate()"/>
    public Task<string> LocateAsync(CancellationToken cancellationToken = default) => _slots.InBackground(Locate, cancellationToken);

    /// <summary>The settings as they were saved; initial values where there are none.</summary>
    /// <exception cref="SaveException">There are some, and they cannot be read; the file is left as it is.</exception>
    public T Load() => _slots.Now(Load);

    /// <inheritdoc cref="Load()"/>
    public Task<T> LoadAsync(CancellationToken cancellationToken = default) => _slots.InBackground(Load, cancellationToken);

    /// <summary>The settings as they were saved; initial values where there are none, or where they cannot be read.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public LoadedSettings<T> LoadOrNew() => _slots.Now(LoadOrNew);

    /// <inheritdoc cref="LoadOrNew()"/>
    public Task<LoadedSettings<T>> LoadOrNewAsync(CancellationToken cancellationToken = default) =>
        _slots.InBackground(LoadOrNew, cancellationToken);

    /// <summary>Saves the settings.</summary>
    /// <exception cref="SaveException">They cannot be saved; what was saved before is still there.</exception>
    public void Save(T settings)
    {
        var bytes = Encode(settings);
        _slots.ChangeNow(files => Save(files, bytes));
    }

    /// <summary>Saves the settings as they are at this moment, in the background.</summary>
    /// <inheritdoc cref="Save(T)"/>
    public Task SaveAsync(T settings, CancellationToken cancellationToken = default)
    {
        var bytes = Encode(settings);
        return _slots.ChangeInBackground(files => Save(files, bytes), cancellationToken);
    }

    /// <summary>Deletes the settings, so that all have their initial values again.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public void Reset() => _slots.ChangeNow(files => Reset(files));

    /// <inheritdoc cref="Reset()"/>
    public Task ResetAsync(CancellationToken cancellationToken = default) =>
        _slots.ChangeInBackground(files => Reset(files), cancellationToken);

    private async ValueTask<string> Locate(SlotFiles files) => files.Calls.Locate(await Existing(files).ConfigureAwait(false) ?? FileName);

    private async ValueTask<T> Load(SlotFiles files) =>
        await Existing(files).ConfigureAwait(false) is { } file && await files.Calls.Read(file).ConfigureAwait(false) is { } bytes
            ? WholeState.Decode<T>(Checked(SavedFile.FromBytes(bytes, new SaveLocation { File = files.Calls.Locate(file) })))
            : T.CreateState();

    private SavedFile Checked(SavedFile file)
    {
        if (_protection is not null)
            file.CheckSeal(_protection);
        return file;
    }

    private async ValueTask<LoadedSettings<T>> LoadOrNew(SlotFiles files)
    {
        try
        {
            return new LoadedSettings<T>(await Load(files).ConfigureAwait(false), null);
        }
        catch (SaveException exception) when (exception is not StorageException)
        {
            return new LoadedSettings<T>(T.CreateState(), exception);
        }
    }

    private byte[] Encode(T settings)
    {
        ArgumentNullException.ThrowIfNull(settings);
        var bytes = StateFile.ToBytes(settings, _form);
        return _protection is null ? bytes : SavedFile.FromBytes(bytes).Protect(_protection);
    }

    private async ValueTask<bool> Save(SlotFiles files, byte[] bytes)
    {
        await _slots.Hold(files).ConfigureAwait(false);
        var before = await Existing(files).ConfigureAwait(false);
        await files.Calls.Write(FileName, bytes, replace: true).ConfigureAwait(false);
        // Settings of another form are older than these, and would be in doubt with them.
        if (before is not null && before != FileName)
            await files.Calls.Delete(before).ConfigureAwait(false);
        return true;
    }

    private async ValueTask<bool> Reset(SlotFiles files)
    {
        await _slots.Hold(files).ConfigureAwait(false);
        while (await Existing(files).ConfigureAwait(false) is { } file)
            await files.Calls.Delete(file).ConfigureAwait(false);
        return true;
    }

    private async ValueTask<string?> Existing(SlotFiles files)
    {
        string[] names = [FileName, .. Enum.GetValues<SaveForm>().Select(form => SettingsNames.Name + form.FileExtension())];
        foreach (var name in names)
        {
            if (await files.Calls.ReadRange(name, 0, 1).ConfigureAwait(false) is not null)
                return name;
        }
        return null;
    }
}

/// <summary>What files with settings are called.</summary>
internal static class SettingsNames
{
    /// <summary>The name without its extension.</summary>
    public const string Name = "settings";
}

/// <summary>Settings, whether or not there were any that could be read.</summary>
/// <typeparam name="T">The settings' type.</typeparam>
/// <param name="Value">The settings; initial values where there were none to read.</param>
/// <param name="Problem">
/// What is wrong with those that were saved; null if nothing is. The file is left as it is until settings are saved.
/// </param>
public sealed record LoadedSettings<T>(T Value, SaveException? Problem);

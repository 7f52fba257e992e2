using Lodrik.Inspection;
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
    private const string Name = "settings";

    private readonly SaveSlots _slots;
    private readonly ISaveStorage _storage;
    private readonly SaveForm _form;

    internal SettingsFile(SaveSlots slots, SaveForm form) => (_slots, _storage, _form) = (slots, slots.Storage, form);

    /// <summary>Where a person finds the file.</summary>
    public string Location => _storage.Locate(Existing() ?? FileName);

    private string FileName => Name + _form.FileExtension();

    /// <summary>The settings as they were saved; initial values where there are none.</summary>
    /// <exception cref="SaveException">There are some, and they cannot be read; the file is left as it is.</exception>
    public T Load() => Existing() is { } file && _storage.Read(file) is { } bytes
        ? StateFile.Decode<T>(SavedFile.FromBytes(bytes, new SaveLocation { File = _storage.Locate(file) }))
        : T.CreateState();

    /// <summary>The settings as they were saved; initial values where there are none, or where they cannot be read.</summary>
    /// <param name="problem">What is wrong with them; null where nothing is. The file is left as it is until settings are saved.</param>
    public T LoadOrNew(out SaveException? problem)
    {
        try
        {
            problem = null;
            return Load();
        }
        catch (SaveException exception) when (exception is not StorageException)
        {
            problem = exception;
            return T.CreateState();
        }
    }

    /// <summary>Saves the settings.</summary>
    /// <exception cref="SaveException">They cannot be saved; what was saved before is still there.</exception>
    public void Save(T settings)
    {
        ArgumentNullException.ThrowIfNull(settings);
        var bytes = StateFile.ToBytes(settings, _form);
        lock (_slots.Gate)
        {
            _slots.Hold();
            var before = Existing();
            _storage.Write(FileName, bytes, replace: true);
            // Settings of another form are older than these, and would be in doubt with them.
            if (before is not null && before != FileName)
                _storage.Delete(before);
        }
    }

    /// <summary>Deletes the settings, so that all have their initial values again.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public void Reset()
    {
        lock (_slots.Gate)
        {
            _slots.Hold();
            while (Existing() is { } file)
                _storage.Delete(file);
        }
    }

    private string? Existing()
    {
        string[] names = [FileName, .. Enum.GetValues<SaveForm>().Select(form => Name + form.FileExtension())];
        return Array.Find(names, name => _storage.Read(name, 0, 1) is not null);
    }
}

using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>What a file in a storage is, by its name.</summary>
public enum SlotFileKind
{
    /// <summary>Nothing that Lodrik writes.</summary>
    None,

    /// <summary>A save of a slot.</summary>
    Save,

    /// <summary>The settings, which are a file like a save, with a state type of their own.</summary>
    Settings,

    /// <summary>What belongs to a save and lies beside it, such as its picture.</summary>
    Attachment,

    /// <summary>A short file about a slot or a store, such as the slot's name.</summary>
    Note,
}

/// <summary>For servers and tools that handle the files of a storage without opening it.</summary>
public static class SlotFileNames
{
    /// <summary>What a file with this name is.</summary>
    /// <param name="name">The name within its storage, such as <c>slots/evening/00000007.json</c>.</param>
    /// <exception cref="ArgumentException">It is not a valid name in a storage.</exception>
    public static SlotFileKind KindOf(string name)
    {
        StorageNames.Check(name);
        var steps = name.Split('/');
        if (steps.Length > 2 && steps[0] == ProfileStorage.Folder && SlotName.TryParse(steps[1], out _))
            (steps, name) = (steps[2..], string.Join('/', steps[2..]));
        if (steps.Length == 1)
            return IsSettings(name) ? SlotFileKind.Settings : name == SaveCounter.File ? SlotFileKind.Note : SlotFileKind.None;
        if (SlotFiles.TryParse(name, out _, out _))
            return SlotFileKind.Save;
        return SlotFiles.IsBesideSave(name) ? SlotFileKind.Attachment : SlotFiles.IsNote(name) ? SlotFileKind.Note : SlotFileKind.None;
    }

    private static bool IsSettings(string name) => name.StartsWith(SettingsNames.Name + ".", StringComparison.Ordinal)
        && SlotFiles.IsExtension(name.AsSpan(SettingsNames.Name.Length));
}

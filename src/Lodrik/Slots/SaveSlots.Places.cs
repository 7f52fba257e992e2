using Lodrik.Saves;
using Lodrik.Storage;

namespace Lodrik.Slots;

// Where slots are in folders, for tools that are given paths.
public sealed partial class SaveSlots
{
    /// <summary>Whether a folder is one that slots are in.</summary>
    public static bool IsStore(string folder)
    {
        ArgumentNullException.ThrowIfNull(folder);
        return Directory.Exists(Path.Combine(folder, SlotFiles.Folder));
    }

    /// <summary>Whether a file is a generation of a slot, by its name and the folders that it is in.</summary>
    public static bool IsGeneration(string file)
    {
        ArgumentNullException.ThrowIfNull(file);
        return SlotFiles.TryParse(string.Join('/', Path.GetFullPath(file).Split(Path.DirectorySeparatorChar).TakeLast(3)), out _, out _);
    }

    /// <summary>Whether a file is in the folder of a slot, whatever its name is.</summary>
    public static bool IsInSlot(string file)
    {
        ArgumentNullException.ThrowIfNull(file);
        return Path.GetFileName(Path.GetDirectoryName(Path.GetDirectoryName(Path.GetFullPath(file)))) == SlotFiles.Folder;
    }

    /// <summary>The slot that a path means: the folder of the saves and the slot's name, or the slot's own folder.</summary>
    /// <param name="path">A path such as <c>saves/evening</c> or <c>saves/slots/evening</c>.</param>
    /// <param name="folder">The folder of the saves, absolute.</param>
    /// <param name="slot">The slot.</param>
    /// <returns>Whether there is such a slot.</returns>
    public static bool TryFind(string path, out string folder, out SlotName slot)
    {
        ArgumentNullException.ThrowIfNull(path);
        var full = Path.TrimEndingDirectorySeparator(Path.GetFullPath(path));
        folder = Path.GetDirectoryName(full) ?? "";
        if (!SlotName.TryParse(Path.GetFileName(full), out slot))
            return false;
        if (HasSlot(folder, slot))
            return true;
        if (Path.GetFileName(folder) != SlotFiles.Folder || Path.GetDirectoryName(folder) is not { } above || !HasSlot(above, slot))
            return false;
        folder = above;
        return true;
    }

    /// <summary>The picture that is kept beside a save's file; null if none is that belongs to it.</summary>
    /// <param name="file">The save's file.</param>
    /// <param name="header">What the save says of itself.</param>
    /// <exception cref="StorageException">The picture cannot be read.</exception>
    public static byte[]? ReadThumbnailBeside(string file, SaveHeader? header)
    {
        ArgumentException.ThrowIfNullOrEmpty(file);
        return WholeFile.Find(Path.ChangeExtension(file, Attachments.Picture)) is { } bytes
            && Attachments.IsOwn(header, Attachments.Picture, bytes) ? bytes : null;
    }

    private static bool HasSlot(string folder, SlotName slot) => Directory.Exists(Path.Combine(folder, SlotFiles.Folder, slot.ToString()));
}

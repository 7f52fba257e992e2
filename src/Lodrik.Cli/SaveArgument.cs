using System.CommandLine;
using System.Globalization;
using Lodrik.Inspection;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Cli;

/// <summary>
/// A save as it is named on the command line: a file; a slot of a store, as <c>saves/evening</c> or <c>saves/slots/evening</c>, with
/// <c>@6</c> for one generation; or a store, for its newest save.
/// </summary>
/// <param name="Path">The file.</param>
/// <param name="Store">The folder of the store; null for a file that was named as such.</param>
/// <param name="Slot">The slot; null for a file that was named as such.</param>
/// <param name="Generation">The generation; 0 for a file that was named as such.</param>
internal sealed record SaveArgument(string Path, string? Store, SlotName? Slot, int Generation)
{
    public const string Description = "A save: a file, a store's folder for its newest, <folder>/<slot> for a slot's newest, "
        + "<folder>/<slot>@6 for one generation. An address is taken like a folder.";

    /// <summary>The argument of a command that takes a save, with what a shell offers for it.</summary>
    public static Argument<string> Create(string name, string description = Description)
    {
        var argument = new Argument<string>(name) { Description = description };
        argument.CompletionSources.Add(SaveCompletions.Saves);
        return argument;
    }

    /// <summary>The file of a save that is named as a file or as a slot.</summary>
    /// <exception cref="SaveException">There is no such slot or generation.</exception>
    public static string FileOf(string text) => SavePlace.IsFile(text) ? text : Of(text).Path;

    /// <summary>What the save is called in views.</summary>
    public string Name => Slot is { } slot ? string.Create(
        CultureInfo.InvariantCulture, $"{LastStep(Store!)}/{slot}@{Generation}") : Path;

    /// <exception cref="SaveException">There is no such save.</exception>
    public static SaveArgument Of(string text)
    {
        if (SavePlace.IsFile(text))
            return new SaveArgument(text, null, null, 0);
        var at = text.LastIndexOf('@');
        int? generation = at > 0 && int.TryParse(text.AsSpan(at + 1), NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? number
            : null;
        var place = System.IO.Path.TrimEndingDirectorySeparator(generation is null ? text : text[..at]);
        if (SavePlace.TryFind(place, out var folder, out var slot))
        {
            // What was named from the working folder is shown from there as well.
            var shown = System.IO.Path.IsPathRooted(text) || SavePlace.IsAddress(text)
                ? folder
                : System.IO.Path.GetRelativePath(Directory.GetCurrentDirectory(), folder);
            return OfSlot(shown, slot, generation);
        }
        if (generation is null && SavePlace.IsStore(place))
        {
            var newest = SavePlace.Slots(place).List().FirstOrDefault(one => one.Health != SlotHealth.Damaged)
                ?? throw new StorageException("There are no saves in the folder.", new SaveLocation { File = place }, "Check the path.");
            return OfSlot(place, newest.Slot, newest.Generation);
        }
        // A slot that is not there is named by the error, with the one that was most likely meant.
        if (SavePlace.IsStore(folder) && SlotName.TryParse(LastStep(place), out var unknown))
            SavePlace.Slots(folder).History(unknown);
        throw new StorageException(
            Directory.Exists(text) ? "This is a folder, but not a store of saves." : "There is no such file, slot or store.",
            new SaveLocation { File = text },
            "Give the path of a save, of a slot as <folder>/<slot>, or of a store.");
    }

    /// <summary>Opens the save, and checks its seal where a key is given.</summary>
    /// <exception cref="SaveException">It cannot be read, or does not fit.</exception>
    /// <param name="key">The key.</param>
    /// <param name="mayBePlain">Whether a save without a seal is taken as it is.</param>
    public SavedFile Open(ToolKey? key, bool mayBePlain = false) => Open(Path, key, mayBePlain);

    /// <summary>Opens a file, and checks its seal where a key is given.</summary>
    /// <inheritdoc cref="Open(ToolKey?, bool)"/>
    public static SavedFile Open(string path, ToolKey? key, bool mayBePlain)
    {
        var file = SavePlace.OpenFile(path);
        if (key is not null && (file.HasSeal || !mayBePlain))
            file.CheckSeal(key.For(file));
        return file;
    }

    private static SaveArgument OfSlot(string store, SlotName slot, int? generation)
    {
        var slots = SavePlace.Slots(store);
        var generations = slots.History(slot);
        var found = generation is null ? generations[0] : generations.FirstOrDefault(one => one.Number == generation)
            ?? throw new SlotException(
            SaveErrorCode.NoSuchSlot, $"Slot '{slot}' has no generation {generation}.", new SaveLocation { Slot = slot.ToString() },
            $"It has {string.Join(", ", generations.Select(one => one.Number))}.");
        return new SaveArgument(System.IO.Path.IsPathRooted(store) || SavePlace.IsAddress(store)
            ? slots.Storage.Locate(found.File)
            : System.IO.Path.Combine(store, found.File), store, slot, found.Number);
    }

    private static string LastStep(string place) => System.IO.Path.GetFileName(
        SavePlace.IsAddress(place) ? place.TrimEnd('/') : System.IO.Path.GetFullPath(place));
}

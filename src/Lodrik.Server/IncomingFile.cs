using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Slots;

namespace Lodrik.Server;

/// <summary>Looks at files before they are kept: nothing is believed of what a player sends.</summary>
internal static class IncomingFile
{
    /// <summary>What is kept beside a slot's saves, such as its name, is short.</summary>
    private const int MaxNoteBytes = 64 * 1024;

    /// <summary>The bytes to keep of a file: as they came, or signed.</summary>
    /// <param name="name">The file's name within the player's storage.</param>
    /// <param name="bytes">Its content.</param>
    /// <param name="player">The player.</param>
    /// <param name="options">What the server accepts.</param>
    /// <exception cref="ServerProblemException">It is refused.</exception>
    public static byte[] Check(string name, byte[] bytes, string player, SaveServerOptions options)
    {
        switch (SlotFileNames.KindOf(name))
        {
            case SlotFileKind.Save:
                return CheckSave(bytes, player, options);
            case SlotFileKind.Settings:
                return CheckSettings(bytes);
            case SlotFileKind.Attachment:
                return bytes;
            case SlotFileKind.Note when bytes.Length <= MaxNoteBytes:
                return bytes;
            case SlotFileKind.Note:
                throw new ServerProblemException(ServerProblem.TooLarge(MaxNoteBytes));
            default:
                throw new ServerProblemException(ServerProblem.BadName);
        }
    }

    /// <summary>Settings have a type and versions of their own.</summary>
    private static byte[] CheckSettings(byte[] bytes)
    {
        try
        {
            CheckSections(SavedFile.FromBytes(bytes));
            return bytes;
        }
        catch (SaveException exception)
        {
            throw new ServerProblemException(ServerProblem.Refused(exception));
        }
    }

    private static byte[] CheckSave(byte[] bytes, string player, SaveServerOptions options)
    {
        try
        {
            var file = SavedFile.FromBytes(bytes);
            if (file.Header is not { } header)
                throw new SaveContentException(
                    SaveErrorCode.WrongContent, "The save has no header.", remedy: "Load and save it in the game once.");
            if (header.Game != options.Game)
                throw new SaveMismatchException(
                    SaveErrorCode.WrongGame, "The save belongs to another game.", remedy: "Nothing was kept of it.");
            if (header.Version > options.NewestVersion)
                throw new SaveMismatchException(
                    SaveErrorCode.NewerVersion,
                    $"The save has version {header.Version}, and the server knows no version after {options.NewestVersion}.",
                    remedy: "The server needs an update.");
            if (header.Version < options.OldestVersion)
                throw new SaveMismatchException(
                    SaveErrorCode.MissingMigration,
                    $"The save has version {header.Version}, and the server accepts none before {options.OldestVersion}.",
                    remedy: "Update the game, and load and save it once.");
            var isOurs = Fits(file, options.SignatureOf?.Invoke(player));
            if (!isOurs && options.SealOf?.Invoke(player) is { } seal)
                file.CheckSeal(seal);
            CheckSections(file);
            return isOurs || options.SignatureOf?.Invoke(player) is not { } signature ? bytes : Sign(file, signature);
        }
        catch (SaveException exception)
        {
            throw new ServerProblemException(ServerProblem.Refused(exception));
        }
    }

    /// <summary>A section is held against the seal when it is read, and no player is to get what cannot be read.</summary>
    private static void CheckSections(SavedFile file)
    {
        if (file.Health is SectionHealth.Damaged)
            throw new DamagedSaveException(SaveErrorCode.Damaged, "The save is damaged.", remedy: "Send it again.");
        if (file.Health is not SectionHealth.Intact || file.MissingSections.Count > 0)
            throw new TamperedSaveException(
                SaveErrorCode.EditedByHand, "The save was edited.", remedy: "Send saves as the game makes them.");
        // Without its key, an encrypted save can only be kept as it is.
        if (file.IsEncrypted && file.SealKey is null)
            return;
        foreach (var section in file.Sections)
            file.ReadSection(section.Name);
    }

    /// <summary>Whether the server has signed the save itself, for this player.</summary>
    private static bool Fits(SavedFile file, SaveProtection? signature)
    {
        if (signature is null || !file.HasSeal)
            return false;
        try
        {
            file.CheckSeal(signature);
            return true;
        }
        catch (TamperedSaveException)
        {
            return false;
        }
    }

    private static byte[] Sign(SavedFile file, SaveProtection signature)
    {
        if (file.IsEncrypted)
            throw new TamperedSaveException(
                SaveErrorCode.Encrypted, "Encrypted saves cannot be signed.", remedy: "Send saves that are sealed and not encrypted.");
        // What the server has no key for was not checked, and is not to be signed as if it had been.
        if (file.HasSeal && file.SealKey is null)
            throw new TamperedSaveException(
                SaveErrorCode.UnknownKey, "The save is sealed with a key that the server does not have.",
                remedy: "Send saves as the game makes them.");
        return file.Protect(signature);
    }
}

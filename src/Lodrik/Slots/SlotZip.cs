using System.IO.Compression;
using System.Text;
using Lodrik.Inspection;
using Lodrik.Saves.Forms;

namespace Lodrik.Slots;

/// <summary>
/// A slot as one file: a ZIP archive (ISO/IEC 21320-1) with the slot's folder in it, as it is in the storage: its generations, what is kept
/// beside them, and the name that the player gave it.
/// </summary>
internal static class SlotZip
{
    /// <summary>A slot keeps a handful of generations; a file with this many is not one that came from a slot.</summary>
    private const int MostGenerations = 10_000;

    private const string NameEntry = "name.txt";

    /// <summary>One generation of a slot in an archive.</summary>
    /// <param name="Number">Its number there.</param>
    /// <param name="Save">The archive's entry with the save.</param>
    /// <param name="Extension">The extension that the save's file gets.</param>
    /// <param name="Header">What it says of itself; null if it was written entirely by hand.</param>
    /// <param name="Attachments">What is kept beside it, by name.</param>
    public sealed record Packed(
        int Number, ZipArchiveEntry Save, string Extension, SaveHeader? Header, IReadOnlyDictionary<string, ZipArchiveEntry> Attachments);

    /// <summary>What an archive has of a slot.</summary>
    /// <param name="Folder">The name of the folder in it; empty if it has none.</param>
    /// <param name="Name">What the player called the slot; empty if it had no name.</param>
    /// <param name="Generations">The saves that are whole, oldest first.</param>
    /// <param name="PassedOver">What is wrong with the others.</param>
    public sealed record Content(
        string Folder, string Name, IReadOnlyList<Packed> Generations, IReadOnlyList<SaveException> PassedOver);

    /// <summary>Makes the archive of a slot.</summary>
    /// <param name="files">The storage.</param>
    /// <param name="slot">The slot.</param>
    /// <param name="generations">The generations that go along.</param>
    /// <exception cref="SaveException">A file cannot be read, or is gone.</exception>
    public static async ValueTask<ReadOnlyMemory<byte>> Pack(SlotFiles files, SlotName slot, IReadOnlyList<Generation> generations)
    {
        using var stream = new MemoryStream();
        using (var zip = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            if (await files.ReadName(slot).ConfigureAwait(false) is { Length: > 0 } name)
                Add($"{slot}/{NameEntry}", Encoding.UTF8.GetBytes(name), null);
            // Oldest first, each number once.
            foreach (var generation in generations.DistinctBy(one => one.Number).OrderBy(one => one.Number))
            {
                var location = files.Locate(slot, generation);
                var save = await files.Calls.Read(generation.File).ConfigureAwait(false) ?? throw new GenerationGoneException(location);
                var header = (await files.Describe(slot, generation).ConfigureAwait(false)).Header;
                Add(EntryOf(generation.File), save, header?.Saved);
                foreach (var attachment in Attachments.NamesIn(header))
                {
                    if (await files.ReadAttachment(slot, generation, attachment).ConfigureAwait(false) is { } bytes)
                        Add(EntryOf(SlotFiles.AttachmentOf(slot, generation.Number, attachment)), bytes, header?.Saved);
                }
            }

            void Add(string path, byte[] bytes, DateTimeOffset? time)
            {
                var entry = zip.CreateEntry(path);
                // ZIP knows the years from 1980 to 2107 only.
                if (time is { Year: > 1980 and < 2107 } at)
                    entry.LastWriteTime = at;
                using var content = entry.Open();
                content.Write(bytes);
            }
        }
        return stream.GetBuffer().AsMemory(0, (int)stream.Length);

        static string EntryOf(string file) => file[(SlotFiles.Folder.Length + 1)..];
    }

    /// <summary>Looks through an archive, which may come from anybody: each save in it is read once, and nothing is written.</summary>
    /// <param name="zip">The archive.</param>
    /// <param name="file">Its file, for messages.</param>
    /// <param name="allowance">What all of it may become.</param>
    /// <exception cref="SaveException">It has no save that is whole, or saves of several slots, or more than a slot can have.</exception>
    public static Content Read(ZipArchive zip, string file, ZipAllowance allowance)
    {
        var location = new SaveLocation { File = file };
        var saves = new SortedDictionary<int, ZipArchiveEntry>();
        var beside = new Dictionary<int, Dictionary<string, ZipArchiveEntry>>();
        var folders = new HashSet<string>(StringComparer.Ordinal);
        var name = "";
        foreach (var entry in zip.Entries)
        {
            var steps = entry.FullName.Split('/', '\\');
            var (folder, last) = (steps.Length > 1 ? steps[^2] : "", steps[^1]);
            if (SlotFiles.TryParse($"{SlotFiles.Folder}/slot/{last}", out _, out var number))
            {
                folders.Add(folder);
                if (!saves.TryAdd(number, entry) || saves.Count > MostGenerations)
                    throw Refused(
                        folders.Count > 1 ? "The file has saves of several slots." : "Two saves in the file have the same number.",
                        location);
            }
            else if (TryAttachment(last, out number, out var attachment))
                (beside.TryGetValue(number, out var of) ? of : beside[number] = []).TryAdd(attachment, entry);
            else if (last == NameEntry)
                name = SaveLabel.NameOf(Encoding.UTF8.GetString(allowance.Read(entry, 4 * SaveLabel.MaxNameLength)));
        }
        if (folders.Count > 1)
            throw Refused("The file has saves of several slots.", location, "Put each slot into its own file.");
        if (saves.Count == 0)
            throw Refused("The file contains no save.", location);
        var (whole, problems) = (new List<Packed>(), new List<SaveException>());
        foreach (var (number, entry) in saves)
        {
            try
            {
                var at = location with { Generation = number };
                var opened = SavedFile.FromBytes(allowance.Read(entry), at);
                if (opened.Health == SectionHealth.Damaged)
                    throw new DamagedSaveException(SaveErrorCode.Damaged, "The save is damaged.", at);
                whole.Add(new Packed(
                    number, entry, ExtensionOf(entry, opened), opened.Header, beside.GetValueOrDefault(number) ?? []));
            }
            catch (SaveException problem) when (problem.Code != SaveErrorCode.LimitExceeded)
            {
                problems.Add(problem);
            }
        }
        return whole.Count > 0 ? new Content(folders.Single(), name, whole, problems) : throw problems[^1];
    }

    /// <summary>Opens an archive.</summary>
    /// <exception cref="SaveException">It is none.</exception>
    public static ZipArchive Open(Stream stream, string file)
    {
        try
        {
            var zip = new ZipArchive(stream, ZipArchiveMode.Read);
            // The directory is at the end, and read with the first look at it.
            _ = zip.Entries.Count;
            return zip;
        }
        catch (Exception exception) when (exception is InvalidDataException or IOException or OverflowException or ArgumentException)
        {
            throw new DamagedSaveException(
                SaveErrorCode.NotASave, "The file is not a ZIP archive, or it is damaged.", new SaveLocation { File = file },
                "Choose a file that a slot was exported to.", exception);
        }
    }

    private static DamagedSaveException Refused(string problem, SaveLocation location, string? remedy = null) =>
        new(SaveErrorCode.NotASave, problem, location, remedy ?? "Choose a file that a slot was exported to.");

    /// <summary>Extensions of ours stay; what else a stranger's file is called does not get into the folder.</summary>
    private static string ExtensionOf(ZipArchiveEntry entry, SavedFile save)
    {
        var extension = Path.GetExtension(entry.FullName);
        return FileForms.All.Any(form => form.Extension == extension) ? extension : save.Opened.File.Extension;
    }

    private static bool TryAttachment(string file, out int number, out string name)
    {
        var dot = file.IndexOf('.', StringComparison.Ordinal);
        (number, name) = (0, dot < 0 ? "" : file[(dot + 1)..]);
        return dot >= 8 && int.TryParse(file.AsSpan(0, dot), System.Globalization.NumberStyles.None, null, out number)
            && (name == Attachments.Picture || Attachments.IsName(name));
    }
}

/// <summary>How much an archive from anybody may become while it is read.</summary>
/// <param name="bytes">All of it.</param>
/// <param name="file">Its file, for messages.</param>
internal sealed class ZipAllowance(long bytes, string file)
{
    private long _left = bytes;

    /// <summary>Reads an entry, whatever size it says it has.</summary>
    /// <param name="entry">The entry.</param>
    /// <param name="most">The most bytes that are read of it; the rest is left.</param>
    /// <exception cref="SaveException">It is damaged, encrypted, or too large.</exception>
    public byte[] Read(ZipArchiveEntry entry, int most = int.MaxValue)
    {
        if (entry.IsEncrypted)
            throw new DamagedSaveException(
                SaveErrorCode.Encrypted, $"\"{entry.Name}\" in the file is encrypted.", new SaveLocation { File = file },
                "Create the file again without a password.");
        try
        {
            using var content = entry.Open();
            using var read = new MemoryStream();
            var part = new byte[1 << 16];
            int count;
            while (read.Length < most && (count = content.Read(part, 0, (int)Math.Min(part.Length, most - read.Length))) > 0)
            {
                read.Write(part, 0, count);
                if ((_left -= count) < 0)
                    throw new DamagedSaveException(
                        SaveErrorCode.LimitExceeded, "The file would become far larger than a file of this size should.",
                        new SaveLocation { File = file }, "SaveStoreOptions.Allowance says how large it may become.");
            }
            return read.ToArray();
        }
        catch (Exception exception) when (exception is InvalidDataException or IOException or NotSupportedException)
        {
            throw new DamagedSaveException(
                SaveErrorCode.Damaged, $"\"{entry.Name}\" in the file cannot be read.", new SaveLocation { File = file }, null, exception);
        }
    }
}

using System.Text.Json;
using Lodrik.Storage;

namespace Lodrik.Slots;

// What a listing of the storage says of each slot, and which of its generations are hidden.
internal sealed partial class SlotFiles
{
    /// <summary>The file that has the numbers of a slot's hidden generations: a JSON array.</summary>
    private const string HiddenFile = "hidden.json";

    /// <summary>The file that has what the player calls a slot: text in UTF-8.</summary>
    private const string NameFile = "name.txt";

    /// <summary>The file that has which save the slot had in common last with one at another place: JSON.</summary>
    private const string CommonFile = "common.json";

    /// <summary>What is read of a name: enough for the longest with characters of four bytes.</summary>
    private const int NameBytes = 4 * SaveLabel.MaxNameLength;

    /// <summary>A stranger's file that is larger than any list of numbers is not read.</summary>
    private const int MostHiddenBytes = 1 << 20;

    /// <summary>What the storage has of a slot.</summary>
    public sealed class Listed
    {
        /// <summary>The generations that there are, newest first.</summary>
        public List<Generation> Shown { get; } = [];

        /// <summary>Those that are deleted and can be brought back, or that are not all there yet; newest first.</summary>
        public List<Generation> Hidden { get; } = [];

        /// <summary>The file with the name that the player gave it; null if there is none.</summary>
        public StoredFile? NameFile { get; set; }

        /// <summary>Whether there are files that belong to the slot itself and go with its last save.</summary>
        public bool HasOwnFiles => NameFile is not null || HasCommon;

        /// <summary>Whether it is noted which save the slot had in common with another place.</summary>
        public bool HasCommon { get; set; }

        /// <summary>The hidden numbers, whether or not there are such generations; null if the slot has no list of them.</summary>
        public HashSet<int>? HiddenNumbers { get; set; }

        /// <summary>The first of so many numbers in a row for new generations; too large for one where none is left.</summary>
        public long NextNumbers(int count)
        {
            var first = 1L + Math.Max(Newest(Shown), Newest(Hidden));
            // What is listed and not there was never written, or is gone and may be back after a power failure.
            for (var number = first; HiddenNumbers is not null && number < first + count && number <= int.MaxValue; number++)
            {
                if (HiddenNumbers.Contains((int)number))
                    first = number + 1;
            }
            return first;
        }

        private static int Newest(List<Generation> generations) => generations.Count > 0 ? generations[0].Number : 0;
    }

    /// <summary>What the storage has of one slot.</summary>
    public async ValueTask<Listed> Contents(SlotName slot)
    {
        var listed = await Find().ConfigureAwait(false);
        // While a new generation is put instead of the only one, a listing may see neither.
        return listed.Shown.Count > 0 ? listed : await Find().ConfigureAwait(false);

        async ValueTask<Listed> Find() =>
            (await List($"{Folder}/{slot}").ConfigureAwait(false)).GetValueOrDefault(slot) ?? new Listed();
    }

    /// <summary>What the storage has of the slots in a folder of it.</summary>
    public async ValueTask<SortedDictionary<SlotName, Listed>> List(string folder)
    {
        var slots = new SortedDictionary<SlotName, Listed>();
        var files = await calls.List(folder).ConfigureAwait(false);
        if (folder == Folder)
            headers.Trim(files.Count);
        foreach (var file in files)
        {
            if (TryParse(file.Name, out var slot, out var number))
            {
                if (await IsSave(file).ConfigureAwait(false))
                    Of(slot).Shown.Add(new Generation(number, file.Name, file.ByteCount, file.Stamp));
            }
            else if (IsBeside(file.Name, HiddenFile, out slot))
                Of(slot).HiddenNumbers = [];
            else if (IsBeside(file.Name, NameFile, out slot))
                Of(slot).NameFile = file;
            else if (IsBeside(file.Name, CommonFile, out slot))
                Of(slot).HasCommon = true;
        }
        foreach (var (slot, listed) in slots)
        {
            if (listed.HiddenNumbers is not null)
            {
                var hidden = listed.HiddenNumbers = await ReadHidden(slot).ConfigureAwait(false);
                listed.Hidden.AddRange(listed.Shown.Where(one => hidden.Contains(one.Number)));
                listed.Shown.RemoveAll(one => hidden.Contains(one.Number));
            }
            listed.Shown.Sort((a, b) => b.Number.CompareTo(a.Number));
            listed.Hidden.Sort((a, b) => b.Number.CompareTo(a.Number));
        }
        return slots;

        Listed Of(SlotName slot)
        {
            if (!slots.TryGetValue(slot, out var listed))
                slots.Add(slot, listed = new Listed());
            return listed;
        }
    }

    /// <summary>
    /// Hides generations, there or still to come, in one step: nobody sees any of them from here on. They are deleted by whoever writes
    /// next in another process, unless they are shown before that.
    /// </summary>
    public async ValueTask Hide(SlotName slot, IEnumerable<int> numbers)
    {
        var hidden = await ReadHidden(slot).ConfigureAwait(false);
        hidden.UnionWith(numbers);
        await WriteHidden(slot, hidden).ConfigureAwait(false);
    }

    /// <summary>Shows generations that were hidden, in one step.</summary>
    public async ValueTask Show(SlotName slot, IEnumerable<int> numbers)
    {
        var hidden = await ReadHidden(slot).ConfigureAwait(false);
        hidden.ExceptWith(numbers);
        await WriteHidden(slot, hidden).ConfigureAwait(false);
    }

    /// <summary>
    /// Deletes hidden generations of a slot for good, and what is beside them; then the slot's name if nothing else is left.
    /// </summary>
    /// <param name="slot">The slot.</param>
    /// <param name="isKept">Whether a generation stays hidden; null keeps none.</param>
    public async ValueTask Purge(SlotName slot, Func<int, bool>? isKept = null)
    {
        var listed = await Contents(slot).ConfigureAwait(false);
        if (listed.HiddenNumbers is not { } hidden)
            return;
        var kept = hidden.Where(number => isKept?.Invoke(number) == true).ToHashSet();
        foreach (var generation in listed.Hidden)
        {
            if (!kept.Contains(generation.Number))
                await Delete(slot, generation).ConfigureAwait(false);
        }
        if (kept.Count == 0 || kept.Count < hidden.Count)
            await WriteHidden(slot, kept).ConfigureAwait(false);
        if (listed.Shown.Count == 0 && kept.Count == 0 && listed.HasOwnFiles)
            await DeleteOwnFiles(slot).ConfigureAwait(false);
    }

    /// <summary>What the player calls a slot; the empty text where it has no name.</summary>
    public ValueTask<string> ReadName(SlotName slot) => ReadName(new StoredFile(NameFileOf(slot), 0));

    private async ValueTask<string> ReadName(StoredFile file)
    {
        if (headers.FindName(file) is { } known)
            return known;
        var bytes = await ReadBeside(file.Name, NameBytes).ConfigureAwait(false);
        var name = bytes is null ? "" : SaveLabel.NameOf(System.Text.Encoding.UTF8.GetString(bytes));
        headers.AddName(file, name);
        return name;
    }

    /// <summary>Says what the player calls a slot from now on.</summary>
    public ValueTask WriteName(SlotName slot, string name) => calls.WriteAll([NameContent(slot, name)]);

    /// <summary>The file that says what the player calls a slot, as it has to be written.</summary>
    public static StoredContent NameContent(SlotName slot, string name) =>
        new(NameFileOf(slot), new(System.Text.Encoding.UTF8.GetBytes(name)), Replace: true);

    /// <summary>A slot that no longer exists has no name, and nothing in common with another one.</summary>
    public async ValueTask DeleteOwnFiles(SlotName slot)
    {
        await calls.Delete(CommonFileOf(slot)).ConfigureAwait(false);
        await calls.Delete(NameFileOf(slot)).ConfigureAwait(false);
    }

    /// <summary>The file that has which save a slot here and one elsewhere had in common last.</summary>
    public static string CommonFileOf(SlotName slot) => $"{Folder}/{slot}/{CommonFile}";

    /// <summary>The file that has what the player calls a slot.</summary>
    private static string NameFileOf(SlotName slot) => $"{Folder}/{slot}/{NameFile}";

    private static string HiddenFileOf(SlotName slot) => $"{Folder}/{slot}/{HiddenFile}";

    /// <summary>Whether a file is a short one about a slot.</summary>
    public static bool IsNote(string path) =>
        path.StartsWith(Folder + "/", StringComparison.Ordinal) && (IsBeside(path, HiddenFile, out _) || IsBeside(path, NameFile, out _)
            || IsBeside(path, CommonFile, out _));

    /// <summary>Whether a file has the name of something that belongs to a save, such as its picture.</summary>
    public static bool IsBesideSave(string path)
    {
        var steps = path.Split('/');
        if (steps.Length != 3 || steps[0] != Folder || !SlotName.TryParse(steps[1], out _))
            return false;
        var dot = steps[2].IndexOf('.', StringComparison.Ordinal);
        return dot is >= Digits and <= MostDigits && steps[2].AsSpan(0, dot).IndexOfAnyExceptInRange('0', '9') < 0
            && steps[2][(dot + 1)..] is var rest && (rest == Attachments.Picture || Attachments.IsName(rest));
    }

    /// <summary>Whether a file is this one of some slot.</summary>
    private static bool IsBeside(string path, string file, out SlotName slot)
    {
        var steps = path.Split('/');
        slot = default;
        return steps.Length == 3 && steps[2] == file && SlotName.TryParse(steps[1], out slot);
    }

    /// <summary>The numbers of a slot's hidden generations. A list that cannot be read hides nothing.</summary>
    private async ValueTask<HashSet<int>> ReadHidden(SlotName slot)
    {
        if (await ReadBeside(HiddenFileOf(slot), MostHiddenBytes).ConfigureAwait(false) is not { } bytes)
            return [];
        try
        {
            using var list = JsonDocument.Parse(bytes);
            return list.RootElement.ValueKind != JsonValueKind.Array ? [] :
                [.. list.RootElement.EnumerateArray().Select(one => one.ValueKind == JsonValueKind.Number && one.TryGetInt32(out var number)
                    ? number : 0).Where(number => number > 0)];
        }
        catch (JsonException)
        {
            return [];
        }
    }

    /// <summary>Reads a file that a slot's saves do not depend on; null if there is none, or where it alone cannot be read.</summary>
    private async ValueTask<byte[]?> ReadBeside(string file, int count)
    {
        try
        {
            return await calls.ReadRange(file, 0, count).ConfigureAwait(false);
        }
        catch (StorageException exception) when (exception.IsOneFile)
        {
            return null;
        }
    }

    private async ValueTask WriteHidden(SlotName slot, HashSet<int> numbers)
    {
        if (numbers.Count == 0)
            await calls.Delete(HiddenFileOf(slot)).ConfigureAwait(false);
        else
            await calls.Write(
                HiddenFileOf(slot), System.Text.Encoding.ASCII.GetBytes($"[{string.Join(',', numbers.Order())}]"), replace: true)
                .ConfigureAwait(false);
    }
}

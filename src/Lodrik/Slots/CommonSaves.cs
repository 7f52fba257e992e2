using System.Text.Json;

namespace Lodrik.Slots;

/// <summary>
/// Which save a slot here and one elsewhere had in common last, by playthrough for rings: <c>slots/evening/common.json</c>. Without it,
/// a slot whose older saves have made room for newer ones would look as if it had gone its own way.
/// </summary>
internal sealed class CommonSaves(SlotFiles files, SlotName slot, string place)
{
    private const int MostBytes = 1 << 16;

    private readonly string _file = SlotFiles.CommonFileOf(slot);

    public async ValueTask<IReadOnlyDictionary<Guid, Guid>> Read() =>
        (await All().ConfigureAwait(false)).GetValueOrDefault(place) ?? [];

    public async ValueTask Note(Guid playthrough, Guid save)
    {
        var all = await All().ConfigureAwait(false);
        if (!all.TryGetValue(place, out var known))
            all.Add(place, known = []);
        if (known.GetValueOrDefault(playthrough) == save)
            return;
        known[playthrough] = save;
        using var bytes = new MemoryStream();
        using (var writer = new Utf8JsonWriter(bytes))
        {
            writer.WriteStartObject();
            foreach (var (name, saves) in all)
            {
                writer.WriteStartObject(name);
                foreach (var (line, id) in saves)
                    writer.WriteString(line.ToString(), id);
                writer.WriteEndObject();
            }
            writer.WriteEndObject();
        }
        await files.Calls.Write(_file, bytes.ToArray(), replace: true).ConfigureAwait(false);
    }

    /// <summary>What is noted; nothing of a file that is not as this class writes it: then ids alone decide.</summary>
    private async ValueTask<Dictionary<string, Dictionary<Guid, Guid>>> All()
    {
        var all = new Dictionary<string, Dictionary<Guid, Guid>>(StringComparer.Ordinal);
        if (await files.Calls.ReadRange(_file, 0, MostBytes).ConfigureAwait(false) is not { Length: > 0 and < MostBytes } bytes)
            return all;
        try
        {
            using var document = JsonDocument.Parse(bytes);
            foreach (var there in document.RootElement.EnumerateObject())
            {
                var saves = all[there.Name] = [];
                foreach (var line in there.Value.EnumerateObject())
                    saves[Guid.Parse(line.Name)] = line.Value.GetGuid();
            }
        }
        catch (Exception exception) when (exception is JsonException or InvalidOperationException or FormatException)
        {
            all.Clear();
        }
        return all;
    }
}

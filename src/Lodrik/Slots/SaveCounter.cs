using System.Buffers.Text;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Lodrik.Protection;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>
/// The counter of a store: the number of its last write, and of the newest save of each slot, in one file beside the slots. It is a compact
/// JWS (RFC 7515) by the store's own key, so that nobody else can set it back; whoever sets back all of a store sets back this too.
/// </summary>
internal sealed class SaveCounter
{
    public const string File = "counter.jws";

    private SaveProtection _protection;
    private readonly Dictionary<string, long> _newest = new(StringComparer.Ordinal);
    private readonly string? _problem;

    private SaveCounter(byte[]? bytes, SaveLocation location, SaveProtection protection)
    {
        _protection = protection;
        if (bytes is null)
        {
            IsMissing = true;
            return;
        }
        try
        {
            var (payload, _, _) = SealEnvelope.OpenJwsPayload(
                Encoding.ASCII.GetString(bytes), protection.Keys, location);
            using var document = JsonDocument.Parse(payload);
            var root = document.RootElement;
            if (root.GetProperty("context").GetString() != ContextDigest)
            {
                _problem = "The store's counter is bound to another context.";
                return;
            }
            Last = root.GetProperty("count").GetInt64();
            foreach (var slot in root.GetProperty("slots").EnumerateObject())
                _newest[slot.Name] = slot.Value.GetInt64();
        }
        catch (Exception exception) when (exception is TamperedSaveException or JsonException or InvalidOperationException
            or KeyNotFoundException or FormatException)
        {
            _problem = "The store's counter was changed.";
        }
    }

    /// <summary>The number of the last write.</summary>
    public long Last { get; private set; }

    /// <summary>Whether it is there and fits its seal.</summary>
    public bool IsSound => !IsMissing && _problem is null;

    private bool IsMissing { get; set; }

    private string ContextDigest => Base64Url.EncodeToString(SHA256.HashData(Encoding.UTF8.GetBytes(_protection.Context)));

    /// <summary>Reads the counter of a store; one that does not fit counts as missing, and every save then counts as replayed.</summary>
    /// <exception cref="StorageException">The storage cannot be read.</exception>
    public static async ValueTask<SaveCounter> Read(StorageCalls calls, SaveProtection protection) =>
        new(await calls.Read(File).ConfigureAwait(false), new SaveLocation { File = calls.Locate(File) }, protection);

    /// <summary>The name under which a slot's newest save is counted; a ring has one for each playthrough.</summary>
    public static string NameOf(SlotName slot, Guid playthrough) => slot.IsRing ? $"{slot}/{playthrough:N}" : slot.ToString();

    /// <summary>The number of the next write.</summary>
    /// <param name="held">The number of the slot's newest save: a store that was cut short after a save counts on from there.</param>
    public long Next(long? held) => Math.Max(Math.Max(Last, held ?? 0), _protection.NewestKnown ?? 0) + 1;

    /// <summary>Whether a save is older than the newest one known of its slot; null if it is not.</summary>
    public ReplayedSave? Judge(SlotName slot, SaveHeader? header)
    {
        var known = header is null ? null : NewestOf(slot, header.Playthrough);
        var count = header?.WriteNumber;
        var reason = _problem
            ?? (IsMissing && (count is not null || _protection.NewestKnown is not null) ? "The store's counter was removed."
            : !IsMissing && Last < _protection.NewestKnown ? "The whole store is older than the newest count known of it."
            : count <= Last && known is null && !IsMissing ? "The slot's newest save is not one that the store wrote there."
            : (count ?? 0) < (known ?? 0) ? "The slot has held a newer save than this one."
            : null);
        return reason is null ? null : new ReplayedSave(reason, count, known);
    }

    /// <summary>
    /// Makes sure that there is a counter before the first save is counted: a save without one would look as if it had been taken away.
    /// </summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public async ValueTask Begin(StorageCalls calls)
    {
        if (!IsMissing)
            return;
        await Write(calls).ConfigureAwait(false);
        IsMissing = false;
    }

    /// <summary>Takes down which save is a slot's newest, for good once the call has returned.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public ValueTask Note(StorageCalls calls, SlotName slot, Guid playthrough, long count)
    {
        _newest[NameOf(slot, playthrough)] = count;
        Last = Math.Max(Last, count);
        return Write(calls);
    }

    /// <summary>Forgets a slot that the game deleted: whatever appears there without being saved there was restored.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public ValueTask Forget(StorageCalls calls, SlotName slot)
    {
        foreach (var name in _newest.Keys.Where(name =>
            name == slot.ToString() || (slot.IsRing && name.StartsWith($"{slot}/", StringComparison.Ordinal))).ToList())
            _newest.Remove(name);
        return Write(calls);
    }

    /// <summary>Writes the counter under another protection.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    public ValueTask MoveTo(StorageCalls calls, SaveProtection protection)
    {
        _protection = protection;
        return Write(calls);
    }

    /// <summary>Writes the counter under the store's current key.</summary>
    /// <exception cref="StorageException">The storage refused.</exception>
    private ValueTask Write(StorageCalls calls)
    {
        // A store that can only check signatures writes no saves, and what it copies or deletes is for those who can sign.
        if (!_protection.Keys.Current.CanSeal)
            return default;
        using var buffer = new MemoryStream();
        using (var writer = new Utf8JsonWriter(buffer))
        {
            writer.WriteStartObject();
            writer.WriteNumber("count", Last);
            writer.WriteString("context", ContextDigest);
            writer.WriteStartObject("slots");
            foreach (var (name, count) in _newest)
                writer.WriteNumber(name, count);
            writer.WriteEndObject();
            writer.WriteEndObject();
        }
        return calls.Write(File, Encoding.ASCII.GetBytes(SealEnvelope.WriteJws(_protection.Keys.Current, buffer.ToArray())), replace: true);
    }

    /// <summary>The number of a slot's newest save, as far as it is known.</summary>
    public long? NewestOf(SlotName slot, Guid playthrough) => _newest.TryGetValue(NameOf(slot, playthrough), out var count) ? count : null;
}

using System.Buffers;
using System.Security.Cryptography;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.Storage;
using Tidewarden;
using static Lodrik.Fuzz.Attempt;

namespace Lodrik.Fuzz;

/// <summary>Something that no save may do: another exception than a <see cref="SaveException"/>, or much memory.</summary>
public sealed record FuzzFinding(byte[] Input, string Problem);

/// <summary>
/// Spoils saves of the demo game, of every form and protection, and gives them to everything that reads. What comes back is a save, or a
/// <see cref="SaveException"/> within bounded memory.
/// </summary>
public sealed class ReaderFuzz
{
    /// <summary>What a reader may use for a small save; a compressed one may become a thousand times as large.</summary>
    private const long MostBytes = 64 << 20;
    private const int MostBytesPerByte = 4000;

    private readonly Random _random;
    private readonly List<byte[]> _seeds = [];
    private readonly List<SaveProtection> _protections;

    public ReaderFuzz(int seed)
    {
        _random = new Random(seed);
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var secret = SaveKey.FromBytes("secret", SHA256.HashData("of the fuzzer"u8));
        _protections = [SaveProtection.With(secret), SaveProtection.With(SaveKey.Signing("studio", pair.ExportPkcs8PrivateKeyPem())), SaveProtection.Encrypted(secret) with { HasHiddenTitles = true }];
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            foreach (var protection in (SaveProtection?[])[null, .. _protections])
                _seeds.Add(Evening(form, SaveCompression.None, protection));
            _seeds.Add(Evening(form, SaveCompression.Fast, null));
        }
    }

    /// <summary>How many spoilt saves were read.</summary>
    public int Runs { get; private set; }

    /// <summary>How many of them were refused as files.</summary>
    public int Refused { get; private set; }

    /// <summary>How many of them loaded into the game's types nevertheless: what was spoilt is not protected, or does not matter.</summary>
    public int Loaded { get; private set; }

    /// <summary>How many that were sealed loaded although they were spoilt; none may.</summary>
    public int Forged { get; private set; }

    public override string ToString() => $"{Runs} spoilt saves read: {Refused} refused as files, {Loaded} loaded without a key, {Forged} with a seal that fitted; no finding";

    /// <summary>Spoils one save and reads it; null where all is well.</summary>
    public FuzzFinding? Run()
    {
        var number = _random.Next(_seeds.Count);
        var (input, mayFit) = _random.Next(3) == 0 ? (WithSpoiltContent(_seeds[number]), true) : (Spoil(_seeds[number]), false);
        Runs++;
        var before = GC.GetAllocatedBytesForCurrentThread();
        try
        {
            Read(input, mayFit || input.AsSpan().SequenceEqual(_seeds[number]));
        }
        catch (Exception exception)
        {
            return new FuzzFinding(input, exception.ToString());
        }
        var used = GC.GetAllocatedBytesForCurrentThread() - before;
        return used > MostBytes + ((long)input.Length * MostBytesPerByte) ? new FuzzFinding(input, $"{used} bytes of memory for {input.Length} bytes of input") : null;
    }

    private void Read(byte[] input, bool mayFit)
    {
        if (!Try(() => SavedFile.FromBytes(input)))
            Refused++;
        Try(() => SavedFile.FromBytes(input).Print(full: true));
        Try(() => SavedFile.FromBytes(input).ReadTree());
        Try(() => SavedFile.FromBytes(input).ToForm(SaveForm.Xml));
        if (Try(() => StateFile.FromBytes<TidewardenSave>(input)))
            Loaded++;
        Try(() => SaveHistory.Migrations.FromBytes<TidewardenSave>(input));
        foreach (var protection in _protections)
        {
            var fits = Try(() =>
            {
                var file = SavedFile.FromBytes(input);
                file.CheckSeal(protection);
                return file.ReadTree();
            });
            if (fits && !mayFit)
            {
                Forged++;
                throw new InvalidOperationException("A spoilt save fits its seal.");
            }
            Try(() => SalvagedSave.FromBytes(input, protection).ToBytes(protection));
        }
        Try(() => SalvagedSave.FromBytes(input).ToBytes());
    }

    private byte[] Spoil(byte[] save)
    {
        var bytes = save.ToList();
        for (var times = _random.Next(1, 6); times > 0 && bytes.Count > 0; times--)
        {
            var at = _random.Next(bytes.Count);
            var count = Math.Min(_random.Next(1, 1 + _random.Next(1, 200)), bytes.Count - at);
            switch (_random.Next(8))
            {
                case 0:
                    bytes[at] ^= (byte)(1 << _random.Next(8));
                    break;
                case 1:
                    bytes[at] = (byte)_random.Next(256);
                    break;
                case 2:
                    bytes.RemoveRange(at, count);
                    break;
                case 3:
                    bytes.InsertRange(at, bytes.GetRange(at, count));
                    break;
                case 4:
                    var other = _seeds[_random.Next(_seeds.Count)];
                    var from = _random.Next(other.Length);
                    bytes.InsertRange(at, other.AsSpan(from, Math.Min(count, other.Length - from)).ToArray());
                    break;
                case 5:
                    bytes.RemoveRange(at, bytes.Count - at);
                    break;
                case 6:
                    // Lengths that are larger than anything, as CBOR writes them.
                    bytes.InsertRange(at, (byte[])[(byte)(_random.Next(8) << 5 | 26), 0x7F, 0xFF, 0xFF, (byte)_random.Next(256)]);
                    break;
                default:
                    bytes.InsertRange(at, Enumerable.Repeat((byte)"[{<\"0 9\x9F\x81"[_random.Next(9)], _random.Next(1, 3000)));
                    break;
            }
        }
        return [.. bytes];
    }

    /// <summary>A save whose digests and seal are right and whose content is spoilt: what a decoder sees of somebody who has the key.</summary>
    private byte[] WithSpoiltContent(byte[] save)
    {
        var protection = _protections[_random.Next(_protections.Count)];
        var file = SavedFile.FromBytes(save);
        foreach (var known in _protections.Where(_ => file.HasSeal))
            Try(() => { file.CheckSeal(known); return true; });
        var sections = SectionsOf(file);
        var one = _random.Next(sections.Count);
        sections[one] = EncodedSection.Of(sections[one].Name, Spoil(sections[one].Bytes.ToArray()), sections[one].Decompressed > 0 ? _random.Next(1, 1 << 30) : 0);
        using var writer = new SaveWriter();
        return writer.Write(sections, file.Header!.ForVersion(file.Header.Version), file.Form, _random.Next(2) == 0 ? protection : null).ToArray();
    }

    private static List<EncodedSection> SectionsOf(SavedFile file)
    {
        var source = (CheckedSave)file.Source;
        return [.. source.Names.Select(source.Take)];
    }

    private static byte[] Evening(SaveForm form, SaveCompression compression, SaveProtection? protection)
    {
        var storage = new MemoryStorage();
        using var store = SaveStore<TidewardenSave>.Open(new SaveStoreOptions { Storage = storage, Form = form, Compression = compression, Protection = protection });
        Story.Play(store);
        return storage.Read(storage.List("slots/evening").Single(file => !file.Name.EndsWith(".png", StringComparison.Ordinal)).Name)!;
    }
}

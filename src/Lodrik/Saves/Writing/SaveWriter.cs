using System.Buffers;
using System.Collections.Concurrent;
using Lodrik.Formats;
using Lodrik.Protection;
using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Saves.Writing;

/// <summary>
/// Makes the bytes of a save: the form of the sections, their compression and encryption, the digests, the file around them, the seal. It
/// never looks back at what it wrote.
/// </summary>
/// <param name="most">How many bytes the sections may take together.</param>
internal sealed class SaveWriter(int most = int.MaxValue) : IDisposable
{
    private readonly SectionBatch _batch = new(most);
    private readonly FileAssembly _assembly = new();
    private readonly PooledBuffer _encrypted = new(capacity: 0);
    private readonly List<EncodedSection> _sections = [];

    /// <summary>From how many bytes on sections are compressed side by side.</summary>
    public int WorthSharing { get; init; } = 1 << 20;

    /// <summary>How many sections are compressed at a time: half of the processors, so that the game has the others.</summary>
    public int MostWorkers { get; init; } = Math.Max(1, Environment.ProcessorCount / 2);

    /// <summary>Writes a snapshot. The bytes are valid until the next call, and as long as the sections are.</summary>
    /// <param name="snapshot">What is saved.</param>
    /// <param name="header">What the save says of itself; what follows from the rest is filled in here.</param>
    /// <param name="terms">How it is written.</param>
    /// <param name="cache">What became of sections before; null for nothing.</param>
    /// <param name="compressed">Told after each section that was compressed how many bytes are done, and how many there are in all.</param>
    public ReadOnlySequence<byte> Write(
        Snapshot snapshot, SaveHeader header, SaveTerms terms, SectionCache? cache = null, Action<long, long>? compressed = null)
    {
        GiveForm(snapshot.Sections, terms);
        return Finish(header, terms, cache, compressed);
    }

    /// <summary>
    /// Writes a state at once in the form that the save has, without a snapshot. The bytes are valid until the next call.
    /// </summary>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is.</exception>
    public ReadOnlySequence<byte> Write<T>(T state, SaveHeader header, SaveTerms terms) where T : IStateRoot<T>
    {
        _sections.Clear();
        _batch.Begin(terms.IsIndented);
        terms.Content.Write(state, _batch);
        foreach (var slice in _batch.Slices)
            Add(slice.Name, _batch.BytesOf(slice));
        return Finish(header, terms, cache: null, compressed: null);
    }

    /// <summary>
    /// Writes sections of another save as they are in it. The bytes are valid until the next call, and as long as the sections are.
    /// </summary>
    /// <param name="sections">The sections, compressed or not, and not encrypted.</param>
    /// <param name="header">What the save says of itself; what follows from the rest is filled in here.</param>
    /// <param name="form">The form of their content.</param>
    /// <param name="protection">How the save is sealed or encrypted; null for not at all.</param>
    public ReadOnlySequence<byte> Write(IEnumerable<EncodedSection> sections, SaveHeader header, SaveForm form, SaveProtection? protection)
    {
        _sections.Clear();
        _sections.AddRange(sections);
        var isIndented = _sections.Count == 0 || _sections.Exists(section => section.Bytes.Span.Contains((byte)'\n'));
        return Finish(header, new SaveTerms(form, isIndented, SaveCompression.None, protection), cache: null, compressed: null);
    }

    /// <summary>Lets go of the bytes of the last call, which are not valid any more.</summary>
    public void Release()
    {
        _sections.Clear();
        _batch.Begin(isIndented: false);
        _encrypted.Reset();
        _assembly.Release();
    }

    public void Dispose()
    {
        _batch.Dispose();
        _encrypted.Dispose();
        _assembly.Dispose();
    }

    /// <summary>
    /// Brings packed sections into the form of the save. Packed ones are taken as they are, and kept ones as they were written before.
    /// </summary>
    private void GiveForm(IReadOnlyList<PackedSection> sections, SaveTerms terms)
    {
        _sections.Clear();
        if (!terms.Content.IsText)
        {
            foreach (var section in sections)
                _sections.Add(new EncodedSection(section.Name, section.Bytes, section.Digest));
            return;
        }
        var isIndented = terms.IsIndented;
        var unformed = sections.Where(section => !IsFormed(section)).ToList();
        _batch.Begin(isIndented);
        terms.Content.Write(unformed, _batch);
        var next = 0;
        foreach (var section in sections)
        {
            if (IsFormed(section))
            {
                _sections.Add(section.Formed!.Section);
                continue;
            }
            var bytes = _batch.BytesOf(_batch.Slices[next++]);
            Add(section.Name, section.IsKept ? bytes.ToArray() : bytes);
            if (section.IsKept)
                section.Formed = new FormedSection(terms.Form, isIndented, _sections[^1]);
        }

        bool IsFormed(PackedSection section) =>
            section.Formed is { } formed && formed.Form == terms.Form && formed.IsIndented == isIndented;
    }

    private void Add(string name, ReadOnlyMemory<byte> bytes) => _sections.Add(EncodedSection.Of(name, bytes));

    /// <summary>Everything after the form of the sections.</summary>
    private ReadOnlySequence<byte> Finish(SaveHeader header, SaveTerms terms, SectionCache? cache, Action<long, long>? compressed)
    {
        header.Content = terms.Form;
        if (terms.Compression != SaveCompression.None)
            Compress(terms, cache, compressed);
        var making = terms.Protection?.Keys.Current.NewMaking ?? KeyMaking.None;
        using var cipher = terms.Protection is { IsEncrypted: true } protection ? SectionCipher.New(protection.Keys.Current, making) : null;
        if (cipher is not null)
            Encrypt(cipher);
        if (terms.Protection is { HasHiddenTitles: true } hiding && header.Slot is { } label)
            header.Slot = HiddenLabel.Hide(label, header.SaveId, hiding.Keys.Current, making);
        var file = _sections.Exists(section => section.Decompressed > 0) ? FileForms.Packed : terms.File;
        _assembly.Begin(
            header, _sections, terms.IsIndented, terms.Protection is null ? null : new FileSeal(terms.Protection, making, cipher?.Salt));
        file.Assemble(_assembly);
        if (_assembly.Head.Length > SaveHeader.MostBytes - 1024)
            throw new UnsavableStateException(
                SaveErrorCode.LimitExceeded, "The title and summary of the save take more than a megabyte.", default,
                "Shorten them. Put large content into the state or an attachment.");
        return _assembly.ToSequence();
    }

    /// <summary>Compresses each section for which it pays, as far as the save can still be read.</summary>
    private void Compress(SaveTerms terms, SectionCache? cache, Action<long, long>? compressed)
    {
        EncodedSection[] plain = [.. _sections];
        var total = plain.Sum(section => (long)section.Bytes.Length);
        CompressAll(terms.Compression, total, cache, compressed);
        // Every byte may be an item.
        if (IsReadable((1 + Allowance.Value) * total))
            return;
        var costs = plain.Select(section => terms.Content.ReadingCost(section.Bytes.Span)).ToArray();
        // What is stored as it is adds its own size to what the file allows. The densest first: there it helps most.
        foreach (var i in Enumerable.Range(0, plain.Length).OrderByDescending(i => costs[i] / _sections[i].Bytes.Length))
        {
            if (IsReadable(costs.Sum()))
                return;
            _sections[i] = plain[i];
        }

        bool IsReadable(long cost) => cost <= ReadAllowance.Default.For(_sections.Sum(section => (long)section.Bytes.Length));
    }

    private void CompressAll(SaveCompression compression, long total, SectionCache? cache, Action<long, long>? compressed)
    {
        long done = 0;
        var gate = new Lock();
        var degree = total < WorthSharing ? 1 : MostWorkers;
        // The large ones first, so that none of them is left to one worker at the end.
        var order = Enumerable.Range(0, _sections.Count).OrderByDescending(i => _sections[i].Bytes.Length).ToArray();
        if (degree == 1)
            Array.ForEach(order, CompressOne);
        else
            Parallel.ForEach(
                Partitioner.Create(order, loadBalance: true), new ParallelOptions { MaxDegreeOfParallelism = degree }, CompressOne);

        void CompressOne(int i)
        {
            var section = _sections[i];
            if (cache is null || !cache.TryGetCompressed(section, compression, out var smaller))
            {
                smaller = SectionCompression.Compress(section.Bytes.Span, compression);
                cache?.KeepCompressed(section, compression, smaller);
            }
            var encoded = smaller is null ? section : EncodedSection.Of(section.Name, smaller, section.Bytes.Length);
            lock (gate)
            {
                _sections[i] = encoded;
                compressed?.Invoke(done += section.Bytes.Length, total);
            }
        }
    }

    /// <summary>Encrypts every section, compressed or not, into one buffer.</summary>
    private void Encrypt(SectionCipher cipher)
    {
        _encrypted.Reset();
        _encrypted.Reserve(_sections.Sum(section => (long)section.Bytes.Length + SectionCipher.MostAround));
        var places = new (int Start, int End, UInt128 Digest)[_sections.Count];
        for (var i = 0; i < places.Length; i++)
        {
            var start = _encrypted.Length;
            cipher.Encrypt(i, _sections[i].Name, _sections[i].Bytes.Span, _encrypted);
            places[i] = (start, _encrypted.Length, SectionDigest.Of(_encrypted.Written[start..]));
        }
        // Only now the buffer does not move any more.
        for (var i = 0; i < places.Length; i++)
        {
            var ((start, end, digest), section) = (places[i], _sections[i]);
            _sections[i] = section with { Bytes = _encrypted.WrittenMemory[start..end], Digest = digest, IsEncrypted = true };
        }
    }
}

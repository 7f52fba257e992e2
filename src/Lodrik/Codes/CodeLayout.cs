using System.Numerics;
using System.Security.Cryptography;
using System.Text;

namespace Lodrik.Codes;

/// <summary>
/// Packs a little state into the shortest text that a person can write down and type back, and reads it again: progress for a sequel, a
/// shared level, a score. A layout is immutable and may be used from several threads.
/// </summary>
/// <typeparam name="T">The state that the codes carry: any class.</typeparam>
/// <remarks>
/// A layout of several versions has all their fields: <see cref="CodeFields{T}.Since"/> says which came later, and codes of all these
/// versions are read. Older ones with other fields are read by their own layout, see <see cref="Accepts{TOld}"/>.
/// </remarks>
public sealed partial class CodeLayout<T> : ICodeReader<T> where T : class, new()
{
    private const int MostBits = 4096;

    /// <summary>More characters than any code has: what is longer is not looked into.</summary>
    private const int MostCharacters = 2 * MostBits;

    private readonly CodeScramble _scramble;
    private readonly byte[]? _tagKey;
    private readonly byte[] _mark;
    private readonly List<ICodeReader<T>> _older;

    /// <summary>Builds a layout.</summary>
    /// <param name="name">What tells the codes of this game, and of this use of them, from all others.</param>
    /// <param name="version">The version of new codes, from 1.</param>
    /// <param name="declare">Declares the fields, in order.</param>
    /// <param name="options">How codes are written and guarded; null takes the defaults.</param>
    /// <param name="oldest">The oldest version whose codes have the first fields of these.</param>
    /// <exception cref="CodeException">
    /// The layout is invalid: a field is there twice, came before the one above it, was changed since it was released, …
    /// </exception>
    public CodeLayout(string name, int version, Action<CodeFields<T>> declare, CodeOptions? options = null, int oldest = 1)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        ArgumentNullException.ThrowIfNull(declare);
        (Name, Version, Oldest, Options) = (name, version, oldest, options ?? new CodeOptions());
        Options.Check(name);
        if (oldest < 1 || version < oldest || version > Options.VersionCount)
            throw CodeException.BadLayout(
                $"The layout \"{name}\" has the versions {oldest} to {version}; there is room for 1 to {Options.VersionCount}.");
        var fields = new CodeFields<T>(name, oldest);
        declare(fields);
        (Fields, Documents) = (fields.Fields, fields.Documents);
        if (Fields.Count == 0)
            throw CodeException.BadLayout($"The layout \"{name}\" has no fields.");
        if (Fields[^1].Since > version)
            throw CodeException.BadLayout(
                $"The layout \"{name}\" has version {version}, and its field \"{Fields[^1].Name}\" came with version {Fields[^1].Since}.");
        if (Capacity(version).GetBitLength() > MostBits)
            throw CodeException.BadLayout(
                $"The layout \"{name}\" takes {Capacity(version).GetBitLength()} bits; a code has up to {MostBits}.");
        if (Options.LargestNumber is { } largest && LargestNumber > largest)
            throw CodeException.BadLayout(
                $"The layout \"{name}\" needs numbers up to {LargestNumber}, and its host holds {largest} at most.");

        _mark = [.. SHA256.HashData(Encoding.UTF8.GetBytes($"lodrik code mark\0{name}")).Take(Options.MarkCharacterCount)
            .Select(one => (byte)(one % CodeAlphabet.Size))];
        _scramble = new CodeScramble(Options.Key?.DeriveKey(Protection.EncryptionPurpose.TransferCode)
            ?? SHA256.HashData(Encoding.UTF8.GetBytes($"lodrik code scramble\0{name}")), name);
        _tagKey = Options.Key?.DeriveKey(Protection.EncryptionPurpose.TransferCodeTag);
        _older = [];
    }

    private CodeLayout(CodeLayout<T> origin, IEnumerable<ICodeReader<T>> older)
    {
        (Name, Version, Oldest, Options, Fields, Documents) = (origin.Name, origin.Version, origin.Oldest, origin.Options, origin.Fields,
            origin.Documents);
        (_mark, _scramble, _tagKey, _older) = (origin._mark, origin._scramble, origin._tagKey, [.. origin._older, .. older]);
    }

    /// <summary>What tells the codes of this layout from all others.</summary>
    public string Name { get; }

    /// <summary>The version of new codes.</summary>
    public int Version { get; }

    /// <summary>The oldest version whose codes this layout reads by its own fields.</summary>
    public int Oldest { get; }

    /// <summary>How codes are written and guarded.</summary>
    public CodeOptions Options { get; }

    /// <summary>How many characters a code has, without what stands between groups.</summary>
    public int CharacterCount => TextLength(Version);

    /// <summary>The largest number that <see cref="ToNumber"/> gives. The least is 1: zero stands for nothing stored yet.</summary>
    public BigInteger LargestNumber => Capacity(Version) * Options.VariantCount * Options.VersionCount;

    /// <summary>How many bytes <see cref="ToBytes"/> gives.</summary>
    public int ByteCount => LargestNumber.GetByteCount(isUnsigned: true);

    internal IReadOnlyList<CodeField<T>> Fields { get; }

    internal IReadOnlyList<CodeFieldDocument> Documents { get; }

    /// <summary>
    /// A few characters that change with anything that decides how the fields of a version are packed, for
    /// <see cref="CodeFields{T}.Since"/>.
    /// </summary>
    /// <param name="version">The version; null for the newest.</param>
    public string Fingerprint(int? version = null) => CodeFields<T>.FingerprintOf(FieldsOf(version ?? Version));

    /// <summary>This layout, which reads the codes of older versions with other fields too.</summary>
    /// <param name="older">The layout of those versions.</param>
    /// <param name="upgrade">Makes today's state of theirs.</param>
    /// <exception cref="CodeException">The other layout's versions are not older, or it has another name or mark.</exception>
    public CodeLayout<T> Accepts<TOld>(CodeLayout<TOld> older, Func<TOld, T> upgrade) where TOld : class, new()
    {
        ArgumentNullException.ThrowIfNull(older);
        ArgumentNullException.ThrowIfNull(upgrade);
        if (older.Name != Name || older.Options.MarkCharacterCount != Options.MarkCharacterCount
            || older.Options.VersionCount != Options.VersionCount)
            throw CodeException.BadLayout(
                $"The layout \"{older.Name}\" is not an older version of \"{Name}\": versions of a layout share their name, "
                    + "number of mark characters and room for versions.");
        if (older.Version >= Oldest
            || older._older.Prepend(older).Any(one => _older.Exists(other => other.Newest >= one.Oldest && other.Oldest <= one.Newest)))
            throw CodeException.BadLayout($"Of the layout \"{Name}\", version {older.Version} is there already.");
        return new CodeLayout<T>(this, older._older.Prepend(older).Select(reader => new UpgradedCodes<TOld, T>(reader, upgrade)));
    }

    /// <summary>The code of a state as text, in groups.</summary>
    /// <param name="state">The state.</param>
    /// <param name="variant">Which of the state's codes, from 0; null takes one by chance.</param>
    /// <exception cref="CodeException">The layout has no room for a value of the state; the error names the field.</exception>
    public string ToText(T state, int? variant = null)
    {
        var number = ToNumber(state, variant) - 1;
        var data = new byte[_mark.Length + NumberLength(Version)];
        _mark.CopyTo(data, 0);
        for (var i = data.Length - 1; i >= _mark.Length; i--)
        {
            data[i] = (byte)(number % CodeAlphabet.Size);
            number /= CodeAlphabet.Size;
        }
        return CodeAlphabet.Write(ReedSolomon.Append(data, Options.CheckCharacterCount), Options.GroupSize);
    }

    /// <summary>
    /// The code of a state as bytes, the most significant first. They have no check characters: they are for places that keep bytes whole.
    /// </summary>
    /// <inheritdoc cref="ToText"/>
    public byte[] ToBytes(T state, int? variant = null)
    {
        var bytes = new byte[ByteCount];
        var number = ToNumber(state, variant);
        number.TryWriteBytes(bytes.AsSpan(ByteCount - number.GetByteCount(isUnsigned: true)), out _, isUnsigned: true, isBigEndian: true);
        return bytes;
    }

    /// <summary>The code of a state as one whole number from 1 to <see cref="LargestNumber"/>.</summary>
    /// <inheritdoc cref="ToText"/>
    public BigInteger ToNumber(T state, int? variant = null)
    {
        ArgumentNullException.ThrowIfNull(state);
        if (variant is { } given)
            ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual((uint)given, (uint)Options.VariantCount, nameof(variant));
        var chosen = variant ?? (Options.VariantCount == 1 ? 0 : RandomNumberGenerator.GetInt32(Options.VariantCount));
        var (value, weight) = (BigInteger.Zero, BigInteger.One);
        foreach (var field in Fields)
        {
            value += field.Get(state) * weight;
            weight *= field.Radix;
        }
        value += weight * Tag(value, Version, chosen);
        if (Options.Scrambled)
            value = _scramble.Forth(value, Capacity(Version), Version, chosen);
        return 1 + (Version - 1) + (Options.VersionCount * (chosen + (Options.VariantCount * value)));
    }

    /// <summary>The code of a state as a number of 128 bits.</summary>
    /// <exception cref="OverflowException">The layout needs more.</exception>
    /// <inheritdoc cref="ToText"/>
    public UInt128 ToUInt128(T state, int? variant = null) => (UInt128)ToNumber(state, variant);

    /// <summary>
    /// Reads a code that a player typed. Lower case, spaces, dashes and look-alike characters are accepted, and mistakes are corrected up
    /// to the number that the layout allows.
    /// </summary>
    /// <exception cref="CodeException">
    /// The code is not from this game, or has more mistakes than can be corrected; the error says which characters to check.
    /// </exception>
    public DecodedCode<T> FromText(string text)
    {
        ArgumentNullException.ThrowIfNull(text);
        var (symbols, typed) = CodeAlphabet.Read(text, Options.GroupSize);
        var code = new TypedCode([.. symbols], typed, Options.GroupSize);
        CodeException? problem = null;
        foreach (var correct in new[] { false, true })
        {
            foreach (var reader in _older.Prepend(this))
            {
                try
                {
                    if (reader.Read(code, correct) is { } decoded)
                        return decoded;
                }
                catch (CodeException found)
                {
                    problem ??= found;
                }
            }
        }
        throw problem ?? Refused(code);
    }

    /// <summary>Reads bytes written by <see cref="ToBytes"/>; null if they are all zeros, which means that nothing is stored yet.</summary>
    /// <inheritdoc cref="FromNumber"/>
    public DecodedCode<T>? FromBytes(ReadOnlySpan<byte> bytes) => FromNumber(new BigInteger(bytes, isUnsigned: true, isBigEndian: true));

    /// <summary>Reads a number that <see cref="ToNumber"/> gave; null if it is zero, which stands for nothing stored yet.</summary>
    /// <exception cref="CodeException">It is not a code of this layout.</exception>
    public DecodedCode<T>? FromNumber(BigInteger number)
    {
        if (number.IsZero)
            return null;
        if (number.Sign < 0)
            throw OutOfRange();
        var version = (int)((number - 1) % Options.VersionCount) + 1;
        var reader = _older.Prepend(this).FirstOrDefault(one => one.Oldest <= version && version <= one.Newest)
            ?? throw WrongVersion(version);
        return reader.FromNumber(number - 1, []);
    }

    int ICodeReader<T>.Newest => Version;

    DecodedCode<T>? ICodeReader<T>.Read(TypedCode code, bool correct)
    {
        CodeException? problem = null;
        for (var version = Version; version >= Oldest; version--)
        {
            if (TextLength(version) != code.Symbols.Length)
                continue;
            var symbols = !correct ? ReedSolomon.Fits(code.Symbols, Options.CheckCharacterCount) ? code.Symbols : null
                : Options.Corrects > 0 ? ReedSolomon.Correct(code.Symbols, Options.CheckCharacterCount, Options.Corrects) : null;
            if (symbols is null)
                continue;
            try
            {
                var number = NumberOf(symbols, _mark.Length + NumberLength(version));
                var actual = (int)(number % Options.VersionCount) + 1;
                if (actual == version)
                    return ((ICodeReader<T>)this).FromNumber(number, code.Changes(symbols));
                if (actual > Version || actual < Oldest)
                    problem ??= WrongVersion(actual);
            }
            catch (CodeException found)
            {
                problem ??= found;
            }
        }
        // What comes of a correction and is not a code was corrected to something that nobody wrote down.
        return problem is null || correct ? null : throw problem;
    }

    DecodedCode<T> ICodeReader<T>.FromNumber(BigInteger number, IReadOnlyList<CodePosition> corrected)
    {
        var version = (int)(number % Options.VersionCount) + 1;
        number /= Options.VersionCount;
        var variant = (int)(number % Options.VariantCount);
        var value = number / Options.VariantCount;
        if (value >= Capacity(version))
            throw OutOfRange();
        if (Options.Scrambled)
            value = _scramble.Back(value, Capacity(version), version, variant);
        var fields = FieldsOf(version);
        var room = fields.Aggregate(BigInteger.One, (product, field) => product * field.Radix);
        var tag = value / room;
        value %= room;
        if (tag != Tag(value, version, variant))
            throw new CodeException(
                SaveErrorCode.CodeForged, "The code was not made with the key.", "This is not a valid code. Please check that you "
                    + "have typed it as it was given.");
        var state = new T();
        foreach (var field in fields)
        {
            field.Set(state, value % field.Radix);
            value /= field.Radix;
        }
        return new DecodedCode<T>(state, version, corrected);
    }

    /// <summary>Each field's digit in a code, in order, for an explanation.</summary>
    internal (int Version, int Variant, BigInteger Scrambled, BigInteger Value, IReadOnlyList<BigInteger> Digits) Digits(BigInteger number)
    {
        var version = (int)((number - 1) % Options.VersionCount) + 1;
        var variant = (int)((number - 1) / Options.VersionCount % Options.VariantCount);
        var scrambled = (number - 1) / Options.VersionCount / Options.VariantCount;
        var value = Options.Scrambled ? _scramble.Back(scrambled, Capacity(version), version, variant) : scrambled;
        var (rest, digits) = (value, new List<BigInteger>());
        foreach (var field in FieldsOf(version))
        {
            digits.Add(rest % field.Radix);
            rest /= field.Radix;
        }
        return (version, variant, scrambled, value, digits);
    }

    internal IReadOnlyList<CodeField<T>> FieldsOf(int version) =>
        version >= Fields[^1].Since ? Fields : [.. Fields.Where(field => field.Since <= version)];

    /// <summary>How many values a version's fields and its tag have together.</summary>
    internal BigInteger Capacity(int version) => FieldsOf(version).Aggregate(TagRoom, (product, field) => product * field.Radix);

    internal BigInteger TagRoom => Options.Key is null ? 1 : BigInteger.One << (CodeAlphabet.Bits * Options.TagCharacterCount);

    internal int NumberLength(int version) => Math.Max(1,
        (int)(((Capacity(version) * Options.VariantCount * Options.VersionCount) - 1).GetBitLength() + CodeAlphabet.Bits - 1)
            / CodeAlphabet.Bits);

    internal int TextLength(int version)
    {
        var data = _mark.Length + NumberLength(version);
        return data + (Options.CheckCharacterCount * ReedSolomon.Blocks(data, Options.CheckCharacterCount));
    }

    private BigInteger Tag(BigInteger value, int version, int variant)
    {
        if (_tagKey is null)
            return BigInteger.Zero;
        var tag = HMACSHA256.HashData(_tagKey, Encoding.UTF8.GetBytes($"{Name}\0{version}\0{variant}\0{value}"));
        return new BigInteger(tag, isUnsigned: true, isBigEndian: true) % TagRoom;
    }

    /// <summary>The number after the mark.</summary>
    /// <exception cref="CodeException">The mark is another game's.</exception>
    private BigInteger NumberOf(ReadOnlySpan<byte> symbols, int data)
    {
        if (!symbols[.._mark.Length].SequenceEqual(_mark))
            throw new CodeException(
                SaveErrorCode.CodeOfAnotherGame, $"The code is intact but does not belong to \"{Name}\".", "This code is for another game.",
                remedy: "Check that this is the right code.");
        var number = BigInteger.Zero;
        foreach (var symbol in symbols[_mark.Length..data])
            number = (number * CodeAlphabet.Size) + symbol;
        return number;
    }

    /// <summary>Why a code is none of any version: what is wrong with it, as exactly as its check characters can tell.</summary>
    private CodeException Refused(TypedCode code)
    {
        var lengths = _older.SelectMany(reader => reader.Lengths).Concat(((ICodeReader<T>)this).Lengths).Distinct().Order().ToList();
        var length = code.Symbols.Length;
        if (lengths.Contains(length))
        {
            var mended = ReedSolomon.Correct(code.Symbols, Options.CheckCharacterCount, Options.CheckCharacterCount / 2);
            var positions = mended is null ? [] : code.Changes(mended);
            return new CodeException(
                SaveErrorCode.CodeMistyped,
                positions.Count == 0
                    ? "There is a mistake in the code, and its check characters cannot say where."
                    : $"There is a mistake in the code, most likely at {string.Join(" and ", positions)}.",
                positions.Count == 0
                    ? "There is a mistake in this code. Please compare it with what was written down."
                    : $"There is a mistake in this code. Look at {string.Join(" and ", positions)}.",
                positions);
        }
        if (length > _mark.Length && length <= MostCharacters && ReedSolomon.Fits(code.Symbols, Options.CheckCharacterCount)
            && Options.CheckCharacterCount > 0)
        {
            // It is a whole code, of a length that none of ours has.
            try
            {
                var blocks = 1;
                while (ReedSolomon.Blocks(length - (Options.CheckCharacterCount * blocks), Options.CheckCharacterCount) != blocks)
                    blocks++;
                return WrongVersion(
                    (int)(NumberOf(code.Symbols, length - (Options.CheckCharacterCount * blocks)) % Options.VersionCount) + 1);
            }
            catch (CodeException anothers)
            {
                return anothers;
            }
        }
        var nearest = lengths.MinBy(one => Math.Abs(one - length));
        return length < nearest
            ? new CodeException(
                SaveErrorCode.CodeTooShort, $"The code has {length} characters, and should have {string.Join(" or ", lengths)}.",
                $"This code is too short: {nearest - length} {(nearest - length == 1 ? "character is" : "characters are")} missing.")
            : new CodeException(
                SaveErrorCode.CodeTooLong, $"The code has {length} characters, and should have {string.Join(" or ", lengths)}.",
                $"This code is too long by {length - nearest} {(length - nearest == 1 ? "character" : "characters")}.");
    }

    private CodeException WrongVersion(int version) => version > Version
        ? new CodeException(
            SaveErrorCode.CodeOfNewerVersion,
            $"The code has version {version}, and this game reads versions up to {Version}.", "This code is from a newer version of the "
                + "game. Please update the game to use it.")
        : new CodeException(
            SaveErrorCode.CodeOfOlderVersion,
            $"The code has version {version}, and no layout of that version is accepted.", "This code is from an older version of the game "
                + "that is no longer supported.");

    private static CodeException OutOfRange() => new(
        SaveErrorCode.CodeOutOfRange, "The code encodes a number for which the layout has no value.", "This is not a valid code. Please "
            + "check that you have typed it as it was given.");

    /// <summary>What each field costs, and what codes of this layout are like.</summary>
    public CodeExplanation Explain() => MakeExplanation();

    /// <summary>What a code is made of, step by step.</summary>
    /// <exception cref="CodeException">It cannot be read.</exception>
    public CodeSteps Explain(string text)
    {
        var decoded = FromText(text);
        if (decoded.Version < Oldest)
            throw new CodeException(SaveErrorCode.CodeOfOlderVersion,
                $"The code has version {decoded.Version}, which has its own layout.", "", remedy: "Explain it with that layout.");
        var (symbols, _) = CodeAlphabet.Read(text, Options.GroupSize);
        foreach (var position in decoded.Corrected)
            symbols[position.Number - 1] = (byte)CodeAlphabet.Characters.IndexOf(position.Meant!.Value, StringComparison.Ordinal);
        var number = NumberOf(symbols.ToArray(), _mark.Length + NumberLength(decoded.Version)) + 1;
        return MakeSteps(decoded, number, CodeAlphabet.Write(symbols, Options.GroupSize));
    }

    /// <summary>The layout as a JSON document (RFC 8259), which the tool reads. The key is not in it.</summary>
    public string ToJson() => CodeLayoutDocument.Of(Name, Version, Oldest, Options, Documents).ToJson();

    CodeLayoutDocument? ICodeReader<T>.DocumentOf(int version) => DocumentOf(version);

    /// <summary>The layout by which codes of a version are read, older ones with other fields included; null if they are not.</summary>
    internal CodeLayoutDocument? DocumentOf(int version) => version < Oldest || version > Version
        ? _older.Select(older => older.DocumentOf(version)).FirstOrDefault(document => document is not null)
        : CodeLayoutDocument.Of(Name, version, Oldest, Options,
            [.. Documents.Where(document => (document.Since ?? Oldest) <= version)]);

    IEnumerable<int> ICodeReader<T>.Lengths => Enumerable.Range(Oldest, Version - Oldest + 1).Select(TextLength);
}

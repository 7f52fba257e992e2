using System.Numerics;

namespace Lodrik.Codes;

/// <summary>A code as it was typed.</summary>
/// <param name="Symbols">Its symbols.</param>
/// <param name="Typed">What each was typed as.</param>
/// <param name="GroupSize">How many are together.</param>
internal sealed record TypedCode(byte[] Symbols, IReadOnlyList<char> Typed, int GroupSize)
{
    /// <summary>Where the symbols that were meant are not those that were typed.</summary>
    public List<CodePosition> Changes(byte[] meant) =>
        [.. Enumerable.Range(0, Symbols.Length).Where(i => Symbols[i] != meant[i])
            .Select(i => CodePosition.At(i, GroupSize, Typed[i], CodeAlphabet.Characters[meant[i]]))];
}

/// <summary>What reads the codes of some versions into one state.</summary>
internal interface ICodeReader<T>
{
    int Oldest { get; }

    int Newest { get; }

    /// <summary>The lengths of its codes.</summary>
    IEnumerable<int> Lengths { get; }

    /// <summary>The layout by which codes of a version are read; null if it is none of these versions.</summary>
    CodeLayoutDocument? DocumentOf(int version);

    /// <summary>Reads a code; null if it is none of these versions.</summary>
    /// <exception cref="CodeException">It is one, and cannot be read.</exception>
    DecodedCode<T>? Read(TypedCode code, bool correct);

    /// <summary>Reads the number of a code, counted from 0.</summary>
    /// <exception cref="CodeException">It is none of these versions.</exception>
    DecodedCode<T> FromNumber(BigInteger number, IReadOnlyList<CodePosition> corrected);
}

/// <summary>Codes of an older layout, as today's state.</summary>
internal sealed class UpgradedCodes<TOld, T>(ICodeReader<TOld> older, Func<TOld, T> upgrade) : ICodeReader<T> where TOld : class, new()
{
    public int Oldest => older.Oldest;

    public int Newest => older.Newest;

    public IEnumerable<int> Lengths => older.Lengths;

    public CodeLayoutDocument? DocumentOf(int version) => older.DocumentOf(version);

    public DecodedCode<T>? Read(TypedCode code, bool correct) => Upgraded(older.Read(code, correct));

    public DecodedCode<T> FromNumber(BigInteger number, IReadOnlyList<CodePosition> corrected) =>
        Upgraded(older.FromNumber(number, corrected))!;

    private DecodedCode<T>? Upgraded(DecodedCode<TOld>? decoded) =>
        decoded is null ? null : new DecodedCode<T>(upgrade(decoded.State), decoded.Version, decoded.Corrected);
}

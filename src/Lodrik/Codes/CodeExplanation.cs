using System.Numerics;

namespace Lodrik.Codes;

/// <summary>What one field of a layout costs.</summary>
/// <param name="Name">The field.</param>
/// <param name="What">What it holds, in words.</param>
/// <param name="Since">The version that it came with.</param>
/// <param name="ValueCount">How many values it has.</param>
/// <param name="Bits">What it costs: log₂ of that.</param>
/// <param name="Weight">What its digit counts in the packed number.</param>
public sealed record CodeFieldCost(string Name, string What, int Since, BigInteger ValueCount, double Bits, BigInteger Weight);

/// <summary>How long a number is in the characters of one alphabet.</summary>
/// <param name="Alphabet">How many characters the alphabet has.</param>
/// <param name="CharacterCount">How many of them the number takes.</param>
public sealed record AlphabetLength(int Alphabet, int CharacterCount);

/// <summary>What codes of a layout are like.</summary>
/// <param name="Name">The layout.</param>
/// <param name="Version">The version of new codes.</param>
/// <param name="Fields">Its fields, and what each costs.</param>
/// <param name="VersionBits">What the version costs.</param>
/// <param name="VariantBits">What several codes for one state cost.</param>
/// <param name="TagBits">What the tag costs that only those can make who have the key.</param>
/// <param name="LargestNumber">The largest number that a code is.</param>
/// <param name="CharacterCount">How many characters a code has: mark, number and checks.</param>
/// <param name="MarkCharacterCount">How many of them tell it from those of other games.</param>
/// <param name="CheckCharacterCount">How many of them are checks.</param>
/// <param name="Lengths">How many characters the number alone takes with alphabets of 16, 32 and 64.</param>
/// <param name="OddsOfGuessing">
/// The probability that characters typed by chance, as many as a code has, are taken for one; corrections included.
/// </param>
/// <param name="Fingerprint">The fingerprint of the fields.</param>
public sealed record CodeExplanation(
    string Name, int Version, IReadOnlyList<CodeFieldCost> Fields, double VersionBits, double VariantBits, double TagBits,
    BigInteger LargestNumber, int CharacterCount,
    int MarkCharacterCount, int CheckCharacterCount, IReadOnlyList<AlphabetLength> Lengths, double OddsOfGuessing,
    string Fingerprint)
{
    /// <summary>The probability that another game with codes of this length has the same mark and accepts these codes.</summary>
    public double OddsOfAnotherGame => Math.Pow(CodeAlphabet.Size, -MarkCharacterCount);

    /// <summary>What everything costs together.</summary>
    public double Bits => Fields.Sum(cost => cost.Bits) + VersionBits + VariantBits + TagBits;
}

/// <summary>One field of a code.</summary>
/// <param name="Name">The field.</param>
/// <param name="Digit">Its digit.</param>
/// <param name="Weight">What that counts in the packed number.</param>
/// <param name="Value">What it is for.</param>
public sealed record CodeFieldStep(string Name, BigInteger Digit, BigInteger Weight, string Value);

/// <summary>What a code is made of.</summary>
/// <param name="Text">The code as it should be written.</param>
/// <param name="Corrected">The characters that were corrected.</param>
/// <param name="Number">The number that its characters are, counted from 1.</param>
/// <param name="Version">Its version.</param>
/// <param name="Variant">Which of the state's codes it is.</param>
/// <param name="Scrambled">The rest of the number, scrambled.</param>
/// <param name="Packed">The same unscrambled: the packed number.</param>
/// <param name="Fields">The digits of that, field by field.</param>
public sealed record CodeSteps(
    string Text, IReadOnlyList<CodePosition> Corrected, BigInteger Number, int Version, int Variant, BigInteger Scrambled,
    BigInteger Packed, IReadOnlyList<CodeFieldStep> Fields);

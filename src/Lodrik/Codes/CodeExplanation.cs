using System.Numerics;

namespace Lodrik.Codes;

/// <summary>What one field of a layout costs.</summary>
/// <param name="Name">The field.</param>
/// <param name="What">What it holds, in words.</param>
/// <param name="Since">The version that it came with.</param>
/// <param name="Values">How many values it has.</param>
/// <param name="Bits">What it costs: log₂ of that.</param>
/// <param name="Weight">What its digit counts in the packed number.</param>
public sealed record CodeFieldCost(string Name, string What, int Since, BigInteger Values, double Bits, BigInteger Weight);

/// <summary>What codes of a layout are like.</summary>
/// <param name="Name">The layout.</param>
/// <param name="Version">The version of new codes.</param>
/// <param name="Fields">Its fields, and what each costs.</param>
/// <param name="VersionBits">What the version costs.</param>
/// <param name="VariantBits">What several codes for one state cost.</param>
/// <param name="TagBits">What the tag costs that only those can make who have the key.</param>
/// <param name="LargestNumber">The largest number that a code is.</param>
/// <param name="Characters">How many characters a code has: mark, number and checks.</param>
/// <param name="MarkCharacters">How many of them tell it from those of other games.</param>
/// <param name="CheckCharacters">How many of them are checks.</param>
/// <param name="Lengths">How many characters the number alone takes with alphabets of 16, 32 and 64.</param>
/// <param name="OddsOfGuessing">
/// The probability that characters typed by chance, as many as a code has, are taken for one; corrections included.
/// </param>
/// <param name="Fingerprint">The fingerprint of the fields.</param>
public sealed record CodeExplanation(
    string Name, int Version, IReadOnlyList<CodeFieldCost> Fields, double VersionBits, double VariantBits, double TagBits,
    BigInteger LargestNumber, int Characters,
    int MarkCharacters, int CheckCharacters, IReadOnlyList<(int Alphabet, int Characters)> Lengths, double OddsOfGuessing,
    string Fingerprint)
{
    /// <summary>What everything costs together.</summary>
    public double Bits => Fields.Sum(cost => cost.Bits) + VersionBits + VariantBits + TagBits;

    internal static CodeExplanation Of<T>(CodeLayout<T> layout) where T : class, new()
    {
        var (fields, weight) = (new List<CodeFieldCost>(), BigInteger.One);
        foreach (var field in layout.FieldsOf(layout.Version))
        {
            fields.Add(new CodeFieldCost(field.Name, field.What, field.Since, field.Radix, BigInteger.Log(field.Radix, 2), weight));
            weight *= field.Radix;
        }
        var options = layout.Options;
        var bits = (int)(layout.LargestNumber - 1).GetBitLength();
        return new CodeExplanation(
            layout.Name, layout.Version, fields, Math.Log2(options.Versions), Math.Log2(options.Variants),
            BigInteger.Log(layout.TagRoom, 2), layout.LargestNumber, layout.Characters,
            options.MarkCharacters, layout.Characters - options.MarkCharacters - layout.NumberLength(layout.Version),
            [.. new[] { 16, 32, 64 }.Select(size =>
                (size, Math.Max(1, (bits + BitOperations.Log2((uint)size) - 1) / BitOperations.Log2((uint)size))))],
            Odds(layout), layout.Fingerprint());
    }

    /// <summary>
    /// Valid codes among all texts of their length. A text that is corrected counts as well: around each code there are as many as differ
    /// from it in so few characters, and no text is near two codes.
    /// </summary>
    private static double Odds<T>(CodeLayout<T> layout) where T : class, new()
    {
        var options = layout.Options;
        var valid = BigInteger.Log(layout.Capacity(layout.Version) / layout.TagRoom * options.Variants, 2);
        var data = options.MarkCharacters + layout.NumberLength(layout.Version);
        var blocks = options.CheckCharacters == 0 ? 1 : ReedSolomon.Blocks(data, options.CheckCharacters);
        var near = 0.0;
        for (var block = 0; block < blocks && options.Corrects > 0; block++)
        {
            var length = ((data - block + blocks - 1) / blocks) + options.CheckCharacters;
            var (texts, choose) = (1.0, 1.0);
            for (var wrong = 1; wrong <= options.Corrects; wrong++)
            {
                choose = choose * (length - wrong + 1) / wrong;
                texts += choose * Math.Pow(CodeAlphabet.Size - 1, wrong);
            }
            near += Math.Log2(texts);
        }
        return Math.Pow(2, valid + near - (CodeAlphabet.Bits * (double)layout.Characters));
    }
}

/// <summary>One field of a code.</summary>
/// <param name="Name">The field.</param>
/// <param name="Digit">Its digit.</param>
/// <param name="Weight">What that counts in the packed number.</param>
/// <param name="Value">What it stands for.</param>
public sealed record CodeFieldStep(string Name, BigInteger Digit, BigInteger Weight, string Value);

/// <summary>What a code is made of.</summary>
/// <param name="Text">The code as it should be written.</param>
/// <param name="Corrected">The characters that were corrected.</param>
/// <param name="Number">The number that its characters are, counted from 1.</param>
/// <param name="Version">Its version.</param>
/// <param name="Variant">Which of the state's codes it is.</param>
/// <param name="Scrambled">The rest of the number, scrambled.</param>
/// <param name="Packed">The same put back: the packed number.</param>
/// <param name="Fields">The digits of that, field by field.</param>
public sealed record CodeSteps(
    string Text, IReadOnlyList<CodePosition> Corrected, BigInteger Number, int Version, int Variant, BigInteger Scrambled,
    BigInteger Packed, IReadOnlyList<CodeFieldStep> Fields)
{
    internal static CodeSteps Of<T>(CodeLayout<T> layout, DecodedCode<T> decoded, BigInteger number, string text) where T : class, new()
    {
        var (version, variant, scrambled, value, digits) = layout.Digits(number);
        var (steps, weight) = (new List<CodeFieldStep>(), BigInteger.One);
        foreach (var (field, digit) in layout.FieldsOf(version).Zip(digits))
        {
            steps.Add(new CodeFieldStep(field.Name, digit, weight, field.Show(digit)));
            weight *= field.Radix;
        }
        return new CodeSteps(text, decoded.Corrected, number, version, variant, scrambled, value, steps);
    }
}

using System.Numerics;

namespace Lodrik.Codes;

// What a layout and its codes are made of, for tools and tests.
public sealed partial class CodeLayout<T>
{
    /// <summary>What each field costs, and what codes of this layout are like.</summary>
    private CodeExplanation MakeExplanation()
    {
        var (fields, weight) = (new List<CodeFieldCost>(), BigInteger.One);
        foreach (var field in FieldsOf(Version))
        {
            fields.Add(new CodeFieldCost(field.Name, field.What, field.Since, field.Radix, BigInteger.Log(field.Radix, 2), weight));
            weight *= field.Radix;
        }
        var bits = (int)(LargestNumber - 1).GetBitLength();
        return new CodeExplanation(
            Name, Version, fields, Math.Log2(Options.VersionCount), Math.Log2(Options.VariantCount),
            BigInteger.Log(TagRoom, 2), LargestNumber, CharacterCount,
            Options.MarkCharacterCount, CharacterCount - Options.MarkCharacterCount - NumberLength(Version),
            [.. new[] { 16, 32, 64 }.Select(size =>
                new AlphabetLength(size, Math.Max(1, (bits + BitOperations.Log2((uint)size) - 1) / BitOperations.Log2((uint)size))))],
            OddsOfGuessing(), Fingerprint());
    }

    /// <summary>
    /// Valid codes among all texts of their length. A text that is corrected counts as well: around each code there are as many as differ
    /// from it in so few characters, and no text is near two codes.
    /// </summary>
    private double OddsOfGuessing()
    {
        var valid = BigInteger.Log(Capacity(Version) / TagRoom * Options.VariantCount, 2);
        var data = Options.MarkCharacterCount + NumberLength(Version);
        var blocks = Options.CheckCharacterCount == 0 ? 1 : ReedSolomon.Blocks(data, Options.CheckCharacterCount);
        var near = 0.0;
        for (var block = 0; block < blocks && Options.Corrects > 0; block++)
        {
            var length = ((data - block + blocks - 1) / blocks) + Options.CheckCharacterCount;
            var (texts, choose) = (1.0, 1.0);
            for (var wrong = 1; wrong <= Options.Corrects; wrong++)
            {
                choose = choose * (length - wrong + 1) / wrong;
                texts += choose * Math.Pow(CodeAlphabet.Size - 1, wrong);
            }
            near += Math.Log2(texts);
        }
        return Math.Pow(2, valid + near - (CodeAlphabet.Bits * (double)CharacterCount));
    }

    private CodeSteps MakeSteps(DecodedCode<T> decoded, BigInteger number, string text)
    {
        var (version, variant, scrambled, value, digits) = Digits(number);
        var (steps, weight) = (new List<CodeFieldStep>(), BigInteger.One);
        foreach (var (field, digit) in FieldsOf(version).Zip(digits))
        {
            steps.Add(new CodeFieldStep(field.Name, digit, weight, field.Show(digit)));
            weight *= field.Radix;
        }
        return new CodeSteps(text, decoded.Corrected, number, version, variant, scrambled, value, steps);
    }
}

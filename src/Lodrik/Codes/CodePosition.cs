namespace Lodrik.Codes;

/// <summary>One character of a code that was typed in.</summary>
/// <param name="Number">Which character of the code it is, from 1; blanks and dashes do not count.</param>
/// <param name="Group">Which group it is in, from 1.</param>
/// <param name="Place">Which character of that group it is, from 1.</param>
/// <param name="Typed">What was typed.</param>
/// <param name="Meant">What was most likely meant; null if that cannot be told.</param>
public readonly record struct CodePosition(int Number, int Group, int Place, char Typed, char? Meant)
{
    /// <summary>The position as one says it: the 3rd character of group 2.</summary>
    public override string ToString() =>
        $"the {Place}{(Place % 100 is >= 11 and <= 13 ? "th" : (Place % 10) switch { 1 => "st", 2 => "nd", 3 => "rd", _ => "th" })} "
            + $"character of group {Group}";

    internal static CodePosition At(int index, int groupSize, char typed, char? meant) =>
        new(index + 1, (index / groupSize) + 1, (index % groupSize) + 1, typed, meant);
}

namespace Lodrik.Codes;

/// <summary>A field as a layout's document has it: a range, a flag, choices or a set; a list of these where it has items.</summary>
internal sealed record CodeFieldDocument(string Name)
{
    public int? Since { get; set; }

    public long? From { get; set; }

    public long? To { get; set; }

    public bool? Flag { get; set; }

    public IReadOnlyList<string>? Choices { get; set; }

    public IReadOnlyList<string>? Set { get; set; }

    public int? Items { get; set; }
}

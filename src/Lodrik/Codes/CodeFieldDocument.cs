using System.Text.Json.Serialization;

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

    /// <summary>What it holds, in words that say all that decides about its digit.</summary>
    [JsonIgnore]
    public string What => this switch
    {
        { Set: { } set } => $"a set of {string.Join(", ", set)}",
        { Choices: { } choices } => $"{List}one of {string.Join(", ", choices)}",
        { From: { } from, To: { } to } => FormattableString.Invariant($"{List}{from} to {to}"),
        _ => "a flag",
    };

    private string List => Items is { } most ? FormattableString.Invariant($"at most {most} of ") : "";
}

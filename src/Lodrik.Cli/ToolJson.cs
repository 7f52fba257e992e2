using System.Text.Json.Serialization;

namespace Lodrik.Cli;

/// <summary>A slot as <c>--json</c> gives it. Times are in seconds, dates in ISO 8601.</summary>
internal sealed record SlotLine(
    string Slot, string? Kind, string Title, Dictionary<string, string> Summary, double Played, DateTimeOffset? Saved, int? Version, string? Form,
    long Bytes, int Generation, int Generations, string File, string Health, string? Problem);

/// <summary>A generation as <c>--json</c> gives it.</summary>
internal sealed record GenerationLine(int Generation, string? Title, double? Played, DateTimeOffset? Saved, int? Version, string? Form, long Bytes, string File, string? Problem);

/// <summary>A section as <c>check --json</c> and <c>salvage --json</c> give it.</summary>
internal sealed record SectionLine(string Name, int? Bytes, string Health, string? Problem = null);

/// <summary>A save as <c>check --json</c> gives it. The finding is one of intact, editedByHand, unchecked, damaged, tampered, unsealed, anotherKey.</summary>
internal sealed record CheckLine(string File, string Finding, bool IsFine, bool? SealFits, string? Problem, List<SectionLine> Sections)
{
    public bool IsSealed { get; init; }

    public bool IsEncrypted { get; init; }
}

/// <summary>What <c>salvage --json</c> gives.</summary>
internal sealed record SalvageLine(string? Output, int? Bytes, List<SectionLine> Sections);

/// <summary>A form as <c>forms --json</c> gives it. Times are in milliseconds.</summary>
internal sealed record FormLine(string Form, bool Indented, int Bytes, double Write, double Read, bool IsThisFile);

/// <summary>A new save as <c>watch --json</c> gives it, one a line.</summary>
internal sealed record WatchLine(DateTimeOffset Seen, string Slot, int Generation, string? Title, long Bytes, int? Before, string? Problem, System.Text.Json.JsonElement? Patch);

/// <summary>What the tool writes for scripts.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, WriteIndented = true, UseStringEnumConverter = true)]
[JsonSerializable(typeof(List<SlotLine>))]
[JsonSerializable(typeof(List<GenerationLine>))]
[JsonSerializable(typeof(Inspection.SaveWeight))]
[JsonSerializable(typeof(List<CheckLine>))]
[JsonSerializable(typeof(SalvageLine))]
[JsonSerializable(typeof(List<FormLine>))]
internal sealed partial class ToolJson : JsonSerializerContext;

/// <summary>What the tool writes for scripts that read line by line.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase)]
[JsonSerializable(typeof(WatchLine))]
internal sealed partial class ToolJsonLines : JsonSerializerContext;

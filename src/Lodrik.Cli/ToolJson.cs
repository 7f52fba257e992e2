using System.Text.Json.Serialization;

namespace Lodrik.Cli;

/// <summary>A slot as <c>--json</c> gives it. Times are in seconds, dates in ISO 8601.</summary>
internal sealed record SlotLine(
    string Slot, string? Kind, string Title, Dictionary<string, string> Summary, double Played, DateTimeOffset? Saved, int? Version, string? Form,
    long Bytes, int Generation, int Generations, string File, string Health, string? Problem);

/// <summary>A generation as <c>--json</c> gives it.</summary>
internal sealed record GenerationLine(int Generation, string? Title, double? Played, DateTimeOffset? Saved, int? Version, string? Form, long Bytes, string File, string? Problem);

/// <summary>What the tool writes for scripts.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, WriteIndented = true, UseStringEnumConverter = true)]
[JsonSerializable(typeof(List<SlotLine>))]
[JsonSerializable(typeof(List<GenerationLine>))]
[JsonSerializable(typeof(Inspection.SaveWeight))]
internal sealed partial class ToolJson : JsonSerializerContext;

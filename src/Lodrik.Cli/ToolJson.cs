using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using Lodrik.Migrations;

namespace Lodrik.Cli;

/// <summary>A slot as <c>--json</c> gives it. Times are in seconds, dates in ISO 8601.</summary>
internal sealed record SlotLine(
    string Slot, string Name, string? Kind, string Title, Dictionary<string, JsonElement> Summary, double Played, DateTimeOffset? Saved,
    int? Version, string? Form, long ByteCount, int Generation, int GenerationCount, string File, string Health, string? Problem);

/// <summary>A generation as <c>--json</c> gives it.</summary>
internal sealed record GenerationLine(int Generation, string? Title, double? Played, DateTimeOffset? Saved, int? Version, string? Form,
    long ByteCount, string File, string? Problem);

/// <summary>A section as <c>check --json</c> and <c>salvage --json</c> give it.</summary>
internal sealed record SectionLine(string Name, long? ByteCount, string Health, string? Problem = null);

/// <summary>
/// A save as <c>check --json</c> gives it. The finding is one of intact, editedByHand, unchecked, damaged, tampered, unsealed, anotherKey.
/// </summary>
internal sealed record CheckLine(string File, string Finding, bool IsFine, bool? SealFits, string? Problem, List<SectionLine> Sections)
{
    public bool IsSealed { get; init; }

    public bool IsEncrypted { get; init; }
}

/// <summary>What <c>salvage --json</c> gives.</summary>
internal sealed record SalvageLine(string? Output, int? ByteCount, List<SectionLine> Sections);

/// <summary>A form as <c>forms --json</c> gives it. Times are in milliseconds.</summary>
internal sealed record FormLine(string Form, bool Indented, long ByteCount, double Write, double Read, bool IsThisFile);

/// <summary>A new save as <c>watch --json</c> gives it, one a line.</summary>
internal sealed record WatchLine(
    DateTimeOffset Seen, string Slot, int Generation, string? Title, long ByteCount, int? Before, string? Problem, JsonElement? Patch);

/// <summary>A change of a shape as <c>ledger check --json</c> and <c>ledger diff --json</c> give it.</summary>
internal sealed record ShapeLine(bool Loses, string Path, string Change)
{
    public static List<ShapeLine> Of(IEnumerable<ShapeChange> changes) =>
        [.. changes.Select(change => new ShapeLine(change.IsLoss, change.Path, change.ToString()))];
}

/// <summary>What <c>ledger check --json</c> gives.</summary>
internal sealed record LedgerLine(
    string Game, int Version, bool IsFine, bool IsRecorded, bool IsReleased, IReadOnlyList<string> Problems, List<ShapeLine> Changes);

/// <summary>What <c>ledger diff --json</c> gives. The step is the code of the one that is proposed.</summary>
internal sealed record LedgerDiffLine(int From, int To, List<ShapeLine> Changes, string? Step);

/// <summary>
/// A save as <c>migrate --json</c> gives it. Version 0 was imported; nothing is written in a dry run; the patch is what is different.
/// </summary>
internal sealed record MigrationLine(string Save, int? From, int To, string? Written, string? Problem, JsonElement? Patch);

/// <summary>A generation as <c>seal --json</c>, <c>lock --json</c> and <c>unlock --json</c> give it.</summary>
internal sealed record ProtectionLine(string Save, string Protection, bool Changed, string? Problem);

/// <summary>A field as <c>code explain --json</c> gives it. What may be large is text.</summary>
internal sealed record CodeFieldLine(string Name, string Holds, int Since, string Values, double Bits, string Weight);

/// <summary>A layout as <c>code explain --json</c> gives it.</summary>
internal sealed record CodeLayoutLine(
    string Name, int Version, string Fingerprint, double Bits, string LargestNumber, int CharacterCount, int MarkCharacterCount,
    int CheckCharacterCount, int Corrects, double OddsOfGuessing, List<CodeFieldLine> Fields);

/// <summary>A field of a code as <c>code explain --json</c> gives it.</summary>
internal sealed record CodeDigitLine(string Name, string Digit, string Weight, string Value);

/// <summary>A code as <c>code explain --json</c> gives it.</summary>
internal sealed record CodeLine(string Code, List<string> Corrected, string Number, int Version, int Variant, string Scrambled,
    string Packed, List<CodeDigitLine> Fields);

/// <summary>What the tool writes for scripts.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, WriteIndented = true, UseStringEnumConverter = true)]
[JsonSerializable(typeof(List<SlotLine>))]
[JsonSerializable(typeof(List<GenerationLine>))]
[JsonSerializable(typeof(Inspection.SaveWeight))]
[JsonSerializable(typeof(List<CheckLine>))]
[JsonSerializable(typeof(SalvageLine))]
[JsonSerializable(typeof(List<FormLine>))]
[JsonSerializable(typeof(LedgerLine))]
[JsonSerializable(typeof(LedgerDiffLine))]
[JsonSerializable(typeof(List<MigrationLine>))]
[JsonSerializable(typeof(List<ProtectionLine>))]
[JsonSerializable(typeof(CodeLayoutLine))]
[JsonSerializable(typeof(CodeLine))]
internal sealed partial class ToolJson : JsonSerializerContext
{
    /// <summary>Letters of any script, and quotes, are written as they are: this is for people too, and for no web page.</summary>
    public static ToolJson Readable =>
        field ??= new(new JsonSerializerOptions(Default.Options) { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping });
}

/// <summary>What the tool writes for scripts that read line by line.</summary>
[JsonSourceGenerationOptions(PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase)]
[JsonSerializable(typeof(WatchLine))]
internal sealed partial class ToolJsonLines : JsonSerializerContext
{
    /// <inheritdoc cref="ToolJson.Readable"/>
    public static ToolJsonLines Readable =>
        field ??= new(new JsonSerializerOptions(Default.Options) { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping });
}

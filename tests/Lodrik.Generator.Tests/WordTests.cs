using System.Text.RegularExpressions;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>Plain words: a short list of phrases that are not to come back into sources, pages and help.</summary>
public sealed class WordTests
{
    /// <summary>What is not written, and what is written instead.</summary>
    public static TheoryData<string, string> Banned => new()
    {
        { @"(?<![Tt]here )\b(is|was) no (?!longer|more|such|way|reason|matter|need|one|room|surprise|place|good|harm)[a-z]", "is not a valid …" },
        { @"\bstands? (twice|behind|beside)\b", "appears twice, follows, is next to" },
        { @"\bput(s|ting)? (it |them |the scene )?back\b", "restore, roll back, replay" },
        { @"\bwholly\b", "entirely" },
        { @"\banew\b", "again" },
        { @"\b(Known|Recorded|Named|Those) are:", "Valid names:" },
        { @"\bdies? in the middle\b", "crash" },
        { @"\btold apart\b", "distinguished" },
        { @"\blikewise\b", "the same" },
        { @"\bnobody knows\b", "is unknown" },
        { @"\bcannot be\."" ?[,)]", "is invalid" },
    };

    [Theory, MemberData(nameof(Banned))]
    public void A_phrase_that_no_native_speaker_would_write_is_in_no_source_and_on_no_page(string pattern, string instead)
    {
        var phrase = new Regex(pattern);
        var found = Files().SelectMany(file => File.ReadLines(file).Select((line, i) => (Path: Path.GetRelativePath(DocumentTests.Repository, file), Line: line, Number: i + 1)))
            .Where(one => phrase.IsMatch(one.Line)).Select(one => $"{one.Path}:{one.Number}: {one.Line.Trim()}").ToList();
        Assert.True(found.Count == 0, $"Write \"{instead}\":\n{string.Join('\n', found)}");
    }

    private static IEnumerable<string> Files() =>
        Directory.GetFiles(Path.Combine(DocumentTests.Repository, "src"), "*.cs", SearchOption.AllDirectories)
            .Where(file => !file.Contains("/obj/", StringComparison.Ordinal) && !file.Contains("/bin/", StringComparison.Ordinal))
            .Concat(Directory.GetFiles(Path.Combine(DocumentTests.Repository, "docs"), "*.md"))
            .Append(Path.Combine(DocumentTests.Repository, "README.md")).Append(Path.Combine(DocumentTests.Repository, "src/Lodrik/README.md"));
}

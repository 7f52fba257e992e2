using System.Text;
using System.Text.RegularExpressions;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Microsoft.CodeAnalysis.CSharp.Syntax;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>The page of errors: every message of the library, by its code. With <c>LODRIK_WRITE_API=1</c> it is written instead of compared.</summary>
public sealed class ErrorPageTests
{
    private static readonly string Page = Path.Combine(DocumentTests.Repository, "docs", "errors.md");

    /// <summary>Errors that have one code only, and helpers that make them, by what they are called in the sources.</summary>
    private static readonly Dictionary<string, string> Codes = new()
    {
        ["LedgerException"] = "BadLedger",
        ["StorageException"] = "Storage",
        ["OperationException"] = "MigrationFailed",
        ["Wrong"] = "WrongContent",
        ["Damaged"] = "Damaged",
        ["Broken"] = "Damaged",
        ["Changed"] = "Tampered",
        ["Bad"] = "BadCatalogue",
        ["BadLayout"] = "BadCodeLayout",
        ["Unknown"] = "SceneConflict",
        ["Refused"] = "NotASave",
    };

    [Fact]
    public void The_page_of_errors_has_every_message_of_the_library()
    {
        var text = Written();
        if (Environment.GetEnvironmentVariable("LODRIK_WRITE_API") == "1")
            File.WriteAllText(Page, text);
        Assert.True(text == File.ReadAllText(Page), "docs/errors.md is not up to date: LODRIK_WRITE_API=1 dotnet test --project tests/Lodrik.Generator.Tests");
    }

    [Fact]
    public void Every_code_has_a_section_to_which_its_errors_lead()
    {
        var sections = Regex.Matches(File.ReadAllText(Page), "^### (.+)$", RegexOptions.Multiline).Select(match => match.Groups[1].Value).ToHashSet();
        foreach (var code in Enum.GetValues<SaveErrorCode>())
        {
            Assert.Contains(code.ToString(), sections);
            Assert.Equal($"docs/errors.md#{code.ToString().ToLowerInvariant()}", new SaveException(code, "It failed.").HelpLink);
        }
        Assert.Equal(Enum.GetValues<SaveErrorCode>().Length, sections.Count);
        Assert.Equal("https://example.org/help", new SaveException(SaveErrorCode.Damaged, "It failed.") { HelpLink = "https://example.org/help" }.HelpLink);
    }

    private static string Written()
    {
        string[] packages = ["Lodrik", "Lodrik.Http", "Lodrik.Postgres", "Lodrik.Server", "Lodrik.Sqlite"];
        var trees = packages.SelectMany(package => Directory.GetFiles(Path.Combine(DocumentTests.Repository, "src", package), "*.cs", SearchOption.AllDirectories))
            .Where(file => !file.Contains("/obj/", StringComparison.Ordinal) && !file.Contains("/bin/", StringComparison.Ordinal)).Order(StringComparer.Ordinal)
            .Select(file => CSharpSyntaxTree.ParseText(File.ReadAllText(file))).ToList();
        var messages = trees.SelectMany(MessagesOf).Distinct().ToLookup(one => one.Code);
        var codes = trees.SelectMany(tree => tree.GetRoot().DescendantNodes()).OfType<EnumDeclarationSyntax>().Single(one => one.Identifier.Text == nameof(SaveErrorCode)).Members;
        var page = new StringBuilder(
            """
            # Errors

            Everything that fails because of a file, a disk or a wrong call is a `SaveException`. It has a `Code`, which never changes its meaning; a `Problem`, which says what happened; a `Location`
            (file, slot, generation, section, path, line and column, as far as they are known); and usually a `Remedy`, which says what to do. `Message` has all of them in one text, and `HelpLink`
            names the section below.

            The messages of each code follow, with `…` for what depends on the case. This page is written by a test, which reads the messages from the sources.

            """);
        foreach (var group in codes.GroupBy(code => Number(code) / 100))
        {
            page.Append($"\n## {Titles[group.Key]}\n");
            foreach (var code in group.OrderBy(Number))
            {
                page.Append($"\n### {code.Identifier.Text}\n\nCode {Number(code)}. {Summary(code)}\n");
                var rows = messages[code.Identifier.Text].OrderBy(one => one.Problem, StringComparer.Ordinal).ToList();
                if (rows.Count == 0)
                    continue;
                page.Append("\n| message | what to do |\n|---|---|\n");
                foreach (var (_, problem, remedy) in rows)
                    page.Append($"| {Cell(problem)} | {Cell(remedy)} |\n");
            }
        }
        return page.ToString();
    }

    private static IReadOnlyDictionary<int, string> Titles { get; } = new Dictionary<int, string>
    {
        [1] = "Files and their content",
        [2] = "The live state",
        [3] = "Slots",
        [4] = "Storage",
        [5] = "Sessions",
        [6] = "Migrations",
        [7] = "Protection",
        [8] = "Transfer codes",
    };

    private static IEnumerable<(string Code, string Problem, string Remedy)> MessagesOf(SyntaxTree tree)
    {
        foreach (var node in tree.GetRoot().DescendantNodes())
        {
            var arguments = node switch
            {
                BaseObjectCreationExpressionSyntax { ArgumentList: { } list } => list.Arguments,
                InvocationExpressionSyntax call => call.ArgumentList.Arguments,
                ConstructorInitializerSyntax initializer => initializer.ArgumentList.Arguments,
                PrimaryConstructorBaseTypeSyntax type => type.ArgumentList.Arguments,
                _ => default,
            };
            var texts = arguments.Where(argument => argument.NameColon?.Name.Identifier.Text != "remedy").Select(argument => TextsOf(argument.Expression)).ToList();
            var first = texts.FindIndex(one => one.Count > 0);
            // A later text is what to do about a problem that came from elsewhere.
            if (first is < 0 or > 1 || CodeOf(node, arguments) is not { } code)
                continue;
            var remedies = arguments.Where(argument => argument.NameColon?.Name.Identifier.Text == "remedy").SelectMany(argument => TextsOf(argument.Expression))
                .Concat(texts.Skip(first + 1).SelectMany(one => one)).Where(IsSentence).ToList();
            foreach (var problem in texts[first].Where(IsSentence))
                yield return (code, problem, string.Join(" Or: ", remedies));
        }
    }

    private static string? CodeOf(SyntaxNode node, SeparatedSyntaxList<ArgumentSyntax> arguments)
    {
        if (arguments.Select(argument => argument.Expression).OfType<MemberAccessExpressionSyntax>().FirstOrDefault(one => one.Expression.ToString() == nameof(SaveErrorCode)) is { } named)
            return named.Name.Identifier.Text;
        var name = node switch
        {
            ObjectCreationExpressionSyntax made => made.Type.ToString(),
            InvocationExpressionSyntax { Expression: MemberAccessExpressionSyntax access } => access.Name.Identifier.Text,
            InvocationExpressionSyntax { Expression: IdentifierNameSyntax identifier } => identifier.Identifier.Text,
            _ => "",
        };
        return Codes.GetValueOrDefault(name);
    }

    /// <summary>The texts that an expression can be, with dots for what is put into them.</summary>
    private static List<string> TextsOf(ExpressionSyntax expression) => expression switch
    {
        LiteralExpressionSyntax literal when literal.IsKind(SyntaxKind.StringLiteralExpression) => [literal.Token.ValueText],
        InterpolatedStringExpressionSyntax interpolated => [string.Concat(interpolated.Contents.Select(part => part is InterpolatedStringTextSyntax text ? text.TextToken.ValueText : "…"))],
        BinaryExpressionSyntax sum when sum.IsKind(SyntaxKind.AddExpression) => [.. TextsOf(sum.Left).SelectMany(left => TextsOf(sum.Right).DefaultIfEmpty("…").Select(right => left + right))],
        ConditionalExpressionSyntax choice => [.. TextsOf(choice.WhenTrue), .. TextsOf(choice.WhenFalse)],
        ParenthesizedExpressionSyntax inner => TextsOf(inner.Expression),
        SwitchExpressionSyntax choice => [.. choice.Arms.SelectMany(arm => TextsOf(arm.Expression))],
        _ => [],
    };

    private static bool IsSentence(string text) => text.Length > 8 && text.Contains(' ', StringComparison.Ordinal) && (text[^1] is '.' or '?' or '…');

    private static int Number(EnumMemberDeclarationSyntax code) => int.Parse(code.EqualsValue!.Value.ToString(), System.Globalization.CultureInfo.InvariantCulture);

    private static string Summary(EnumMemberDeclarationSyntax code) =>
        Regex.Replace(Regex.Replace(code.GetLeadingTrivia().ToFullString(), @"///|</?summary>", ""), @"\s+", " ").Trim();

    private static string Cell(string text) => text.Replace("|", "\\|", StringComparison.Ordinal).Replace("<", "\\<", StringComparison.Ordinal).Replace("\n", " ", StringComparison.Ordinal);
}

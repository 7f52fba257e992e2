using System.Net;
using Markdig;
using Markdig.Renderers.Html;
using Markdig.Syntax;
using Markdig.Syntax.Inlines;

namespace Lodrik.Site;

/// <summary>One page: a document in Markdown.</summary>
internal sealed class Page
{
    private static readonly MarkdownPipeline Pipeline = new MarkdownPipelineBuilder().UsePipeTables().UseAutoIdentifiers(
        Markdig.Extensions.AutoIdentifiers.AutoIdentifierOptions.GitHub).Build();

    private readonly MarkdownDocument _document;

    /// <param name="root">The folder of the sources.</param>
    /// <param name="source">The document's path in it, with '/' between folders.</param>
    public Page(string root, string source)
    {
        Source = source;
        _document = Markdown.Parse(File.ReadAllText(Path.Combine(root, source)), Pipeline);
        Title = _document.Descendants<HeadingBlock>().FirstOrDefault() is { Inline: { } inline } ? TextOf(inline) : source;
        Anchors = _document.Descendants<HeadingBlock>().Select(heading => heading.TryGetAttributes()?.Id ?? "").ToHashSet();
    }

    /// <summary>The document's path in the sources.</summary>
    public string Source { get; }

    public string Title { get; }

    /// <summary>The places in the page that links can lead to.</summary>
    public IReadOnlySet<string> Anchors { get; }

    /// <summary>The page's path in the site.</summary>
    public string Target => Source == "README.md" ? "index.html" : Path.ChangeExtension(Source.StartsWith("docs/", StringComparison.Ordinal) ? Source["docs/".Length..] : Source, ".html");

    /// <summary>The links of the page, images included.</summary>
    public IEnumerable<LinkInline> Links => _document.Descendants<LinkInline>();

    /// <summary>All its text, for the search.</summary>
    public string Text => string.Join(' ', _document.Descendants<LeafBlock>().Select(block => block.Inline is { } inline ? TextOf(inline) : block.Lines.ToString()));

    /// <summary>Where a link of this page leads in the sources, and the place there; null for the web.</summary>
    public (string Path, string Anchor)? Resolve(string url)
    {
        if (url.Contains("://", StringComparison.Ordinal))
            return null;
        var parts = url.Split('#', 2);
        var folder = Path.GetDirectoryName(Source) ?? "";
        var path = parts[0].Length == 0 ? Source : Path.GetRelativePath("/", Path.GetFullPath(Path.Combine("/", folder, parts[0]))).Replace('\\', '/');
        return (path, parts.Length > 1 ? parts[1] : "");
    }

    /// <summary>The content as HTML, once its links were changed to those of the site.</summary>
    public string ToHtml(Func<LinkInline, string?> change)
    {
        foreach (var link in Links.ToList())
        {
            if (change(link) is { } url)
                link.Url = url;
            else
                link.ReplaceBy(new HtmlInline($"<span>{WebUtility.HtmlEncode(TextOf(link))}</span>"));
        }
        return _document.ToHtml(Pipeline);
    }

    private static string TextOf(ContainerInline inline) => string.Concat(inline.Descendants().Select(part => part switch
    {
        LiteralInline literal => literal.Content.ToString(),
        CodeInline code => code.Content,
        _ => "",
    }));
}

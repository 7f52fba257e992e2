using System.Net;
using System.Text;
using System.Text.Json;

namespace Lodrik.Site;

/// <summary>All documents as one static site.</summary>
internal sealed class Site
{
    private static readonly (string Title, string[] Pages)[] Groups =
    [
        ("Learn", ["index", "getting-started", "tutorial-game", "tutorial-level", "tutorial-save-screen", "tutorial-update", "tutorial-protection"]),
        ("Do", ["guide", "state-types", "slots", "scenes", "engine-objects", "sessions", "migrations", "protection", "transfer-codes", "far", "tool"]),
        ("Look up", ["errors", "format", "api/README", "CHANGELOG"]),
        ("Understand", ["why-it-is-safe", "by-hand", "performance", "decisions/index"]),
    ];

    private readonly string _root;
    private readonly Dictionary<string, Page> _pages;
    private readonly HashSet<string> _pictures = [];

    private Site(string root, IEnumerable<Page> pages)
    {
        _root = root;
        _pages = pages.ToDictionary(page => page.Source);
    }

    public IReadOnlyCollection<Page> Pages => _pages.Values;

    /// <summary>Reads all documents.</summary>
    public static Site Read(string root)
    {
        var documents = Directory.GetFiles(Path.Combine(root, "docs"), "*.md", SearchOption.AllDirectories).Select(file => Path.GetRelativePath(root, file).Replace('\\', '/'));
        return new Site(root, documents.Where(file => file != "docs/package.md").Append("README.md").Append("CHANGELOG.md").Order(StringComparer.Ordinal).Select(file => new Page(root, file)));
    }

    /// <summary>The links that lead nowhere, a line each.</summary>
    public IEnumerable<string> DeadLinks() =>
        from page in _pages.Values
        from link in page.Links
        let target = page.Resolve(link.Url ?? "")
        where target is { } there && !IsThere(there.Path, there.Anchor)
        select $"{page.Source}: \"{link.Url}\" leads nowhere";

    /// <summary>Writes the site to a folder. From then on the links are those of the site.</summary>
    public void Write(string folder)
    {
        Directory.CreateDirectory(folder);
        foreach (var name in (string[])["site.css", "site.js"])
            File.WriteAllText(Path.Combine(folder, name), Resource(name));
        File.WriteAllText(Path.Combine(folder, "pages.js"), $"const pages = {JsonSerializer.Serialize(_pages.Values.Select(page => new { title = page.Title, url = page.Target, text = page.Text }))};\n");
        foreach (var page in _pages.Values)
            WriteFile(folder, page.Target, Encoding.UTF8.GetBytes(HtmlOf(page)));
        WriteFile(folder, "decisions/index.html", Encoding.UTF8.GetBytes(Frame("Decisions", "decisions/index.html", DecisionsList())));
        foreach (var picture in _pictures)
            WriteFile(folder, picture, File.ReadAllBytes(Path.Combine(_root, "docs", picture)));
    }

    private static void WriteFile(string folder, string path, byte[] bytes)
    {
        var file = Path.Combine(folder, path);
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        File.WriteAllBytes(file, bytes);
    }

    private bool IsThere(string path, string anchor) => _pages.TryGetValue(path, out var page)
        ? anchor.Length == 0 || page.Anchors.Contains(anchor)
        : File.Exists(Path.Combine(_root, path)) || Directory.Exists(Path.Combine(_root, path));

    private string HtmlOf(Page page) => Frame(page.Title, page.Target, page.ToHtml(link =>
    {
        if (page.Resolve(link.Url ?? "") is not { } there)
            return link.Url;
        var up = Up(page.Target);
        if (_pages.TryGetValue(there.Path, out var other))
            return $"{up}{other.Target}{(there.Anchor.Length > 0 ? "#" + there.Anchor : "")}";
        if (there.Path.TrimEnd('/') == "docs/decisions")
            return $"{up}decisions/index.html";
        if (!link.IsImage)
            return null;
        var picture = there.Path["docs/".Length..];
        _pictures.Add(picture);
        return up + picture;
    }));

    private string DecisionsList() => "<h1>Decisions</h1>\n<ul>\n" + string.Concat(_pages.Values.Where(page => page.Source.StartsWith("docs/decisions/", StringComparison.Ordinal))
        .Select(page => $"<li><a href=\"{Path.GetFileName(page.Target)}\">{WebUtility.HtmlEncode(page.Title)}</a></li>\n")) + "</ul>\n";

    private string Frame(string title, string target, string content)
    {
        var up = Up(target);
        var menu = new StringBuilder();
        foreach (var (group, names) in Groups)
        {
            menu.Append($"<h2>{group}</h2>\n<ul>\n");
            foreach (var name in names)
                menu.Append($"<li><a href=\"{up}{name}.html\"{(target == name + ".html" ? " class=\"here\"" : "")}>{WebUtility.HtmlEncode(TitleOf(name))}</a></li>\n");
            menu.Append("</ul>\n");
        }
        return $"""
            <!DOCTYPE html>
            <html lang="en">
            <head>
            <meta charset="utf-8">
            <meta name="viewport" content="width=device-width, initial-scale=1">
            <title>{WebUtility.HtmlEncode(title)} · Lodrik</title>
            <link rel="stylesheet" href="{up}site.css">
            </head>
            <body data-up="{up}">
            <nav>
            <input id="search" type="search" placeholder="Search" aria-label="Search" autocomplete="off">
            <ol id="found"></ol>
            {menu}</nav>
            <main>
            {content}</main>
            <script src="{up}pages.js"></script>
            <script src="{up}site.js"></script>
            </body>
            </html>

            """;
    }

    private string TitleOf(string name) => name switch
    {
        "index" => "Lodrik",
        "decisions/index" => "Decisions",
        _ => _pages.Values.First(page => page.Target == name + ".html").Title,
    };

    private static string Up(string target) => string.Concat(Enumerable.Repeat("../", target.Count(c => c == '/')));

    private static string Resource(string name)
    {
        using var stream = typeof(Site).Assembly.GetManifestResourceStream(name)!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }
}

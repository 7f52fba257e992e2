using System.Security.Cryptography;
using System.Text;
using Lodrik.Cli.Views;
using Lodrik.Inspection;
using Lodrik.State;

namespace Lodrik.Cli.Report;

/// <summary>Writes a report as one page that needs nothing beside itself: no file, no network.</summary>
internal static class ReportPage
{
    private const string Generator = "lodrik report";
    private const int MostRows = 400;
    private const int MostScenes = 24;
    private const int MostTableRows = 100;

    public static string Write(SaveReport report)
    {
        var title = $"Saves: {Path.GetFileName(report.Source)}";
        var script = Resource("report.js");
        return Html.Of($"""
            <!doctype html>
            <html lang="en">
            <head>
            <meta charset="utf-8">
            <meta name="viewport" content="width=device-width, initial-scale=1">
            <meta http-equiv="Content-Security-Policy"
                content="default-src 'none'; img-src data:; style-src 'unsafe-inline'; script-src '{DigestOf(script)}'">
            <meta name="generator" content="{Generator}">
            <title>{title}</title>
            <style>{Resource("report.css")}</style>
            <noscript><style>.slot-page[hidden], .scene-page[hidden] {new Html("{ display: block !important; }")}</style></noscript>
            </head>
            <body>
            <header class="bar"><h1>{Path.GetFileName(report.Source)}</h1><span class="quiet">{report.Source}</span>{Overall(report)}
            <span class="quiet when">made {Screen.Time(report.Made)}</span>
                <button id="theme" type="button" aria-label="Light or dark">◐</button></header>
            <div class="page">
            <nav class="slots" role="tablist" aria-orientation="vertical" aria-label="Slots">{report.Slots.Select(Tab)}</nav>
            <main>{report.Slots.Select(Slot)}</main>
            </div>
            <script>{script}</script>
            </body>
            </html>

            """).Text;
    }

    /// <summary>Whether a file is a page that was written by this class, so that a newer one may take its place.</summary>
    public static bool IsPage(ReadOnlySpan<byte> start) => start.IndexOf(Encoding.UTF8.GetBytes($"content=\"{Generator}\"")) >= 0;

    /// <summary>The script as the page's policy names it (CSP level 3): no other one runs, whatever a save may bring along.</summary>
    private static string DigestOf(Html script) =>
        $"sha256-{Convert.ToBase64String(SHA256.HashData(Encoding.UTF8.GetBytes(script.Text)))}";

    private static Html Resource(string name)
    {
        using var stream = typeof(ReportPage).Assembly.GetManifestResourceStream(name)!;
        using var reader = new StreamReader(stream, Encoding.UTF8);
        return new Html(reader.ReadToEnd());
    }

    private static Html Overall(SaveReport report)
    {
        var bad = report.Slots.Count(slot => slot.IsBad);
        return bad == 0
            ? Html.Of($"<span class=\"pill good\">{Number(report.Slots.Count, "slot", "slots")}, no problems</span>")
            : Html.Of($"<span class=\"pill bad\">{bad} of {Number(report.Slots.Count, "slot", "slots")} with problems</span>");
    }

    private static Html Tab(SlotReport slot, int index) => Html.Of($"""
        <button class="slot" role="tab" id="tab-{index}" aria-controls="slot-{index}"
            aria-selected="{(index == 0 ? "true" : "false")}" tabindex="{(index == 0 ? 0 : -1)}">
        {Picture(slot)}<span class="title">{TitleOf(slot)}</span>
            <span class="quiet">{slot.Name}{(slot.Header is { } header
            ? $" · {Screen.Duration(header.Played)} · {Screen.Time(header.Saved)}" : "")}</span>{(
            slot.IsBad ? Html.Of($"<span class=\"pill bad\">problem</span>") : Html.None)}</button>
        """);

    private static Html Picture(SlotReport slot) => slot.Picture is { } picture
        ? Html.Of($"""<img alt="" src="data:image/png;base64,{Convert.ToBase64String(picture)}">""")
        : Html.Of($"""<span class="no-picture" aria-hidden="true">{slot.Name[..1].ToUpperInvariant()}</span>""");

    private static string TitleOf(SlotReport slot) =>
        slot.Header is { HasHiddenTitles: true } ? "hidden" : slot.Header is { Title.Length: > 0 } header ? header.Title : slot.Name;

    private static Html Slot(SlotReport slot, int index)
    {
        var id = $"s{index}";
        return Html.Of($"""
            <section class="slot-page" id="slot-{index}"
                role="tabpanel" aria-labelledby="tab-{index}"{(index == 0 ? Html.None : new Html(" hidden"))}>
            <div class="hero">{Picture(slot)}<div><h2>{TitleOf(slot)}</h2><dl class="facts">{Facts(slot)}</dl></div></div>
            {(slot.Problem is null ? Html.None : Html.Of($"<p class=\"note {(slot.IsBad ? "bad" : "")}\">{slot.Problem}</p>"))}
            <div class="cards">
            {(slot.Content is { } content
                ? Html.Of($"{Changes(content, id)}{History(slot)}{Scenes(content, id)}{Space(content)}{Health(content)}") : History(slot))}
            </div>
            </section>
            """);
    }

    private static IEnumerable<Html> Facts(SlotReport slot)
    {
        yield return Fact("slot", slot.Generation > 0 ? $"{slot.Name}@{slot.Generation}" : slot.Name);
        if (slot.Header is { } header)
        {
            foreach (var (name, value) in header.Summary)
                yield return Fact(name, value.ToString() ?? "");
            yield return Fact("played", Screen.Duration(header.Played));
            yield return Fact("saved", Screen.Time(header.Saved));
            if (header.Game.Length > 0)
                yield return Fact("game", $"{header.Game}, version {header.Version}");
            yield return Fact("kind", header.Kind.ToString().ToLowerInvariant());
        }
        yield return Fact("form",
            $"{(slot.Content?.File.Form ?? slot.Header?.Content)?.DisplayName() ?? "unknown"}, {Screen.Size(slot.Bytes)}");
    }

    private static Html Fact(string name, string value) => Html.Of($"<div><dt>{name}</dt><dd>{value}</dd></div>");

    private static Html Card(string title, string width, Html inside) =>
        Html.Of($"<article class=\"card {width}\"><h3>{title}</h3>{inside}</article>");

    private static Html History(SlotReport slot) => slot.History.Count == 0 ? Html.None : Card("History", "narrow", Html.Of($"""
        {HistoryChart.Draw(slot.History, slot.Generation)}
        <div class="scroll" tabindex="0"><table><thead><tr><th class="number">generation</th><th>title</th>
            <th class="number">played</th><th class="number">size</th></tr></thead><tbody>
        {slot.History.Take(MostRows).Select(one => Html.Of($"""
            <tr{(one.Number == slot.Generation ? new Html(" class=\"current\"") : Html.None)}><td class="number">{one.Number}</td>
            <td>{(one.Problem is null ? one.Header?.Title : "damaged")}</td>
            <td class="number">{(one.Header is null ? "" : Screen.Duration(one.Header.Played))}</td>
            <td class="number">{Screen.Size(one.ByteCount)}</td></tr>
            """))}
        </tbody></table></div>
        """));

    private static Html Changes(ContentReport content, string id)
    {
        if (content.Since is not { } since)
            return Card("What changed", "wide", Html.Of($"<p class=\"quiet\">There is no generation before this one to compare with.</p>"));
        var rows = since.Values.Select(change => Row(DiffView.Spoken(change.Path[1..]), "", change))
            .Concat(since.Entities.SelectMany(EntityRows)).ToList();
        var nothing = Html.Of($"<p class=\"quiet\">Nothing is different.</p>");
        return Card($"What changed since @{content.Before}", "wide", since.IsEmpty ? nothing : Html.Of($"""
            <p>{DiffView.Summary(since)}</p>
            <label class="find">Find <input type="search" data-rows="{id}-changes" placeholder="a path, an id, a value"></label>
            <div class="scroll tall" tabindex="0"><table id="{id}-changes" class="changes">
                <thead><tr><th>where</th><th>before</th><th>after</th></tr></thead><tbody>{rows.Take(MostRows)}</tbody></table></div>
            {(rows.Count > MostRows
                ? Html.Of($"<p class=\"quiet\">… and {rows.Count - MostRows} more; lodrik diff --full shows them.</p>") : Html.None)}
            """));
    }

    private static IEnumerable<Html> EntityRows(EntityChange entity)
    {
        var word = DiffView.Word(entity.Outcome);
        yield return Html.Of(
            $"<tr class=\"entity\"><td colspan=\"3\">{entity.Scene} <b>{entity.Id.ToString()}</b> <span "
                + $"class=\"quiet\">{entity.Kind}</span> <span class=\"outcome {word}\">{word}</span></td></tr>");
        foreach (var change in entity.Changes)
            yield return Row(change.Path[1..], "inner", change, DiffView.Absent(entity.Outcome));
    }

    private static Html Row(string path, string look, StateChange change, string absent = "–") =>
        Html.Of(
            $"<tr class=\"{look}\"><td>{path}</td><td class=\"before\">{Short(change.Before, absent)}</td>"
                + $"<td class=\"after\">{Short(change.After, absent)}</td></tr>");

    private static string Short(SaveValue? value, string absent) => value is null ? absent : DiffView.ShortText(value);

    private static Html Space(ContentReport content) => content.Weight is not { } weight ? Html.None : Card("Space", "full", Html.Of($"""
        <p>{Screen.Size(weight.ByteCount)} of {weight.Form.DisplayName()},
            {Screen.Size(weight.FrameByteCount)} of it header, list of sections, seal and layout.
            Fields are as large as what they stand for, before compression.</p>
        {Treemap.Draw(weight)}
        """));

    private static Html Health(ContentReport content) => Card("Health", "full", Html.Of($"""
        <p>{(!content.File.HasSeal ? "Without a seal: edits of a readable save are told, and not refused."
            : content.File.SealKey is { } key ? $"Under the seal of the key {key}, which matches."
            : "Sealed. Pass --key to check the seal.")}</p>
        <table class="health"><thead><tr><th>section</th><th class="number">in the file</th><th>as it was written</th></tr></thead><tbody>
        {content.File.Sections.Select(section => Html.Of($"""
            <tr><td>{section.Name}</td><td class="number">{Screen.Size(section.ByteCount)}</td>
            <td><span class="pill {(section.Health switch { SectionHealth.Intact => "good", SectionHealth.Damaged => "bad", _ => "" })}">
            {Words(section.Health)}</span></td></tr>
            """))}
        {content.File.MissingSections.Select(section =>
            Html.Of($"<tr><td>{section}</td><td></td><td><span class=\"pill bad\">taken out</span></td></tr>"))}
        </tbody></table>
        """));

    private static string Words(SectionHealth health) => health switch
    {
        SectionHealth.Intact => "intact",
        SectionHealth.EditedByHand => "edited by hand",
        SectionHealth.Unchecked => "nothing to check against",
        _ => "damaged",
    };

    private static Html Scenes(ContentReport content, string id)
    {
        if (content.Scenes.Count == 0)
            return Html.None;
        // Where most has changed is what one wants to see first.
        var changes = content.Since?.Entities.CountBy(entity => entity.Scene).ToDictionary() ?? [];
        var byInterest = content.Scenes.OrderByDescending(scene => (changes.GetValueOrDefault(scene.Name), scene.Count)).ToList();
        var first = byInterest[0];
        var shown = content.Scenes.Where(byInterest.Take(MostScenes).ToHashSet().Contains).ToList();
        return Card(content.Scenes.Count == 1 ? "Scene" : "Scenes", "full", Html.Of($"""
            <div class="tabs" role="tablist" aria-label="Scenes">
                {shown.Select((scene, index) => Html.Of($"""
                <button role="tab" id="{id}-tab-{index}" aria-controls="{id}-scene-{index}"
                    aria-selected="{(scene == first ? "true" : "false")}" tabindex="{(scene == first ? 0 : -1)}">
                    {scene.Name} <span class="quiet">{scene.Count}</span></button>
                """))}</div>
            {(shown.Count == content.Scenes.Count ? Html.None : Html.Of($"""
                <p class="quiet">The {shown.Count} of {content.Scenes.Count} scenes in which most changed, or that have most in them;
                lodrik show shows the others.</p>
                """))}
            {shown.Select((scene, index) => Scene(scene, $"{id}-scene-{index}", $"{id}-tab-{index}", scene == first))}
            """));
    }

    private static Html Scene(SceneReport scene, string id, string tab, bool isShown)
    {
        List<string> kinds = [.. scene.Kinds.Select(kind => kind.Kind).Concat(scene.Gone.Select(entity => entity.Kind)).Distinct()];
        var unknown = scene.GoneFromNowhere;
        return Html.Of($"""
            <div class="scene-page" id="{id}" role="tabpanel" aria-labelledby="{tab}"{(isShown ? Html.None : new Html(" hidden"))}>
            <div><div class="filters">{Filter(id, "state", "placed", "", "● placed")}
                {Filter(id, "state", "spawned", "", "◆ spawned")}{Filter(id, "state", "gone", "", "✕ gone")}
                <span class="gap"></span>
                {kinds.Select(kind => Filter(id, "kind", kind, SceneMap.Tone(kinds, kind), kind.Length == 0 ? "no kind" : kind))}</div>
            {SceneMap.Draw(scene, kinds)}
            {(unknown.Count > 0
                ? Html.Of($"<p class=\"quiet\">Also gone, from where is not known: {string.Join(", ", unknown.Take(40))}{(unknown.Count > 40
                ? $" and {unknown.Count - 40} more" : "")}</p>") : Html.None)}</div>
            <div class="scroll tables" tabindex="0">
                {scene.Tables.Zip(scene.Kinds).Select(pair => Entities(pair.First, pair.Second.Count, kinds))}</div>
            </div>
            """);
    }

    private static Html Filter(string scene, string what, string value, string tone, string label) =>
        Html.Of($"""
            <label class="filter {tone}"><input type="checkbox" checked
                data-map="{scene}" data-{new Html(what)}="{value}"><span>{label}</span></label>
            """);

    private static Html Entities(EntityTable table, int count, IReadOnlyList<string> kinds) => Html.Of($"""
        <table class="entities"><thead><tr><th><span class="dot {SceneMap.Tone(kinds, table.Kind)}"></span>
            {table.Kind}</th>{table.Columns.Select(column =>
            Html.Of($"<th>{DiffView.Spoken(column)}</th>"))}</tr></thead><tbody>
        {table.Entities.Take(MostTableRows).Select(entity => Html.Of($"""
            <tr data-id="{entity.Id.ToString()}"><td>{entity.Id.ToString()}</td>
            {table.Columns.Select(column => Html.Of($"<td>{Plain(EntityTable.Value(entity, column))}</td>"))}</tr>
            """))}
        </tbody></table>{(count > MostTableRows ? Html.Of($"<p class=\"quiet\">… and {count - MostTableRows} more</p>") : Html.None)}
        """);

    /// <summary>A value in a table of its like: text stands without quotation marks.</summary>
    private static string Plain(SaveValue? value) => value is null ? "" : DiffView.ShortText(value) is var text
        && value.Kind == SaveValueKind.Text && text.Length < 50 ? value.ToString()! : text;

    private static string Number(int count, string one, string many) => $"{count} {(count == 1 ? one : many)}";
}

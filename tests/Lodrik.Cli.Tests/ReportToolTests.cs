using Xunit;

namespace Lodrik.Cli.Tests;

/// <summary>The report: what it says, what it makes of saves that are hostile, damaged or locked, and how it behaves in a browser.</summary>
public sealed class ReportToolTests(DemoSaves demo) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;

    private string Page => Path.Combine(_folder, "report.html");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData("json")]
    [InlineData("xml")]
    [InlineData("binary")]
    public void A_store_is_shown_slot_by_slot(string form)
    {
        var page = Report(0, Path.Combine(demo.Folder, form));
        Assert.Equal(3, page.Split("role=\"tabpanel\" aria-labelledby=\"tab-").Length - 1);
        Assert.Equal(6, page.Split("data:image/png;base64,").Length - 1);
        Assert.Contains("Evening on the marsh", page, StringComparison.Ordinal);
        Assert.Contains("3 slots, no problems", page, StringComparison.Ordinal);
        Assert.Contains("What changed since @", page, StringComparison.Ordinal);
        // The cans that the story has picked up meanwhile are known by where they were.
        Assert.Contains("oil-5, oilCan, gone, at 11 6", page, StringComparison.Ordinal);
        Assert.Contains("#4, driftLantern, spawned, at 20 7", page, StringComparison.Ordinal);
    }

    [Fact]
    public void A_file_and_a_generation_are_shown_on_their_own()
    {
        Assert.Contains("00000001.json", Report(0, demo.Evening("json")), StringComparison.Ordinal);
        var page = Report(0, Path.Combine(demo.Folder, "binary", "evening@1"));
        Assert.Contains("<dd>evening@1</dd>", page, StringComparison.Ordinal);
        Assert.Contains("There is no generation before this one", page, StringComparison.Ordinal);
    }

    [Fact]
    public void Only_the_newest_slots_are_shown_with_their_content_where_that_is_asked_for()
    {
        var page = Report(0, Path.Combine(demo.Folder, "json"), "--details", "1");
        Assert.Equal(1, page.Split("<h3>Health</h3>").Length - 1);
        Assert.Equal(2, page.Split("Only the newest slots are shown with their content").Length - 1);
        Assert.Equal(2, ProgramRun.Lodrik("report", demo.Folder, "-o", Page, "--details", "0").Exit);
    }

    [Fact]
    public void An_encrypted_store_shows_its_headers_and_with_the_key_all()
    {
        var store = Path.Combine(demo.Folder, "encrypted");
        var closed = Report(0, store);
        Assert.Contains("its content is shown with --key", closed, StringComparison.Ordinal);
        Assert.DoesNotContain("Isolde", closed, StringComparison.Ordinal);
        var open = Report(0, store, "--key", Path.Combine(demo.Folder, "keys", "demo.jwk"));
        Assert.Contains("Under the seal of the key demo, which matches.", open, StringComparison.Ordinal);
        Assert.Contains("beacon-3", open, StringComparison.Ordinal);
    }

    [Fact]
    public void What_is_damaged_is_said_and_the_rest_is_shown()
    {
        var slot = Path.Combine(_folder, "store", "slots", "evening");
        Directory.CreateDirectory(slot);
        var bytes = File.ReadAllBytes(demo.Evening("binary"));
        File.WriteAllBytes(Path.Combine(slot, "00000001.lodrik"), bytes);
        File.WriteAllBytes(Path.Combine(slot, "00000002.lodrik"), bytes[..(bytes.Length / 2)]);
        bytes[^40] ^= 1;
        Directory.CreateDirectory(Path.Combine(_folder, "store", "slots", "other"));
        File.WriteAllBytes(Path.Combine(_folder, "store", "slots", "other", "00000001.lodrik"), bytes);
        var page = Report(1, Path.Combine(_folder, "store"));
        Assert.Contains("with problems", page, StringComparison.Ordinal);
        Assert.Contains("Evening on the marsh", page, StringComparison.Ordinal);
        Assert.Contains("damaged", page, StringComparison.Ordinal);
    }

    [Fact]
    public void Nothing_in_a_save_becomes_markup()
    {
        var hostile = Path.Combine(_folder, "hostile.json");
        File.WriteAllText(hostile, """{ "<script>alert(1)</script>": { "a\"><img src=x onerror=alert(1)>": "</title><svg onload=alert(1)>" } }""");
        var page = Report(0, hostile);
        Assert.DoesNotContain("<script>alert", page, StringComparison.Ordinal);
        Assert.DoesNotContain("<img src=x", page, StringComparison.Ordinal);
        Assert.DoesNotContain("<svg onload", page, StringComparison.Ordinal);
        Assert.Contains("&lt;script&gt;alert(1)", page, StringComparison.Ordinal);
    }

    [Fact]
    public void Wrong_use_is_said()
    {
        Assert.Equal(2, ProgramRun.Lodrik("report", demo.Folder).Exit);
        Assert.Equal(1, ProgramRun.Lodrik("report", Path.Combine(_folder, "nothing"), "-o", Page).Exit);
        Assert.False(File.Exists(Page));
    }

    [Fact]
    public async Task In_a_browser_it_draws_without_a_complaint_and_its_controls_work()
    {
        Assert.SkipUnless(Browser.Program is not null, "There is no Chromium on this machine: the report was not opened in a browser.");
        var cancellation = TestContext.Current.CancellationToken;
        Report(0, Path.Combine(demo.Folder, "json"));
        await using var browser = await Browser.Open(Page, cancellation);

        // It draws: pictures decoded, fields and marks with an extent, nothing wider than the window.
        Assert.Equal("true", await browser.Ask("[...document.images].every(image => image.complete && image.naturalWidth > 0)", cancellation));
        Assert.Equal("true", await browser.Ask("document.querySelectorAll('#slot-0 .cell').length > 20 && [...document.querySelectorAll('#slot-0 .cell rect')].every(one => one.getBBox().width > 0 && one.getBBox().height > 0)", cancellation));
        // The sections share out the whole drawing.
        Assert.Equal("300000", await browser.Ask("Math.round([...document.querySelectorAll('#slot-0 .cell.section rect')].reduce((sum, one) => sum + one.width.baseVal.value * one.height.baseVal.value, 0) / 100) * 100", cancellation));
        Assert.Equal("true", await browser.Ask("document.documentElement.scrollWidth <= innerWidth", cancellation));
        var marks = "[...document.querySelectorAll('#slot-0 .scene-page:not([hidden]) .mark')].filter(one => one.style.display !== 'none')";
        Assert.Equal("true", await browser.Ask($"{marks}.length > 12 && {marks}.every(one => one.getBoundingClientRect().width > 0)", cancellation));

        // Slots and scenes by the arrow keys.
        await browser.Ask("document.getElementById('tab-0').focus()", cancellation);
        await browser.Press("ArrowDown", cancellation);
        Assert.Equal("tab-1 true false", await browser.Ask("document.activeElement.id + ' ' + document.getElementById('slot-0').hidden + ' ' + document.getElementById('slot-1').hidden", cancellation));
        await browser.Press("Home", cancellation);
        Assert.Equal("false", await browser.Ask("document.getElementById('slot-0').hidden", cancellation));
        await browser.Ask("document.querySelector('#slot-0 .tabs [aria-selected=true]').focus()", cancellation);
        var scene = await browser.Ask("document.querySelector('#slot-0 .scene-page:not([hidden])').id", cancellation);
        await browser.Press("ArrowRight", cancellation);
        Assert.NotEqual(scene, await browser.Ask("document.querySelector('#slot-0 .scene-page:not([hidden])').id", cancellation));
        await browser.Press("ArrowLeft", cancellation);

        // The map's filters by the space bar.
        await browser.Ask("document.querySelector('#slot-0 .scene-page:not([hidden]) input[data-state=gone]').focus()", cancellation);
        var (before, gone) = (await browser.Ask($"{marks}.length", cancellation), await browser.Ask($"{marks}.filter(one => one.classList.contains('gone')).length", cancellation));
        await browser.Press(" ", cancellation);
        Assert.NotEqual("0", gone);
        Assert.Equal(int.Parse(before, null) - int.Parse(gone, null), int.Parse(await browser.Ask($"{marks}.length", cancellation), null));

        // The fields of the space, by the keyboard.
        await browser.Ask("document.querySelector('#slot-0 .cell[tabindex=\"0\"]').focus()", cancellation);
        await browser.Press("ArrowRight", cancellation);
        Assert.Equal("true", await browser.Ask("document.querySelector('#slot-0 .told').textContent === document.activeElement.getAttribute('aria-label')", cancellation));

        // Finding among what changed.
        var rows = "[...document.querySelectorAll('#s0-changes tbody tr')].filter(row => !row.hidden)";
        await browser.Ask("document.querySelector('input[data-rows=s0-changes]').focus()", cancellation);
        foreach (var letter in "beacon-4")
            await browser.Press(letter.ToString(), cancellation);
        Assert.Equal("true", await browser.Ask($"{rows}.length > 1 && {rows}.length < 6 && {rows}[0].textContent.includes('beacon-4')", cancellation));

        // Light and dark.
        var color = await browser.Ask("getComputedStyle(document.body).backgroundColor", cancellation);
        await browser.Ask("document.getElementById('theme').focus()", cancellation);
        await browser.Press(" ", cancellation);
        Assert.NotEqual(color, await browser.Ask("getComputedStyle(document.body).backgroundColor", cancellation));

        Assert.Empty(browser.Complaints);
        Assert.Empty(browser.Requests);
    }

    private string Report(int exit, string save, params string[] options)
    {
        var run = ProgramRun.Lodrik(["report", save, "-o", Page, .. options]);
        Assert.Equal((exit, ""), (run.Exit, run.Error));
        return File.ReadAllText(Page);
    }
}

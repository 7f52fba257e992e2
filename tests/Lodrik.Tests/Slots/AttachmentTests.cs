using Lodrik.Inspection;
using Lodrik.Slots;
using Lodrik.Storage;

namespace Lodrik.Tests.Slots;

/// <summary>A save and what is kept beside it belong together, whenever a process dies.</summary>
public sealed class AttachmentTests
{
    private static readonly byte[] Signature = [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A];

    private readonly MemoryStorage _memory = new();

    [Fact]
    public void Pictures_and_other_files_come_and_go_with_their_save()
    {
        using var store = Open(_memory);
        store.Save("evening", At(1), Label(1));
        store.Save("evening", At(2), Label(2, "screenshot.png", "recording.bin"));
        Assert.Equal(["png", "screenshot.png", "recording.bin"], store.List()[0].Header!.Attachments);
        Assert.Equal(Picture(2), store.ReadThumbnail("evening"));
        Assert.Equal(Picture(1), store.ReadThumbnail("evening", 1));
        Assert.Equal("recording.bin 2"u8.ToArray(), store.ReadAttachment("evening", "recording.bin"));
        Assert.Null(store.ReadAttachment("evening", "recording.bin", 1));
        Assert.Null(store.ReadAttachment("evening", "../../lock"));
        store.Copy("evening", "copy");
        Assert.Equal("screenshot.png 2"u8.ToArray(), store.ReadAttachment("copy", "screenshot.png"));
        store.Rename("evening", "night");
        Assert.Equal(Picture(2), store.ReadThumbnail("night"));
        store.Reinstate("night", 1);
        Assert.Equal(Picture(1), store.ReadThumbnail("night"));
        store.DeleteAll();
        Assert.Empty(_memory.List("slots"));
    }

    [Fact]
    public async Task A_picture_is_drawn_in_the_background_and_one_that_fails_costs_no_save()
    {
        using var store = Open(_memory);
        using var returned = new ManualResetEventSlim();
        var drawnAfter = false;
        var saving = store.SaveAsync("evening", At(1), new SaveLabel
        {
            DrawThumbnail = () =>
            {
                // Drawn by the caller itself, this would wait in vain.
                drawnAfter = returned.Wait(TimeSpan.FromSeconds(20));
                return Picture(1);
            },
        }, cancellationToken: TestContext.Current.CancellationToken);
        returned.Set();
        Assert.Empty((await saving).Warnings);
        Assert.True(drawnAfter);
        Assert.Equal(Picture(1), store.ReadThumbnail("evening"));
        foreach (var (draw, problem) in new (Func<ReadOnlyMemory<byte>>, string)[]
        {
            (() => throw new InvalidOperationException("The canvas is gone."), "The canvas is gone."),
            (() => "GIF89a"u8.ToArray(), "PNG"),
            (() => new byte[(1 << 20) + 1], "PNG"),
            (() => Picture(1).Concat(new byte[1 << 20]).ToArray(), "1048576 bytes"),
            (() => { store.Save("evening", At(9)); return Picture(9); }, "picture could not be made"),
        })
        {
            var warning = Assert.Single(store.Save("evening", At(2), new SaveLabel { DrawThumbnail = draw }).Warnings);
            Assert.Equal(SaveWarningCode.NoThumbnail, warning.Code);
            Assert.Contains(problem, warning.Message, StringComparison.Ordinal);
            Assert.Null(store.ReadThumbnail("evening"));
            Assert.Equal(2, store.Load("evening").State.Log.Day);
        }
        Assert.Empty(store.Save("evening", At(3), new SaveLabel { DrawThumbnail = () => default }).Warnings);
        Assert.Throws<ArgumentException>(() => store.Save("evening", At(3), new SaveLabel { Thumbnail = Picture(1), DrawThumbnail = () => Picture(1) }));
    }

    [Fact]
    public async Task Whoever_has_no_games_types_reads_them_too()
    {
        using (var store = Open(_memory))
        {
            store.Save("evening", At(1), Label(1, "recording.bin"));
            Assert.Equal("recording.bin 1"u8.ToArray(), await store.ReadAttachmentAsync("evening", "recording.bin", cancellationToken: TestContext.Current.CancellationToken));
        }
        using var slots = SaveSlots.Open(_memory);
        Assert.Equal("recording.bin 1"u8.ToArray(), slots.ReadAttachment("evening", "recording.bin"));
        Assert.Null(await slots.ReadAttachmentAsync("evening", "recording.bin", 2, TestContext.Current.CancellationToken));
    }

    [Fact]
    public void A_picture_beside_a_file_is_shown_if_it_is_the_saves_own()
    {
        var folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
        try
        {
            using (var store = SaveStore<LogSave>.Open(folder))
                store.Save("evening", At(1), Label(1));
            var file = Path.Combine(folder, "slots", "evening", "00000001.json");
            Assert.Equal(Picture(1), SaveSlots.ReadThumbnailBeside(file, SavedFile.Open(file).Header));
            File.WriteAllBytes(Path.ChangeExtension(file, ".png"), Picture(2));
            Assert.Null(SaveSlots.ReadThumbnailBeside(file, SavedFile.Open(file).Header));
            Assert.Null(SaveSlots.ReadThumbnailBeside(Path.Combine(folder, "none.json"), null));
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Theory]
    [InlineData("{ \"../../../other/00000001.json\": \"x\", \"..\": 1, \"json\": \"x\" }"), InlineData("7"), InlineData("null"), InlineData("{ \"png\": { } }")]
    public void What_a_strangers_header_names_leads_nowhere(string attachments)
    {
        using var store = Open(_memory);
        store.Save("other", At(1));
        store.Save("evening", At(2), Label(2));
        var text = System.Text.Encoding.UTF8.GetString(_memory.Read("slots/evening/00000001.json")!);
        text = System.Text.RegularExpressions.Regex.Replace(text, "\"attachments\": \\{[^}]*\\}", $"\"attachments\": {attachments}").Replace("\"after\": \"", "\"after\": \"not ", StringComparison.Ordinal);
        Assert.Contains(attachments, text, StringComparison.Ordinal);
        _memory.Write("slots/evening/00000001.json", System.Text.Encoding.UTF8.GetBytes(text), replace: true);
        Assert.Equal(2, store.List().Count);
        Assert.Null(store.ReadThumbnail("evening"));
        Assert.Null(store.ReadAttachment("evening", "../../../other/00000001.json"));
        store.Copy("evening", "copy");
        store.Delete("evening");
        Assert.Equal(1, store.Load("other").State.Log.Day);
        Assert.Equal(2, store.Load("copy").State.Log.Day);
        Assert.True(store.Continue().Found);
    }

    [Fact]
    public void A_file_that_merely_has_the_name_is_not_shown()
    {
        using var store = Open(_memory);
        store.Save("evening", At(1));
        _memory.Write("slots/evening/00000001.png", Picture(9), replace: false);
        Assert.Null(store.ReadThumbnail("evening"));
        store.Save("evening", At(2), Label(2));
        _memory.Write("slots/evening/00000002.png", Picture(9), replace: true);
        Assert.Null(store.ReadThumbnail("evening"));
    }

    [Theory]
    [InlineData("png"), InlineData(".png"), InlineData("a.b.c"), InlineData("A.png"), InlineData("../a.png"), InlineData("a/b.png"), InlineData("")]
    public void A_name_that_cannot_stand_beside_a_save_is_refused(string name)
    {
        using var store = Open(_memory);
        Assert.Throws<ArgumentException>(() => store.Save("evening", At(1), new SaveLabel { Attachments = new Dictionary<string, ReadOnlyMemory<byte>> { [name] = new byte[1] } }));
        Assert.Empty(_memory.List(""));
    }

    [Fact]
    public void A_process_that_dies_between_any_two_changes_leaves_no_save_without_its_picture_and_no_picture_of_another()
    {
        var deaths = 0;
        for (var change = 1; ; change++)
        {
            var storage = new GatedStorage { Failure = number => number >= change ? new DeadException() : null };
            try
            {
                using var store = Open(storage);
                for (var day = 1; day <= 6; day++)
                    store.Save("evening", At(day), day % 3 == 0 ? null : Label(day, "screenshot.png"));
                store.Copy("evening", "copy");
                store.Reinstate("evening", 5);
                store.Rename("copy", "night");
                store.Delete("night");
                break;
            }
            catch (DeadException)
            {
                deaths++;
            }
            storage.Failure = _ => null;
            using var next = Open(storage);
            CheckAll(next);
            // The next one goes on where it was, without a picture, and with one.
            if (next.Exists("evening"))
            {
                next.Save("evening", At(3), overwrite: Overwrite.Allowed);
                CheckAll(next);
                next.Save("evening", At(4), Label(4, "screenshot.png"), Overwrite.Allowed);
                CheckAll(next);
            }
        }
        Assert.True(deaths > 30, $"only {deaths} deaths were tried");
    }

    private static void CheckAll(SaveStore<LogSave> store)
    {
        foreach (var slot in store.List().Select(one => one.Slot))
        {
            foreach (var generation in store.History(slot))
            {
                var day = store.LoadGeneration(slot, generation.Number).State.Log.Day;
                Assert.Equal(day % 3 == 0 ? null : Picture(day), store.ReadThumbnail(slot, generation.Number));
                Assert.Equal(day % 3 != 0, store.ReadAttachment(slot, "screenshot.png", generation.Number) is not null);
            }
        }
    }

    private static SaveStore<LogSave> Open(ISaveStorage storage) => SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = storage, KeepGenerations = 3 });

    private static SaveLabel Label(int day, params string[] others) => new()
    {
        Thumbnail = Picture(day),
        Attachments = others.ToDictionary(name => name, name => (ReadOnlyMemory<byte>)System.Text.Encoding.UTF8.GetBytes($"{name} {day}")),
    };

    private static byte[] Picture(int day) => [.. Signature, (byte)day];

    private static LogSave At(int day) => new() { Log = new Log { Day = day } };

    private sealed class DeadException : Exception;
}

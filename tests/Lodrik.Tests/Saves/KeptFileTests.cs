using Lodrik.Saves;
using Lodrik.Storage;
using Lodrik.Tests.Formats;
using Microsoft.Extensions.Time.Testing;

namespace Lodrik.Tests.Saves;

/// <summary>One object that keeps itself in a file.</summary>
public sealed class KeptFileTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("lodrik-").FullName;
    private readonly FakeTimeProvider _clock = new();

    private string FilePath => Path.Combine(_folder, "marsh", "room.json");

    private List<string> Files => [.. Directory.GetFiles(Path.GetDirectoryName(FilePath)!).Select(file => Path.GetFileName(file)).Order(StringComparer.Ordinal)];

    private KeptFileOptions Options => new() { Time = _clock };

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void It_is_read_at_the_beginning_and_saved_at_the_end(SaveForm form)
    {
        var options = new KeptFileOptions { Form = form };
        using (var kept = StateFile.Keep<Room>(FilePath, options))
        {
            // A file that is not there is written, changed or not.
            Assert.True(kept.HasUnsavedChanges);
            kept.State.Name = "loft";
        }
        using (var kept = StateFile.Keep<Room>(FilePath, options))
        {
            Assert.Equal(("loft", false, FilePath), (kept.State.Name, kept.HasUnsavedChanges, kept.Path));
            Assert.Empty(kept.Notices);
        }
        Assert.Equal(form, Lodrik.Inspection.SavedFile.Open(FilePath).Form);
        Assert.Equal(["room.json"], Files);
    }

    [Fact]
    public void What_has_not_changed_is_not_written()
    {
        StateFile.Write(FilePath, new Room { Name = "loft" });
        var before = File.ReadAllBytes(FilePath);
        using (var kept = StateFile.Keep<Room>(FilePath, Options))
        {
            kept.State.Name = "cellar";
            kept.State.Name = "loft";
            Assert.False(kept.Save());
            kept.SaveSoon();
            kept.Change(room => room.Name = "cellar");
            kept.Change(room => room.Name = "loft");
            _clock.Advance(TimeSpan.FromMinutes(1));
        }
        Assert.Equal(before, File.ReadAllBytes(FilePath));
    }

    [Fact]
    public void A_set_in_another_order_and_a_member_that_is_not_saved_are_no_change()
    {
        StateFile.Write(FilePath, new KeptMarks { Names = ["heron", "lantern"] });
        var before = File.ReadAllBytes(FilePath);
        using (var kept = StateFile.Keep<KeptMarks>(FilePath, Options))
        {
            var names = kept.State.Names;
            names.Remove("heron");
            names.Add("letter");
            names.Add("heron");
            names.Remove("letter");
            kept.State.Shown = 4;
            Assert.False(kept.HasUnsavedChanges);
            // What is not saved is not reset either.
            kept.Reset();
            Assert.Same(names, kept.State.Names);
            Assert.Equal((0, 4), (names.Count, kept.State.Shown));
            names.UnionWith(["lantern", "heron"]);
        }
        Assert.Equal(before, File.ReadAllBytes(FilePath));
    }

    [Fact]
    public void Changes_that_follow_each_other_are_written_once_and_not_put_off_for_ever()
    {
        var options = new KeptFileOptions { Time = _clock, Delay = TimeSpan.FromSeconds(1), LongestDelay = TimeSpan.FromSeconds(10) };
        using var kept = StateFile.Keep<Room>(FilePath, options);
        for (var i = 0; i < 9; i++)
        {
            kept.Change(room => room.Name = $"room {i}");
            _clock.Advance(TimeSpan.FromSeconds(0.9));
            Assert.False(File.Exists(FilePath));
        }
        // What came after the last call is not in it.
        kept.State.Name = "later";
        _clock.Advance(TimeSpan.FromSeconds(0.1));
        Assert.Equal("room 8", StateFile.Read<Room>(FilePath).Name);
        Assert.True(kept.HasUnsavedChanges);

        // Changed without a pause: after ten seconds it is written all the same.
        for (var i = 0; i < 100; i++)
        {
            kept.Change(room => room.Name = $"room {i}");
            _clock.Advance(TimeSpan.FromSeconds(0.5));
        }
        Assert.InRange(int.Parse(StateFile.Read<Room>(FilePath).Name.AsSpan(5), System.Globalization.CultureInfo.InvariantCulture), 75, 99);
    }

    [Fact]
    public void A_file_that_cannot_be_read_is_put_aside_and_nothing_is_lost()
    {
        var texts = new[] { "{ \"name\": \"lo", "{ \"name\": [3] }", "" };
        Directory.CreateDirectory(Path.GetDirectoryName(FilePath)!);
        foreach (var text in texts)
        {
            File.WriteAllText(FilePath, text);
            using var kept = StateFile.Keep<Room>(FilePath, Options);
            var notice = Assert.Single(kept.Notices);
            Assert.Equal(KeptFileChange.Unreadable, notice.Change);
            Assert.NotNull(notice.Problem);
            Assert.Equal(text, File.ReadAllText(notice.PutAside!));
            Assert.Equal(new Room().Name, kept.State.Name);
        }
        Assert.Equal(["room.json", "room.unreadable-2.json", "room.unreadable-3.json", "room.unreadable.json"], Files);
        // The same again needs no further copy.
        File.WriteAllText(FilePath, texts[0]);
        StateFile.Keep<Room>(FilePath, Options).Dispose();
        Assert.Equal(4, Files.Count);
        Assert.Equal(new Room().Name, StateFile.Read<Room>(FilePath).Name);
    }

    [Fact]
    public void What_is_put_aside_may_be_read_by_whom_it_could_be_read_before()
    {
        if (OperatingSystem.IsWindows())
            return;
        StateFile.Write(FilePath, new Room { Name = "loft" });
        File.WriteAllText(FilePath, "{ torn");
        const UnixFileMode mine = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        File.SetUnixFileMode(FilePath, mine);
        using (var kept = StateFile.Keep<Room>(FilePath, Options))
            Assert.Equal(mine, File.GetUnixFileMode(kept.Notices[0].PutAside!));
        Assert.Equal(mine, File.GetUnixFileMode(FilePath));
    }

    [Fact]
    public async Task Programs_that_put_aside_at_the_same_time_get_names_of_their_own()
    {
        // One folder under several names, as several programs would have it.
        Directory.CreateDirectory(Path.GetDirectoryName(FilePath)!);
        var paths = Enumerable.Range(0, 3).Select(number => Path.Combine(_folder, $"marsh-{number}")).ToList();
        paths.ForEach(path => Directory.CreateSymbolicLink(path, Path.GetDirectoryName(FilePath)!));
        await Task.WhenAll(paths.Select((path, number) => Task.Run(() =>
        {
            using var kept = StateFile.Keep<Room>(Path.Combine(path, "room.json"), Options);
            for (var i = 0; i < 60; i++)
            {
                kept.State.Name = $"{number} {i}";
                kept.Save();
            }
            Assert.DoesNotContain(kept.Notices, notice => notice.Change != KeptFileChange.Conflict);
        })));
        Assert.All(Files, file => StateFile.Read<Room>(Path.Combine(_folder, "marsh", file)));
    }

    [Fact]
    public void What_another_program_writes_is_taken_or_put_aside_and_never_overwritten()
    {
        using var kept = StateFile.Keep<Room>(FilePath, Options);
        var held = kept.State;
        var told = new List<KeptFileChange>();
        kept.Noticed += (_, notice) => told.Add(notice.Change);
        kept.Save();
        Assert.False(kept.IsChangedOutside);
        Assert.False(kept.Refresh());

        // Nothing unsaved here: it is taken, into the same object.
        StateFile.Write(FilePath, new Room { Name = "theirs" });
        Assert.True(kept.IsChangedOutside);
        Assert.False(kept.Save());
        Assert.True(kept.Refresh());
        Assert.Equal("theirs", held.Name);
        Assert.Same(held, kept.State);
        Assert.False(kept.HasUnsavedChanges);

        // Unsaved changes here stay, whether they are noticed when it is read or when it is saved.
        held.Name = "ours";
        StateFile.Write(FilePath, new Room { Name = "theirs again" });
        Assert.False(kept.Refresh());
        Assert.Equal("ours", held.Name);
        // What was put aside is not in the object: this is saved even if it goes back to what it was before.
        held.Name = "theirs";
        Assert.True(kept.HasUnsavedChanges);
        held.Name = "ours";
        StateFile.Write(FilePath, new Room { Name = "and again" });
        Assert.True(kept.Save());
        Assert.Equal("ours", StateFile.Read<Room>(FilePath).Name);
        Assert.Equal([KeptFileChange.ChangedOutside, KeptFileChange.Conflict, KeptFileChange.Conflict], told);
        Assert.Equal("theirs again", StateFile.Read<Room>(kept.Notices[1].PutAside!).Name);
        Assert.Equal("and again", StateFile.Read<Room>(kept.Notices[2].PutAside!).Name);
        Assert.Equal(["room.json", "room.other-2.json", "room.other.json"], Files);

        // What cannot be read is put aside; ours is written again.
        File.WriteAllText(FilePath, "{ torn");
        Assert.False(kept.Refresh());
        Assert.True(kept.Save());
        Assert.Equal("ours", StateFile.Read<Room>(FilePath).Name);
        Assert.Equal("{ torn", File.ReadAllText(kept.Notices[3].PutAside!));

        // Deleted: it stays deleted until something changes.
        File.Delete(FilePath);
        Assert.True(kept.IsChangedOutside);
        Assert.False(kept.Save());
        held.Name = "anew";
        Assert.True(kept.Save());
    }

    [Fact]
    public void Initial_values_replace_nobodys_file()
    {
        using (var kept = StateFile.Keep<Room>(FilePath, Options))
            StateFile.Write(FilePath, new Room { Name = "theirs" });
        Assert.Equal("theirs", StateFile.Read<Room>(FilePath).Name);
        Assert.Equal(["room.json"], Files);
    }

    [Fact]
    public void Reset_gives_the_same_object_its_initial_values()
    {
        StateFile.Write(FilePath, new Room { Name = "loft" });
        using var kept = StateFile.Keep<Room>(FilePath, Options);
        var held = kept.State;
        kept.Reset();
        Assert.Equal(new Room().Name, held.Name);
        Assert.True(kept.HasUnsavedChanges);
        Assert.Equal("loft", StateFile.Read<Room>(FilePath).Name);
        kept.Save();
        Assert.Equal(new Room().Name, StateFile.Read<Room>(FilePath).Name);
    }

    [Fact]
    public void A_file_is_kept_once_and_several_files_beside_each_other()
    {
        var kept = StateFile.Keep<Room>(FilePath, Options);
        var refused = Assert.Throws<StorageException>(() => StateFile.Keep<Room>(Path.Combine(_folder, "marsh", ".", "room.json")));
        Assert.Contains("keeps", refused.Message, StringComparison.Ordinal);
        using (var other = StateFile.Keep<Room>(Path.Combine(_folder, "marsh", "hut.json"), Options))
            (kept.State.Name, other.State.Name) = ("loft", "hut");
        kept.Dispose();
        kept.Dispose();
        Assert.Throws<ObjectDisposedException>(() => kept.Save());
        Assert.Throws<ObjectDisposedException>(kept.SaveSoon);
        using var again = StateFile.Keep<Room>(FilePath, Options);
        Assert.Equal("loft", again.State.Name);
        Assert.Equal("hut", StateFile.Read<Room>(Path.Combine(_folder, "marsh", "hut.json")).Name);
    }

    [Fact]
    public void A_place_that_refuses_is_told_and_tried_again()
    {
        var kept = StateFile.Keep<Room>(FilePath, Options);
        kept.Save();
        // A folder has the file's name now.
        File.Delete(FilePath);
        Directory.CreateDirectory(FilePath);
        File.WriteAllText(Path.Combine(FilePath, "in the way"), "");
        kept.Change(room => room.Name = "loft");
        _clock.Advance(TimeSpan.FromSeconds(2));
        Assert.Equal(KeptFileChange.NotSaved, Assert.Single(kept.Notices).Change);
        Assert.IsType<StorageException>(kept.Notices[0].Problem);
        Assert.Throws<StorageException>(() => kept.Save());
        Assert.True(Assert.Throws<StorageException>(() => StateFile.Keep<Room>(Path.Combine(FilePath, "in the way", "x.json"))).Message.Length > 0);
        Directory.Delete(FilePath, recursive: true);
        kept.Dispose();
        Assert.Equal("loft", StateFile.Read<Room>(FilePath).Name);
    }
}

[StateType]
public sealed partial class KeptMarks
{
    public HashSet<string> Names { get; set; } = [];

    [NotSaved]
    public int Shown { get; set; }
}

using System.Runtime.InteropServices;
using System.Security.Cryptography;
using Lodrik.Protection;
using Lodrik.Sqlite;

namespace Lodrik.Saver;

/// <summary>
/// Plays a story of saves again and again while one call of the system after the other fails, and holds what was reported against what
/// is there afterwards.
/// </summary>
/// <param name="folder">Where the saves are.</param>
/// <param name="isSqlite">Whether they are in a database there, and SQLite's calls fail instead of the library's.</param>
internal sealed partial class Faults(string folder, bool isSqlite = false)
{
    private const int Interrupted = 4;
    private const int InputOutput = 5;
    private const int NoAccess = 13;
    private const int NoSpace = 28;
    private const int ShortWrite = 1000;

    /// <summary>The kinds of SQLite's calls, in the order of sqlite-faults.c.</summary>
    private static readonly (string Name, int[] Errors)[] SqliteKinds =
    [
        ("open", [InputOutput, NoAccess]), ("pread", [InputOutput]), ("pwrite", [NoSpace, InputOutput, ShortWrite]), ("fsync", [InputOutput, NoSpace]),
        ("ftruncate", [InputOutput]), ("unlink", [InputOutput, NoAccess]),
    ];

    /// <summary>The kinds of calls, in the order of faults.c.</summary>
    private static readonly (string Name, int[] Errors)[] FolderKinds =
    [
        ("open", [InputOutput, NoAccess, Interrupted]), ("pread", [InputOutput, Interrupted]), ("pwrite", [NoSpace, InputOutput, Interrupted, ShortWrite]),
        ("fsync", [InputOutput, NoSpace, Interrupted]), ("flock", [InputOutput, Interrupted]), ("renameat2", [InputOutput, NoSpace, Interrupted]),
        ("unlink", [InputOutput, NoAccess, Interrupted]), ("mkdir", [NoSpace, NoAccess, Interrupted]), ("rmdir", [InputOutput, Interrupted]),
        ("statx", [InputOutput, NoAccess, Interrupted]), ("opendir", [InputOutput, NoAccess, Interrupted]), ("readdir", [InputOutput]),
    ];

    private static readonly byte[] Picture = [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3];

    private readonly SaveKey _first = SaveKey.FromBytes("first", SHA256.HashData("first"u8));
    private readonly SaveKey _second = SaveKey.FromBytes("second", SHA256.HashData("second"u8));
    private readonly Dictionary<string, HashSet<int>> _possible = [];
    private readonly List<string> _wrong = [];
    private string _what = "";
    private SqliteStorage? _database;
    private int _next;
    private bool _isSecondKey;

    /// <summary>Plays them all.</summary>
    /// <returns>0 where what was reported was so.</returns>
    public static int Run(string folder, bool isSqlite = false)
    {
        var kinds = isSqlite ? SqliteKinds : FolderKinds;
        var isWhole = Environment.GetEnvironmentVariable("LODRIK_FAULTS") == "1";
        var (stories, wrong) = (0, 0);
        // The count of calls when none fails says where to end.
        var quiet = new Faults(Path.Combine(folder, "quiet"), isSqlite);
        Set(-1, 0, 0, 0);
        quiet.Play();
        var counts = kinds.Select((_, kind) => Count(kind)).ToArray();
        Console.WriteLine(string.Join(' ', kinds.Select((kind, i) => $"{kind.Name}={counts[i]}")));
        if (!isSqlite)
            Console.WriteLine($"files={Count(kinds.Length)} folders={Count(kinds.Length + 1)}");
        for (var kind = 0; kind < kinds.Length; kind++)
        {
            foreach (var error in kinds[kind].Errors)
            {
                for (var call = 1; call <= counts[kind]; call += isSqlite && !isWhole && counts[kind] > 60 ? 7 : 1)
                {
                    // One call, or that and all that come after it.
                    for (var many = 0; many < (error != Interrupted && (isWhole || call % 4 == 1) ? 2 : 1); many++)
                    {
                        var place = Path.Combine(folder, "story");
                        var story = new Faults(place, isSqlite) { _what = $"{kinds[kind].Name} {call}{(many > 0 ? " and all after it" : "")} fails with {error}" };
                        Set(kind, call, many > 0 ? int.MaxValue : call, error);
                        story.Play();
                        Set(-1, 0, 0, 0);
                        story.Check();
                        (stories, wrong) = (stories + 1, wrong + story._wrong.Count);
                        story._wrong.ForEach(Console.WriteLine);
                        Directory.Delete(place, recursive: true);
                    }
                }
            }
        }
        Console.WriteLine($"stories={stories} wrong={wrong}");
        return wrong == 0 && stories > 0 ? 0 : 1;
    }

    private SaveStore<Tally> Open(SaveKey current)
    {
        _database?.Dispose();
        _database = isSqlite ? SqliteStorage.Open(Path.Combine(folder, "saves.db")) : null;
        return SaveStore<Tally>.Open(new SaveStoreOptions
        {
            Folder = isSqlite ? null : folder,
            Storage = _database,
            KeepGenerations = 2,
            Protection = new SaveProtection(new KeyRing(current, current == _first ? _second : _first)),
        });
    }

    private void Play()
    {
        Directory.CreateDirectory(folder);
        // A database that cannot be opened is the end of the story; a folder is opened by its first save.
        Try(PlayOn);
        Try(() => _database?.Dispose());
        _database = null;
    }

    private void PlayOn()
    {
        using (var store = Open(_first))
        {
            Save(store, "a", Picture);
            Save(store, "a", default);
            Save(store, "b", Picture);
            Save(store, "a", Picture);
            Settings(store);
            Look(store);
            if (Try(() => store.Rename("b", "c")))
                (_possible["c"], _possible["b"]) = (Of("b"), [0]);
            else
                Blur("b", "c");
            Reinstate(store);
            Save(store, "d", default);
            Delete(store, "d");
            Save(store, "auto", Picture);
            Delete(store, "e");
        }
        using var rekeyed = Open(_second);
        _isSecondKey = Try(() => rekeyed.ProtectAll(new SaveProtection(new KeyRing(_first))));
        Look(rekeyed);
        Save(rekeyed, "a", default);
    }

    private void Save(SaveStore<Tally> store, SlotName slot, byte[]? picture)
    {
        var number = ++_next;
        var tally = new Tally { Count = new Count { Number = number, Ballast = new byte[number * 300] } };
        var before = Of(slot);
        _possible[slot.ToString()] = Try(() => store.Save(slot, tally, new SaveLabel { Thumbnail = picture }, Overwrite.Allowed)) ? [number] : [.. before, number];
    }

    private void Settings(SaveStore<Tally> store)
    {
        var number = ++_next;
        var before = Of("settings");
        _possible["settings"] = Try(() => store.Settings<Count>().Save(new Count { Number = number })) ? [number] : [.. before, number];
    }

    private void Delete(SaveStore<Tally> store, string slot)
    {
        var deleted = false;
        var before = Of(slot);
        _possible[slot] = Try(() => deleted = store.Delete(slot)) ? [0] : [.. before, 0];
        if (!deleted && _possible[slot].Count == 1 && !before.Contains(0))
            _wrong.Add($"{_what}: {slot} was there, and deleting it found nothing");
    }

    private void Reinstate(SaveStore<Tally> store)
    {
        var before = Of("a");
        var number = 0;
        if (!Try(() =>
        {
            var oldest = store.History("a")[^1].Number;
            number = store.LoadGeneration("a", oldest).State.Count.Number;
            store.Reinstate("a", oldest);
        }))
            _possible["a"] = [.. before, .. number > 0 ? [number] : Array.Empty<int>()];
        else
            _possible["a"] = [number];
    }

    /// <summary>Whoever looks gets what is there, or an error, and never less without a word.</summary>
    private void Look(SaveStore<Tally> store)
    {
        foreach (var slot in (string[])["a", "b"])
        {
            var possible = Of(slot);
            Try(() =>
            {
                var loaded = store.Load(slot);
                var number = loaded.Found ? loaded.State.Count.Number : 0;
                if (!possible.Contains(number) && loaded.PassedOver.Count == 0)
                    _wrong.Add($"{_what}: {slot} loads {number} without a word, and has {string.Join(" or ", possible)}");
            });
            Try(() =>
            {
                if (!possible.Contains(0) && !store.Exists(slot))
                    _wrong.Add($"{_what}: {slot} is there, and Exists says no");
            });
            Try(() =>
            {
                if (!possible.Contains(0) && store.List().All(one => one.Slot.ToString() != slot))
                    _wrong.Add($"{_what}: {slot} is there, and the list does not have it");
            });
        }
        Try(() =>
        {
            if (!Of("a").Contains(0) && !store.HasSaves())
                _wrong.Add($"{_what}: there are saves, and HasSaves says no");
        });
        Try(() =>
        {
            if (!Of("settings").Contains(store.Settings<Count>().Load().Number))
                _wrong.Add($"{_what}: the settings are those of a new game");
        });
    }

    /// <summary>Once nothing fails any more, what was reported done is there.</summary>
    private void Check()
    {
        using var store = Open(_isSecondKey ? _second : _first);
        foreach (var (slot, possible) in _possible)
        {
            if (slot == "settings")
            {
                var settings = store.Settings<Count>().Load().Number;
                if (!possible.Contains(settings))
                    _wrong.Add($"{_what}: the settings are {settings}, and should be {string.Join(" or ", possible)}");
                continue;
            }
            LoadResult<Tally>? loaded = null;
            if (!Try(() => loaded = store.Load(slot)))
            {
                _wrong.Add($"{_what}: {slot} does not load");
                continue;
            }
            var number = loaded!.Found ? loaded.State.Count.Number : 0;
            if (!possible.Contains(number) || loaded.PassedOver.Count > 0)
                _wrong.Add($"{_what}: {slot} is {number}, and should be {string.Join(" or ", possible)}{string.Concat(loaded.PassedOver.Select(one => $"; {one.Message}"))}");
            if (loaded.Found && loaded.State.Count.Ballast.Length != number * 300)
                _wrong.Add($"{_what}: {slot} is not whole");
        }
        if (store.List().FirstOrDefault(one => one.Health != SlotHealth.Readable) is { } bad)
            _wrong.Add($"{_what}: {bad.Slot} is {bad.Health}: {bad.Problem?.Message}");
        // And it can be saved to again.
        try
        {
            store.Save("after", new Tally());
        }
        catch (SaveException exception)
        {
            _wrong.Add($"{_what}: saving afterwards fails: {exception.Message}");
        }
        store.Dispose();
        _database?.Dispose();
        if (Directory.EnumerateFiles(folder, "*.tmp", SearchOption.AllDirectories).FirstOrDefault() is { } left)
            _wrong.Add($"{_what}: {left} is left");
    }

    private HashSet<int> Of(SlotName slot) => _possible.GetValueOrDefault(slot.ToString(), [0]);

    private void Blur(string from, string to)
    {
        HashSet<int> both = [.. Of(from), .. Of(to)];
        (_possible[from], _possible[to]) = (both, both);
    }

    private bool Try(Action act)
    {
        try
        {
            act();
            return true;
        }
        catch (SaveException)
        {
            return false;
        }
        catch (Exception exception)
        {
            _wrong.Add($"{_what}: a foreign exception: {exception}");
            return false;
        }
    }

    [LibraryImport("faults", EntryPoint = "fault_set")]
    private static partial void Set(int kind, int from, int to, int error);

    [LibraryImport("faults", EntryPoint = "fault_count")]
    private static partial int Count(int kind);
}

using Lodrik.Screens;
using Lodrik.Storage;
using Lodrik.Tests.Slots;

namespace Lodrik.Tests.Screens;

/// <summary>Random uses of a save screen against a model that knows names and days, and nothing of files.</summary>
public sealed class ScreenStoriesTests
{
    private static readonly string[] Names = ["Evening", "evening!", "雪山", "Late round", "a", "Évening", "late-round"];

    private static int Stories => int.TryParse(Environment.GetEnvironmentVariable("LODRIK_STORIES"), out var stories) ? stories : 60;

    [Fact]
    public void Any_use_ends_in_the_saves_that_the_player_expects()
    {
        for (var seed = 0; seed < Stories; seed++)
        {
            var story = new Story(seed);
            for (var step = 0; step < 60; step++)
                story.Go(step);
            story.End();
        }
    }

    /// <summary>A save as the player knows it: a slot that is called something and holds a day.</summary>
    private sealed record Known(string Slot, string Name, int Day);

    private sealed class Story(int seed)
    {
        private readonly Random _random = new(seed);
        private readonly List<string> _told = [];
        private readonly string _folder = Path.Combine(Path.GetTempPath(), $"lodrik-screen-{Environment.ProcessId}");
        private readonly Stack<List<Known>> _deleted = new();
        private List<Known> _known = [];
        private MemoryStorage _memory = new();
        private SaveStore<LogSave>? _store;
        private SaveScreen? _screen;
        private LogSave _played = new();
        private int _lastDay = 1;

        public void Go(int step)
        {
            if (_store is null)
                Start();
            _played.Log.Day = ++_lastDay;
            var screen = _screen!;
            var row = screen.Rows.Count > 0 ? screen.Rows[_random.Next(screen.Rows.Count)] : null;
            var yes = _random.Next(3) > 0;
            var typed = Names[_random.Next(Names.Length)];
            screen.Select(row);
            switch (_random.Next(12))
            {
                case 0 or 1 or 2:
                    Note($"save as {typed}, {yes}");
                    var meant = Meant(typed);
                    var saved = Press(ScreenAction.SaveAs, typed, yes, asks: meant is not null);
                    if (saved)
                        Put(meant ?? new Known(screen.Selected!.Slot.ToString(), "", 0), typed, _lastDay);
                    break;
                case 3 when row is not null:
                    Note($"save to {row.Slot}, {yes}");
                    var isCurrent = row.IsCurrent;
                    if (Press(ScreenAction.Save, "", yes, asks: !isCurrent))
                        Put(Of(row), Of(row).Name, _lastDay);
                    break;
                case 4 when row is not null:
                    Note($"delete {row.Slot}, {yes}");
                    var gone = Of(row);
                    if (Press(ScreenAction.Delete, "", yes, asks: true))
                        Remove([gone]);
                    break;
                case 5 when _random.Next(3) == 0 && _known.Count > 0:
                    Note($"clear, {yes}");
                    if (Press(ScreenAction.ClearAll, "", yes, asks: true))
                        Remove([.. screen.Rows.Count == 0 ? _known : throw new InvalidOperationException("Something is left.")]);
                    break;
                case 6 or 7:
                    Undo();
                    break;
                case 8 when row is not null:
                    Note($"rename {row.Slot} to {typed}, {yes}");
                    Rename(Of(row), typed, yes);
                    break;
                case 9 when row is not null:
                    Note($"copy {row.Slot} to {typed}, {yes}");
                    var other = Meant(typed);
                    var from = Of(row);
                    if (Press(ScreenAction.Copy, typed, yes, asks: other is not null))
                        Put(other ?? new Known(screen.Selected!.Slot.ToString(), "", 0), other == from ? from.Name : typed, from.Day);
                    break;
                case 10 when row is not null:
                    Note($"out and in: {row.Slot}");
                    Directory.CreateDirectory(_folder);
                    var (file, day) = (Path.Combine(_folder, "one.zip"), Of(row).Day);
                    _store!.ExportSlot(row.Slot, file, Overwrite.Allowed);
                    var imported = _store.ImportSlot(file).Slot;
                    screen.Refresh();
                    screen.Select(imported);
                    _known.Add(new Known(imported.ToString(), screen.Selected!.Name, day));
                    break;
                case 11:
                    // The process dies, or the store is closed: what was deleted stays so, and nothing else is lost.
                    Note("end");
                    if (_random.Next(2) == 0)
                        _store!.Dispose();
                    Start();
                    break;
            }
            Check(step);
        }

        public void End()
        {
            _store!.Dispose();
            var left = _memory.List("slots").Select(one => one.Name.Split('/')[1]).ToHashSet();
            Assert.True(left.SetEquals(_known.Select(one => one.Slot)), Told("files are left"));
            Assert.DoesNotContain(_memory.List("slots"), one => one.Name.EndsWith("hidden.json", StringComparison.Ordinal));
        }

        private void Start()
        {
            // A new process has another storage with the same files in it.
            var copy = new MemoryStorage();
            foreach (var file in _memory.List(""))
                copy.Write(file.Name, _memory.Read(file.Name)!, replace: false);
            _memory = copy;
            _deleted.Clear();
            _store = SaveStore<LogSave>.Open(new SaveStoreOptions { Storage = _memory });
            _screen = _store.Screen(new ScreenGame<LogSave> { Playing = () => _played, Load = loaded => _played = loaded.State });
            // What is hidden goes with the first write.
            _store.AutoSave(_played);
            _store.DeleteGeneration(SlotName.Auto, 1);
            _screen.Refresh();
        }

        private bool Press(ScreenAction action, string text, bool yes, bool asks)
        {
            var outcome = _screen!.Press(action, text);
            Assert.True(asks == (outcome.Kind == ScreenOutcomeKind.Asks), Told($"{outcome.Kind}: {outcome.Message}, current is {_store!.CurrentSlot}, rows {string.Join(", ", _screen.Rows.Select(row => $"{row.Slot} {row.IsCurrent}"))}"));
            if (asks)
                outcome = _screen.Answer(yes);
            Assert.True(outcome.IsDone || (asks && !yes && outcome.Kind == ScreenOutcomeKind.Cancelled), Told($"{outcome.Kind}: {outcome.Message}"));
            return outcome.IsDone;
        }

        private void Rename(Known from, string typed, bool yes)
        {
            var meant = Meant(typed);
            if (!Press(ScreenAction.Rename, typed, yes, asks: meant is not null && meant != from))
                return;
            _known.Remove(from);
            Put(meant ?? new Known(_screen!.Selected!.Slot.ToString(), "", 0), typed, from.Day);
        }

        private void Undo()
        {
            Note("undo");
            var outcome = _screen!.Press(ScreenAction.Undo);
            if (!_deleted.TryPeek(out var group))
            {
                Assert.True(outcome.Refusal == ScreenRefusal.NothingDeleted, Told(outcome.Message));
                return;
            }
            while (group.Count > 0 && !_known.Exists(one => one.Slot == group[0].Slot))
            {
                _known.Add(group[0]);
                group.RemoveAt(0);
            }
            Assert.True(outcome.Kind == (group.Count == 0 ? ScreenOutcomeKind.Done : ScreenOutcomeKind.Failed), Told(outcome.Message));
            if (group.Count == 0)
                _deleted.Pop();
        }

        /// <summary>The save that a player means: one that is called so, whatever its capitals, or else the slot of that name.</summary>
        private Known? Meant(string typed) =>
            _known.Find(one => string.Equals(one.Name, typed, StringComparison.OrdinalIgnoreCase))
            ?? _known.Find(one => string.Equals(one.Slot, typed, StringComparison.OrdinalIgnoreCase))
            ?? _known.Find(one => one.Slot == SlotName.FromTitle(typed).ToString() && SlotName.FromTitle(one.Name).ToString() == one.Slot);

        private void Put(Known there, string name, int day)
        {
            _known.RemoveAll(one => one.Slot == there.Slot);
            _known.Add(new Known(there.Slot, name, day));
        }

        private void Remove(List<Known> gone)
        {
            // The newest is listed first, and is brought back first.
            _deleted.Push([.. gone.OrderBy(one => _screenOrder.IndexOf(one.Slot))]);
            _known = [.. _known.Except(gone)];
        }

        private List<string> _screenOrder = [];

        private Known Of(SaveRow row) => _known.Single(one => one.Slot == row.Slot.ToString());

        private void Check(int step)
        {
            _screenOrder = [.. _screen!.Rows.Select(row => row.Slot.ToString())];
            var found = _screen.Rows.Select(row => new Known(row.Slot.ToString(), row.Name, StateFile.FromBytes<LogSave>(_memory.Read(row.Listed.File)!).Log.Day));
            Assert.True(found.ToHashSet().SetEquals(_known), Told($"step {step}: found {string.Join(", ", found)}, expected {string.Join(", ", _known)}"));
        }

        private void Note(string what) => _told.Add(what);

        private string Told(string problem) => $"{seed}: {problem}\n{string.Join('\n', _told)}";
    }
}

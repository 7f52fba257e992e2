using Lodrik.Saves.Writing;
using Lodrik.Slots;

namespace Lodrik;

// A save that was asked for, on its way to the disk.
public sealed partial class SaveStore<T>
{
    /// <summary>A save between its snapshot and its receipt.</summary>
    private sealed class Request(
        SlotName slot, SaveLabel label, Overwrite overwrite, Guid playthrough, DateTimeOffset taken, IProgress<SaveProgress>? progress)
            : IDisposable
    {
        private readonly List<TaskCompletionSource<SaveReceipt>> _replaced = [];
        private Snapshot? _snapshot;

        public SlotName Slot => slot;

        public SaveLabel Label { get; set; } = label;

        public Overwrite Overwrite => overwrite;

        public Guid Playthrough => playthrough;

        /// <summary>When the snapshot was taken.</summary>
        public DateTimeOffset Taken => taken;

        public IProgress<SaveProgress>? Progress => progress;

        public TaskCompletionSource<SaveReceipt> Done { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);

        /// <summary>Done once nothing of it is left to write, whatever came of it.</summary>
        public TaskCompletionSource Written { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);

        /// <summary>Done once the game was told what came of it.</summary>
        public TaskCompletionSource Told { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);

        public CancellationToken Cancellation { get; init; }

        /// <summary>Its place in the line of those who change saves.</summary>
        public required WriterTurn Turn { get; init; }

        /// <summary>Its place in the order of what decides which slot is the current one.</summary>
        public long Asked { get; init; }

        /// <summary>Whether its slot was the current one when it was asked for.</summary>
        public bool IsCurrent { get; init; }

        /// <summary>What the thread that asked for it has paid so far.</summary>
        public required ThreadTimes Paid { get; set; }

        /// <summary>The state as it was when the save was asked for.</summary>
        public Snapshot Snapshot
        {
            get => _snapshot!;
            init => _snapshot = value;
        }

        /// <summary>Whether a newer one took its place.</summary>
        public bool IsReplaced { get; private set; }

        /// <summary>Whether nobody wants it any more; those whose place it took still do, unless the store gave all of them up.</summary>
        public bool IsGivenUp
        {
            get => field || (_replaced.Count == 0 && Cancellation.IsCancellationRequested);
            set;
        }

        /// <summary>
        /// Whether nothing is lost if a newer one is written alone: it is for the same slot of the same playthrough, may write over the
        /// same, and nothing else was to happen to the saves in between.
        /// </summary>
        public bool IsAsGoodAs(Request newer) => Playthrough == newer.Playthrough && Overwrite == newer.Overwrite
            && IsCurrent == newer.IsCurrent && Turn.Change == newer.Turn.Change;

        /// <summary>Takes the place of an older request for the same slot, and answers for it.</summary>
        public void Replace(Request older)
        {
            _replaced.AddRange(older._replaced);
            _replaced.Add(older.Done);
            older.IsReplaced = true;
            older.Dispose();
        }

        public void Complete(SaveReceipt receipt) => ForAll(done => done.TrySetResult(receipt));

        public void Fail(Exception exception) => ForAll(done => done.TrySetException(exception));

        public void Cancel()
        {
            ForAll(done => done.TrySetCanceled(CancellationToken.None));
            Dispose();
        }

        public void Dispose() => Interlocked.Exchange(ref _snapshot, null)?.Dispose();

        private void ForAll(Action<TaskCompletionSource<SaveReceipt>> act)
        {
            _replaced.ForEach(act);
            act(Done);
        }
    }

    /// <summary>What the thread that asks for a save pays.</summary>
    /// <param name="Started">When it began, as a timestamp.</param>
    /// <param name="Ended">When it could go on; 0 while it cannot.</param>
    /// <param name="Capture">What went before the store was asked.</param>
    /// <param name="Snapshot">What taking the state down took.</param>
    private readonly record struct ThreadTimes(long Started, long Ended, TimeSpan Capture, TimeSpan Snapshot);
}

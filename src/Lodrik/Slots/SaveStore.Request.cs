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

        public SaveLabel Label => label;

        public Overwrite Overwrite => overwrite;

        public Guid Playthrough => playthrough;

        /// <summary>When the snapshot was taken.</summary>
        public DateTimeOffset Taken => taken;

        public IProgress<SaveProgress>? Progress => progress;

        public TaskCompletionSource<SaveReceipt> Done { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);

        public CancellationToken Cancellation { get; set; }

        /// <summary>Whether it is written in the background.</summary>
        public bool IsInBackground { get; set; }

        public TimeSpan Encoding { get; set; }

        /// <summary>The state as it was when the save was asked for.</summary>
        public Snapshot Snapshot
        {
            get => _snapshot!;
            set => _snapshot = value;
        }

        /// <summary>Whether nobody wants it any more; those whose place it took still do.</summary>
        public bool IsGivenUp => _replaced.Count == 0 && Cancellation.IsCancellationRequested;

        /// <summary>Takes the place of an older request for the same slot, and answers for it.</summary>
        public void Replace(Request older)
        {
            _replaced.AddRange(older._replaced);
            _replaced.Add(older.Done);
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
}

using Lodrik.Saves.Writing;
using Lodrik.State;

namespace Lodrik.Testing;

/// <summary>
/// Finds changes that a save would miss: of a section whose <see cref="IRevisedState.Revision"/> was not raised, and of an entry of a
/// <see cref="SaveLog{T}"/> that was added before. Make one with the state, let the game do something, and <see cref="Check"/>.
/// </summary>
/// <typeparam name="T">The save root or state type.</typeparam>
public sealed class UnmarkedChangeCheck<T> where T : IStateRoot<T>
{
    private readonly SectionCache _cache = new() { ChecksWhatIsKept = true };
    private readonly T _state;

    /// <summary>Takes the state down as it is.</summary>
    /// <param name="state">The state, which the game goes on to change.</param>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is.</exception>
    public UnmarkedChangeCheck(T state)
    {
        ArgumentNullException.ThrowIfNull(state);
        _state = state;
        Snapshot.Of(state, _cache).Dispose();
    }

    /// <summary>Compares with how the state was the last time, here or when the check was made.</summary>
    /// <exception cref="UnmarkedChangeException">Something changed that a save would miss; the message says what.</exception>
    /// <exception cref="UnsavableStateException">The state cannot be saved as it is.</exception>
    public void Check()
    {
        using var snapshot = Snapshot.Of(_state, _cache);
        SaveWarning[] found = [.. snapshot.FindUnmarkedChanges()];
        if (found.Length > 0)
            throw new UnmarkedChangeException(found);
    }
}

/// <summary>Something changed that a save would miss.</summary>
public sealed class UnmarkedChangeException : Exception
{
    internal UnmarkedChangeException(IReadOnlyList<SaveWarning> changes) : base(string.Join(Environment.NewLine, changes)) =>
        Changes = changes;

    /// <summary>The changes, one for each section in which there are any.</summary>
    public IReadOnlyList<SaveWarning> Changes { get; }
}

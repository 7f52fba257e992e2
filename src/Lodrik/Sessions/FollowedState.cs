namespace Lodrik;

/// <summary>
/// A part of a session's state that is looked up each time. The part itself is another object after every load, and what is written to
/// the one before is lost; this may be kept for good.
/// </summary>
/// <typeparam name="T">The part.</typeparam>
public sealed class FollowedState<T>
{
    private readonly Func<T> _find;

    internal FollowedState(Func<T> find) => _find = find;

    /// <summary>The part, of the state that is played now.</summary>
    /// <exception cref="SessionException">Nothing was loaded yet, or a load is under way; the error says what to wait for.</exception>
    public T Value => _find();
}

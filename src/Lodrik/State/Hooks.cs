namespace Lodrik.State;

/// <summary>A state type that has something to do before its members are written.</summary>
public interface IBeforeSaving
{
    /// <summary>Runs before the members are written, on the thread that saves.</summary>
    void BeforeSaving();
}

/// <summary>A state type that has something to do after its members were read, such as filling in what is not saved.</summary>
/// <remarks>
/// It should do so within its own object only. Reading into an existing object rehearses on a new one first, and this runs there too.
/// </remarks>
public interface IAfterLoading
{
    /// <summary>Runs after the members were read and found valid, and after those of everything below.</summary>
    void AfterLoading();
}

/// <summary>
/// The type of a section that knows when it changes. As long as the object and its revision are the same, a store writes the bytes
/// of the save before again instead of encoding the section again.
/// </summary>
/// <remarks>
/// Whatever changes the section, however deep down, has to raise the revision; a change without that is not saved. Loading through
/// the store counts as a change by itself.
/// </remarks>
public interface IRevisedState
{
    /// <summary>A number that is another one after every change.</summary>
    long Revision { get; }
}

/// <summary>A state type that can tell whether its state makes sense.</summary>
public interface IValidatedState
{
    /// <summary>
    /// Names what is wrong with the state as it was read, a sentence each. Any problem refuses the whole load before the game is
    /// touched, or passes over to the save before, as the store was told.
    /// </summary>
    IEnumerable<string> FindProblems();
}

namespace Lodrik.State;

// What a save root is made of: sections, and groups of them.

/// <summary>What can be at the top of a file: a state type, or the root of a game's saves. Implemented by the generator.</summary>
/// <typeparam name="TSelf">The type itself.</typeparam>
public interface IStateRoot<TSelf> where TSelf : IStateRoot<TSelf>
{
    /// <summary>What is known before any save is read: the game, the version and the sections.</summary>
    static abstract StateRoot Root { get; }

    /// <summary>A new object with every member at its initial value.</summary>
    static abstract TSelf CreateState();

    /// <summary>What reading begins with: a new object; null for one whose constructor is given what was read.</summary>
    static virtual TSelf BeginReading() => TSelf.CreateState();

    /// <summary>Gives an object saved members of the same content, which share nothing that could be changed.</summary>
    /// <param name="state">The object that is copied.</param>
    /// <param name="into">The object that gets them; it and what it holds are used again, as when they are read.</param>
    /// <param name="context">What goes along; null for a copy without any.</param>
    static abstract TSelf CopyState(TSelf state, TSelf into, CopyContext? context);

    /// <summary>Whether the saved members of two objects have the same content.</summary>
    static abstract bool AreEqualStates(TSelf one, TSelf other, CompareContext? context);

    /// <summary>Shows the codecs of the sections.</summary>
    static virtual void VisitSections<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
    }

    /// <summary>Hands out the sections of a save, in their order.</summary>
    static abstract void WriteSections<TSections>(ref TSections sections, TSelf state) where TSections : ISectionWriter, allows ref struct;

    /// <summary>Asks for the sections of a save, in their order.</summary>
    static abstract void ReadSections<TSections>(ref TSections sections, ref TSelf state)
        where TSections : ISectionReader, allows ref struct;
}

/// <summary>A type marked <see cref="StateTypeAttribute"/>. Implemented by the generator.</summary>
/// <typeparam name="TSelf">The type itself.</typeparam>
public interface IStateType<TSelf> : IStateRoot<TSelf> where TSelf : IStateType<TSelf>
{
    /// <summary>Writes the state as one value.</summary>
    static abstract void WriteState<TWriter>(ref TWriter writer, TSelf state) where TWriter : IStateWriter, allows ref struct;

    /// <summary>Reads one value into the state; what the value does not mention stays as it is.</summary>
    static abstract void ReadState<TReader>(ref TReader reader, ref TSelf state) where TReader : IStateReader, allows ref struct;
}

/// <summary>Takes the sections of a save, one after the other.</summary>
public interface ISectionWriter
{
    /// <summary>Writes one section.</summary>
    void Write<T, TCodec>(string name, T value) where TCodec : IStateCodec<T>;

    /// <summary>Writes as many sections as the group has, each named <c>name/…</c>.</summary>
    void WriteGroup(string name, ISectionGroup? group);
}

/// <summary>Gives the sections of a save, as far as they are there and were asked for.</summary>
public interface ISectionReader
{
    /// <summary>Reads one section into the value; a section that is not there leaves it as it is.</summary>
    void Read<T, TCodec>(string name, ref T value) where TCodec : IStateCodec<T>;

    /// <summary>Hands the sections named <c>name/…</c> to the group, without decoding them.</summary>
    void ReadGroup(string name, ISectionGroup? group);
}

/// <summary>A root's member that stands for several sections, each read when it is asked for.</summary>
public interface ISectionGroup
{
    /// <summary>The names of the sections, without the group's own.</summary>
    IEnumerable<string> SectionNames { get; }

    /// <summary>Writes one section as one value.</summary>
    void WriteSection<TWriter>(string name, ref TWriter writer) where TWriter : IStateWriter, allows ref struct;

    /// <summary>
    /// An object that is another one as soon as the section's content is another: as long as it stays the same, bytes that were written
    /// before are used again. Null if that cannot be told.
    /// </summary>
    object? IdentityOf(string name);

    /// <summary>Forgets what it holds and takes these sections, undecoded.</summary>
    void TakeSections(IReadOnlyList<UndecodedSection> sections);
}

/// <summary>A group that knows what could not be saved of a section as it is.</summary>
internal interface IWarningGroup
{
    /// <summary>What is to be said of a section, a sentence each.</summary>
    IReadOnlyList<string> WarningsOf(string name);
}

/// <summary>A section that has been checked and not decoded yet.</summary>
public abstract class UndecodedSection
{
    /// <summary>The section's name within its group.</summary>
    public abstract string Name { get; }

    /// <summary>
    /// Whether the bytes are as they were written. Those that are not may turn out not to fit, and are best decoded at once.
    /// </summary>
    public abstract bool IsIntact { get; }

    /// <summary>Decodes the section.</summary>
    /// <exception cref="SaveException">The content does not fit.</exception>
    public abstract void Decode(ISectionDecoder decoder);

    /// <summary>The content without the game's types.</summary>
    /// <exception cref="SaveException">The content is not a well-formed value.</exception>
    internal SaveValue ToTree()
    {
        var decoder = new TreeDecoder();
        Decode(decoder);
        return decoder.Tree;
    }
}

/// <summary>Decodes a section as a tree.</summary>
internal sealed class TreeDecoder : ISectionDecoder
{
    public SaveValue Tree { get; private set; } = SaveValue.Null;

    public void Decode<TReader>(ref TReader reader)
        where TReader : IStateReader, allows ref struct => Tree = SaveValueCodec.ReadTree(ref reader);
}

/// <summary>What is fixed about a save's root when the game is built.</summary>
/// <param name="Game">The game's id; empty for a state type that is saved on its own.</param>
/// <param name="Version">The save version; 0 for a state type that is saved on its own.</param>
/// <param name="Sections">The section names; a group's name ends in <c>/</c>.</param>
/// <param name="Shape">The digest of the shape of its saves (64 bits of SHA-256, in hexadecimal); empty if that is not known.</param>
public sealed record StateRoot(string Game, int Version, IReadOnlyList<string> Sections, string Shape = "")
{
    /// <summary>The name of the only section of a state type that is saved on its own.</summary>
    public const string SingleSection = "state";

    /// <summary>The root of a state type that is saved on its own: no game, no version, one section.</summary>
    public static StateRoot Single { get; } = new("", 0, [SingleSection]);

    /// <summary>Whether this is a game's save root, with sections of its own.</summary>
    public bool IsSaveFile => Version > 0;
}

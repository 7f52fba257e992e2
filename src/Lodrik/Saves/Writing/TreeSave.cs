using Lodrik.State;

namespace Lodrik.Saves.Writing;

/// <summary>A save as trees: what is written again in another form without the game's types.</summary>
internal sealed class TreeSave(IReadOnlyList<(string Name, Func<SaveValue> Read)> sections) : IStateRoot<TreeSave>
{
    /// <summary>Sections whose trees are there already.</summary>
    public static TreeSave Of(IEnumerable<KeyValuePair<string, SaveValue>> sections) =>
        new([.. sections.Select(section => (section.Key, new Func<SaveValue>(() => section.Value)))]);

    static StateRoot IStateRoot<TreeSave>.Root => StateRoot.Single;

    static TreeSave IStateRoot<TreeSave>.CreateState() => new([]);

    static TreeSave IStateRoot<TreeSave>.CopyState(TreeSave state, TreeSave into, CopyContext? context) =>
        Of(state.Sections.Select(section => KeyValuePair.Create(section.Name, SaveValueCodec.Copy(section.Read())!)));

    static bool IStateRoot<TreeSave>.AreEqualStates(TreeSave one, TreeSave other, CompareContext? context) => one.Sections.Select(section =>
        (section.Name, section.Read())).SequenceEqual(other.Sections.Select(section => (section.Name, section.Read())));

    static void IStateRoot<TreeSave>.WriteSections<TSections>(ref TSections target, TreeSave state)
    {
        foreach (var (name, read) in state.Sections)
            target.Write<SaveValue?, SaveValueCodec>(name, read());
    }

    static void IStateRoot<TreeSave>.ReadSections<TSections>(ref TSections source, ref TreeSave state) =>
        throw new NotSupportedException("A save is read as trees by SavedFile only.");

    private IReadOnlyList<(string Name, Func<SaveValue> Read)> Sections { get; } = sections;
}

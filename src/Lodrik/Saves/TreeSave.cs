using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>A save as trees: what is written again in another form without the game's types.</summary>
internal sealed class TreeSave(IReadOnlyList<(string Name, SaveValue Value)> sections) : IStateRoot<TreeSave>
{
    static StateRoot IStateRoot<TreeSave>.Root => StateRoot.Single;

    static TreeSave IStateRoot<TreeSave>.CreateState() => new([]);

    static TreeSave IStateRoot<TreeSave>.CopyState(TreeSave state) => new([.. state.Sections.Select(section => (section.Name, SaveValueCodec.Copy(section.Value)!))]);

    static bool IStateRoot<TreeSave>.AreEqualStates(TreeSave one, TreeSave other) => one.Sections.SequenceEqual(other.Sections);

    static void IStateRoot<TreeSave>.WriteSections<TSections>(ref TSections target, TreeSave state)
    {
        foreach (var (name, value) in state.Sections)
            target.Write<SaveValue?, SaveValueCodec>(name, value);
    }

    static void IStateRoot<TreeSave>.ReadSections<TSections>(ref TSections source, ref TreeSave state) =>
        throw new NotSupportedException("A save is read as trees by SavedFile.");

    private IReadOnlyList<(string Name, SaveValue Value)> Sections { get; } = sections;
}

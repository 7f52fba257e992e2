using Lodrik.Scenes;

namespace Lodrik.State;

/// <summary>What a game knows of the kinds and parts of its scenes; a record that is read without it has its parts as trees.</summary>
internal class SceneTypes
{
    /// <summary>Nothing is known.</summary>
    public static SceneTypes None { get; } = new();

    /// <summary>Whether any kind had another name in earlier saves.</summary>
    public virtual bool HasFormerKinds => false;

    /// <summary>The name of today for a kind that a save names.</summary>
    public virtual string KindName(string saved) => saved;

    /// <summary>A new column for a kind's part; null if the part is not known.</summary>
    public virtual PartColumn? MakeColumn(string kind, string part) => null;

    /// <summary>
    /// The place of an entity in the scene as the designer left it, which has what an older save lacks; -1 if it is not known.
    /// </summary>
    public virtual int AuthoredIndexOf(EntityId id) => -1;

    /// <summary>The column of a part in the scene as the designer left it.</summary>
    public virtual PartColumn? AuthoredColumn(string kind, string part) => null;
}

namespace Lodrik.State;

/// <summary>The items of a list that were checked and are not decoded yet.</summary>
internal abstract class RowSource
{
    public abstract int Count { get; }

    /// <summary>The items in order, each decoded when its turn comes.</summary>
    public abstract IEnumerable<SaveValue> Read();

    /// <summary>One item, without the others.</summary>
    public abstract SaveValue Read(int index);

    /// <summary>One member of every item in order; null where an item does not have it. Nothing else is decoded.</summary>
    public abstract IEnumerable<SaveValue?> ReadMember(string key);
}

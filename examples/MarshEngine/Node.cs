namespace MarshEngine;

/// <summary>A node of a tree, as engines have it: nothing of it can carry an attribute of another library.</summary>
public class Node
{
    private static ulong _next = 1000;
    private readonly List<Node> _children = [];

    public string Name { get; set; } = "";

    public Node? Parent { get; private set; }

    public IReadOnlyList<Node> Children => _children;

    public Tree? Tree { get; private set; }

    /// <summary>0 until it is in the tree; another one in every run.</summary>
    public ulong InstanceId { get; private set; }

    public bool IsQueuedForDeletion { get; private set; }

    public Pose Pose { get; set; }

    public bool Visible { get; set; } = true;


    public void AddChild(Node child)
    {
        if (child.Parent is not null)
            throw new InvalidOperationException("It has a parent already.");
        child.Parent = this;
        _children.Add(child);
        child.Enter(Tree);
    }

    public void Reparent(Node parent)
    {
        Parent?._children.Remove(this);
        Parent = null;
        parent.AddChild(this);
    }

    public void QueueFree()
    {
        IsQueuedForDeletion = true;
        Tree?.Queue(this);
        // It takes along what belongs to it.
        foreach (var child in _children)
            child.QueueFree();
    }

    protected virtual void Ready()
    {
    }

    internal void Enter(Tree? tree)
    {
        if (tree is null)
            return;
        Tree = tree;
        InstanceId = _next++;
        Ready();
        foreach (var child in _children.ToList())
            child.Enter(tree);
    }

    internal void Leave()
    {
        Parent?._children.Remove(this);
        Parent = null;
        Tree = null;
    }
}

/// <summary>A tree of nodes, in which what is destroyed stays until the end of the frame.</summary>
public sealed class Tree
{
    private readonly List<Node> _queue = [];

    public Tree(Node root) => root.Enter(this);

    internal void Queue(Node node) => _queue.Add(node);

    public void EndOfFrame()
    {
        foreach (var node in _queue)
            node.Leave();
        _queue.Clear();
    }
}

/// <summary>What can be created by name.</summary>
public static class Assets
{
    private static readonly Dictionary<string, Func<Node>> Known = [];

    public static IEnumerable<string> Names => Known.Keys;

    public static void Register(string name, Func<Node> make) => Known[name] = make;

    public static Node Instantiate(string name) => Known[name]();
}

namespace Lodrik.State;

/// <summary>Finds out what a save root calls its groups of sections. Nothing is written for it.</summary>
internal struct GroupNames(ISectionGroup wanted) : ISectionWriter
{
    private string? _name;

    /// <summary>The name of a group.</summary>
    /// <param name="group">Gets it from a new state.</param>
    public static string Of<T>(Func<T, ISectionGroup> group) where T : IStateRoot<T>
    {
        var probe = T.CreateState();
        var names = new GroupNames(group(probe));
        T.WriteSections(ref names, probe);
        return names._name
            ?? throw new InvalidOperationException($"{typeof(T).Name} does not save its group of sections: it is marked [NotSaved].");
    }

    public readonly void Write<T, TCodec>(string name, T value) where TCodec : IStateCodec<T>
    {
    }

    public void WriteGroup(string name, ISectionGroup? group)
    {
        if (ReferenceEquals(group, wanted))
            _name = name;
    }
}

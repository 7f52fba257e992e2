using System.Buffers;
using System.ComponentModel;
using Lodrik.Inspection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;
using Lodrik.Scenes;

namespace Lodrik.State;

/// <summary>
/// What state types are beyond being saved: they can be copied, compared, and asked what changed. Only saved members count; in a copy
/// the others have their initial values, or what the type's own hooks give them.
/// </summary>
public static class StateContent
{
    /// <summary>
    /// A copy that shares nothing with the original that could be changed. What was one shared object is one in the copy too.
    /// </summary>
    /// <exception cref="UnsavableStateException">The state is nested without end, or holds an object of an undeclared type.</exception>
    public static T Copy<T>(T state) where T : IStateRoot<T> =>
        state is null ? state! : Copy(state, T.BeginReading(), new CopyContext());

    /// <summary>
    /// Copies a state into an object that is there, which stays the one it is, and what it holds as well; an array if it has the same
    /// lengths.
    /// </summary>
    /// <returns>The object.</returns>
    /// <exception cref="UnsavableStateException">The state is nested without end, or holds an object of an undeclared type.</exception>
    internal static T CopyInto<T>(T state, T into) where T : IStateRoot<T> =>
        Copy(state, into, new CopyContext { FillsArrays = true });

    private static T Copy<T>(T state, T into, CopyContext context) where T : IStateRoot<T>
    {
        try
        {
            var copy = T.CopyState(state, into, context);
            context.Fill();
            return copy;
        }
        catch (InsufficientExecutionStackException)
        {
            throw new UnsavableStateException(SaveErrorCode.TooDeep, StateLimits.TooDeepToWrite,
                default, "Leave the member that leads back out with [NotSaved], or mark its type as shared.");
        }
        catch (ContentException content)
        {
            throw new UnsavableStateException(content.Code, content.Message, default, null, content);
        }
    }

    /// <summary>
    /// Whether two states have the same content. Sets and dictionaries are equal in any order; 0.0 and −0.0 are not equal.
    /// </summary>
    /// <exception cref="UnsavableStateException">The states are nested without end.</exception>
    public static bool AreEqual<T>(T? one, T? other) where T : class, IStateRoot<T>
    {
        if (one is null || other is null)
            return one is null && other is null;
        try
        {
            return T.AreEqualStates(one, other, new CompareContext());
        }
        catch (InsufficientExecutionStackException)
        {
            throw new UnsavableStateException(SaveErrorCode.TooDeep, StateLimits.TooDeepToWrite,
                default, "Leave the member that leads back out with [NotSaved], or mark its type as shared.");
        }
    }

    /// <summary>
    /// What is different in the second state, value by value, in the order of the members. Items of lists are compared between what is
    /// equal at both ends.
    /// </summary>
    /// <exception cref="UnsavableStateException">One of the states cannot be saved as it is.</exception>
    public static IReadOnlyList<StateChange> Changes<T>(T before, T after)
        where T : class, IStateRoot<T>
    {
        using var one = Snapshot.Of(before);
        using var other = Snapshot.Of(after);
        return Changes(one, other, T.Root, SaveForm.Binary);
    }

    /// <summary>
    /// What is different between two states that were taken down, by way of a form: a state that was loaded from that form and not entirely
    /// decoded has its values as the form has them.
    /// </summary>
    internal static IReadOnlyList<StateChange> Changes(Snapshot before, Snapshot after, StateRoot root, SaveForm form)
    {
        var changes = new List<StateChange>();
        var (one, other) = (Tree(before, root, form), Tree(after, root, form));
        if (!root.IsSaveFile && one.TryGet(StateRoot.SingleSection, out var content)
            && other.TryGet(StateRoot.SingleSection, out var otherContent))
            TreeComparison.Compare("", content, otherContent, changes);
        else
            TreeComparison.Compare("", one, other, changes);
        // What the game itself has is not progress of the player.
        changes.RemoveAll(change => SceneRecord.IsAboutKinds(change.Path, name => other.TryGet(name, out var section) ? section : null));
        return changes;
    }

    /// <summary>Gives the second group copies of the sections of the first. Called by generated code.</summary>
    [EditorBrowsable(EditorBrowsableState.Never)]
    public static void CopyGroup(ISectionGroup? group, ISectionGroup copy)
    {
        ArgumentNullException.ThrowIfNull(copy);
        copy.TakeSections([.. (group?.SectionNames ?? []).Select(name => PackedSection.Of(group!, name))]);
    }

    /// <summary>Whether two groups have the same sections with the same content. Called by generated code.</summary>
    [EditorBrowsable(EditorBrowsableState.Never)]
    public static bool AreEqualGroups(ISectionGroup? one, ISectionGroup? other)
    {
        var names = (one?.SectionNames ?? []).ToHashSet(StringComparer.Ordinal);
        return names.SetEquals(other?.SectionNames ?? [])
            && names.All(name => PackedSection.Of(one!, name).ToTree().Equals(PackedSection.Of(other!, name).ToTree()));
    }

    private static SaveMap Tree(Snapshot snapshot, StateRoot root, SaveForm form)
    {
        using var writer = new SaveWriter();
        var header = new SaveHeader { Game = root.Game, Version = root.Version };
        return SavedFile.FromBytes(writer.Write(snapshot, header, new SaveTerms(form)).ToArray()).ReadTree();
    }
}

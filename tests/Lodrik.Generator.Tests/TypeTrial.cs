using Lodrik.Inspection;
using Lodrik.State;

namespace Lodrik.Generator.Tests;

/// <summary>What is asked of an object of any state type.</summary>
public static class TypeTrial
{
    /// <summary>Saves and loads it in every form, copies it and converts it; what is wrong, or null.</summary>
    public static string? Of<T, TMany>(T state, TMany many, Func<TMany, List<T>> all) where T : IStateType<T> where TMany : class, IStateType<TMany>
    {
        var tree = Content(StateFile.ToBytes(state, SaveForm.Binary));
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            var bytes = StateFile.ToBytes(state, form);
            var loaded = StateFile.FromBytes<T>(bytes);
            if (!T.AreEqualStates(state, loaded, null))
                return $"{form}: loaded, it is another.\n{tree}\n{Content(StateFile.ToBytes(loaded, SaveForm.Binary))}";
            if (Content(StateFile.ToBytes(loaded, SaveForm.Binary)) != tree)
                return $"{form}: saved again, it is another.\n{tree}";
            // Many of them go another way than one does.
            var loadedMany = StateFile.FromBytes<TMany>(StateFile.ToBytes(many, form));
            if (!StateContent.AreEqual(many, loadedMany) || all(many).Zip(all(loadedMany)).Any(pair => !T.AreEqualStates(pair.First, pair.Second, null)))
                return $"{form}: one of many is another.\n{tree}";
        }
        var copy = StateContent.Copy(state);
        return T.AreEqualStates(state, copy, null) && Content(StateFile.ToBytes(copy, SaveForm.Binary)) == tree ? null : $"A copy is another.\n{tree}";
    }

    private static string Content(byte[] bytes) => SaveJson.Write(SavedFile.FromBytes(bytes).ReadTree());
}

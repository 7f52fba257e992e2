using System.Runtime.CompilerServices;
using Lodrik.Saves;
using Lodrik.State;
using Lodrik.Storage;

namespace Lodrik.Slots;

/// <summary>Has the code of a store compiled before it is needed: once for all stores of a type and a form.</summary>
internal static class StoreWarmUp
{
    private static readonly Lock Gate = new();
    private static readonly Task?[] Ours = new Task?[Enum.GetValues<SaveForm>().Length];

    /// <summary>Warms up, in the background.</summary>
    /// <param name="form">The form of the saves.</param>
    /// <param name="shared">Runs through the code that all stores share, once for each form.</param>
    /// <returns>Done when the code is there; at once where it was compiled ahead of time.</returns>
    public static Task Of<T>(SaveForm form, Action<SaveForm> shared) where T : class, IStateRoot<T> =>
        // Asked here and not through a property of ours, so that code compiled ahead of time does without all of it.
        RuntimeFeature.IsDynamicCodeCompiled ? Once<T>.In(form, shared) : Task.CompletedTask;

    private static Task Shared(SaveForm form, Action<SaveForm> shared)
    {
        lock (Gate)
        {
            return Ours[(int)form] ??= Task.Run(() =>
            {
                if (OperatingSystem.IsLinux() && Environment.Is64BitProcess)
                    LinuxCalls.TryAll();
                shared(form);
            });
        }
    }

    private static class Once<T> where T : class, IStateRoot<T>
    {
        private static readonly Task?[] Tasks = new Task?[Ours.Length];

        public static Task In(SaveForm form, Action<SaveForm> shared)
        {
            lock (Tasks)
                return Tasks[(int)form] ??= Task.WhenAll(Shared(form, shared), Task.Run(() => WarmUp.Run<T>(form)));
        }
    }
}

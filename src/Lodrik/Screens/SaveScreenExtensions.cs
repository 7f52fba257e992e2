using Lodrik.Screens;
using Lodrik.State;

namespace Lodrik;

/// <summary>Save screens over a store.</summary>
public static class SaveScreenExtensions
{
    /// <summary>
    /// A save screen without its looks: the rows, what each button may do and why not, and the questions to put to the player. The list is
    /// read before this returns.
    /// </summary>
    /// <typeparam name="T">The game's save root.</typeparam>
    /// <param name="store">The store.</param>
    /// <param name="game">What is being played, and how to go on with what was loaded; null for a screen that only manages saves.</param>
    /// <param name="options">What it shows; null for the defaults.</param>
    /// <exception cref="Storage.StorageException">The storage cannot be read.</exception>
    public static SaveScreen Screen<T>(this SaveStore<T> store, ScreenGame<T>? game = null, SaveScreenOptions? options = null)
        where T : class, IStateRoot<T>
    {
        var screen = Create(store, game, options);
        screen.Fill();
        return screen;
    }

    /// <summary>As <see cref="Screen{T}(SaveStore{T}, ScreenGame{T}?, SaveScreenOptions?)"/>; the list is read in the background.</summary>
    /// <typeparam name="T">The game's save root.</typeparam>
    /// <param name="store">The store.</param>
    /// <param name="game">What is being played, and how to go on with what was loaded; null for a screen that only manages saves.</param>
    /// <param name="options">What it shows; null for the defaults.</param>
    /// <param name="cancellationToken">Cancels it.</param>
    /// <exception cref="Storage.StorageException">The storage cannot be read.</exception>
    public static async Task<SaveScreen> ScreenAsync<T>(
        this SaveStore<T> store, ScreenGame<T>? game = null, SaveScreenOptions? options = null,
        CancellationToken cancellationToken = default)
        where T : class, IStateRoot<T>
    {
        var screen = Create(store, game, options);
        await screen.FillAsync(cancellationToken).ConfigureAwait(true);
        return screen;
    }

    private static SaveScreen Create<T>(SaveStore<T> store, ScreenGame<T>? game, SaveScreenOptions? options) where T : class, IStateRoot<T>
    {
        ArgumentNullException.ThrowIfNull(store);
        return new SaveScreen(
            new StoredSaves<T>(store), new PlayedState<T>(store, game ?? new ScreenGame<T>()), options ?? new SaveScreenOptions());
    }
}

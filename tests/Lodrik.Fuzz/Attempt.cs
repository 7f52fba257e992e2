namespace Lodrik.Fuzz;

/// <summary>Tries something that may be refused.</summary>
public static class Attempt
{
    /// <summary>Whether it was done; false where the library refused it. Any other exception goes on to the caller.</summary>
    public static bool Try<T>(Func<T> act)
    {
        ArgumentNullException.ThrowIfNull(act);
        try
        {
            act();
            return true;
        }
        catch (SaveException)
        {
            return false;
        }
    }
}

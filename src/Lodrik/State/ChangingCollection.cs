namespace Lodrik.State;

/// <summary>Collections that the game changes while they are saved.</summary>
internal static class ChangingCollection
{
    /// <summary>
    /// Refuses a collection that has not as many items as it had a moment ago: some forms say first how many there are, and a save with
    /// another number of them could not be loaded.
    /// </summary>
    /// <param name="announced">How many it had.</param>
    /// <param name="written">How many it has.</param>
    public static void Refuse(int announced, int written)
    {
        if (announced != written)
            throw new ContentException(
                SaveErrorCode.ChangedMeanwhile, $"A collection of {announced} items had {written} by the time they were saved.",
                new ContentPlace(long.MaxValue, int.MaxValue));
    }
}

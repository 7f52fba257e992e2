namespace Lodrik.Formats.Binary.Tables;

/// <summary>What is counted over the columns of one table.</summary>
internal class SlotTally
{
    public long Slots { get; private set; }

    public long LongestColumn { get; private set; }

    public void Note(int slots)
    {
        Slots += slots;
        LongestColumn = Math.Max(LongestColumn, slots);
    }

    public virtual void Reset() => Slots = LongestColumn = 0;
}

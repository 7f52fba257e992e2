namespace Lodrik.Formats.Binary.Tables;

/// <summary>All columns of one table, and what is counted over them.</summary>
internal sealed class TableTally
{
    /// <summary>The columns by their numbers.</summary>
    public List<ColumnWriter> Columns { get; } = [];

    public long Slots { get; private set; }

    public long LongestColumn { get; private set; }

    public int Add(ColumnWriter column)
    {
        Columns.Add(column);
        return Columns.Count - 1;
    }

    public void Note(int slots)
    {
        Slots += slots;
        LongestColumn = Math.Max(LongestColumn, slots);
    }

    public void Reset()
    {
        Columns.Clear();
        Slots = LongestColumn = 0;
    }
}

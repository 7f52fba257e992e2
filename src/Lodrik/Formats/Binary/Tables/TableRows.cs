using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

/// <summary>The rows of a table, decoded as they are asked for, so that a large one can be looked into without being laid out.</summary>
internal sealed class TableRows : RowSource
{
    private readonly byte[] _table;

    /// <param name="table">The column after the table's tag, and nothing else.</param>
    /// <exception cref="ContentException">Something in it could not be decoded later.</exception>
    public TableRows(byte[] table)
    {
        _table = table;
        var columns = new TableParser(table, 0).Parse();
        foreach (var column in columns)
            column?.Validate(table);
        Count = columns[1].Children[0].Slots;
    }

    public override int Count { get; }

    public override IEnumerable<SaveValue> Read()
    {
        var columns = new TableParser(_table, 0).Parse();
        for (var i = 0; i < Count; i++)
            yield return TableReader.ReadRow(_table, columns, columns[1].Children[0]);
    }

    public override SaveValue Read(int index)
    {
        var columns = new TableParser(_table, 0).Parse();
        columns[1].Children[0].Skip(_table, index);
        return TableReader.ReadRow(_table, columns, columns[1].Children[0]);
    }

    public override IEnumerable<SaveValue?> ReadMember(string key)
    {
        var columns = new TableParser(_table, 0).Parse();
        var rows = columns[1].Children[0];
        var member = Array.IndexOf(rows.Names, key);
        for (var i = 0; i < Count; i++)
        {
            if (rows.Kind == ColumnKind.Object)
                yield return member < 0 ? null : TableReader.ReadRow(_table, columns, rows.Children[member]);
            else
                yield return TableReader.ReadRow(_table, columns, rows) is SaveMap map && map.TryGet(key, out var value) ? value : null;
        }
    }
}

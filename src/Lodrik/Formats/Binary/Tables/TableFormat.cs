namespace Lodrik.Formats.Binary.Tables;

/// <summary>
/// The words of a table: one tag, and after it one column that holds a list or a map, column by column down to the scalars.
/// docs/format.md describes the bytes.
/// </summary>
internal static class TableFormat
{
    /// <summary>The CBOR tag of a table: the letters LDRK in ASCII.</summary>
    public const ulong Tag = 0x4C44524B;

    /// <summary>The CBOR tag of a list in parts: the letters LDRP in ASCII.</summary>
    public const ulong PartsTag = 0x4C445250;

    /// <summary>A list or a map of fewer items is written plainly.</summary>
    public const int LeastItems = 8;

    /// <summary>How many values of a column are gathered, or decoded, at a time.</summary>
    public const int Chunk = 1024;

    /// <summary>How many rows are gone through at a time, member by member: their objects stay in the cache for that.</summary>
    public const int Block = 256;

    /// <summary>How deep columns may lie within each other; what is nested deeper is in its column as plain items.</summary>
    public const int MaxNesting = 12;

    /// <summary>How many columns a table may have before what comes new goes out as plain items.</summary>
    public const int MaxColumns = 2048;

    /// <summary>How many kinds of values one column may mix before the others go out as plain items.</summary>
    public const int MaxChoices = 200;

    /// <summary>
    /// How many slots all columns together may have for each byte of the table. Columns of nulls and of equal numbers take no space,
    /// and without a bound a few bytes could ask for any amount of work.
    /// </summary>
    public const long MaxSlotsPerByte = 64;

    /// <summary>How many slots a single column may have for each byte of the table.</summary>
    public const long MaxRowsPerByte = 8;
}

/// <summary>What a column holds. The numbers are in the file; numbers and floats have no code but the tag of their typed array.</summary>
internal enum ColumnKind : byte
{
    Null = 0,
    Same = 1,
    Bool = 2,
    Text = 3,
    Dictionary = 4,
    Bytes = 5,
    List = 6,
    Map = 7,
    Object = 8,
    Choice = 9,
    Items = 10,

    // Not in the file.
    Integer = 100,
    Single,
    Double,
    Empty,
}

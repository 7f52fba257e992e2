using System.ComponentModel;
using System.Numerics;

namespace Lodrik.State;

// The whole framework is four interfaces. A state type says what it is (IStateRoot, IStateCodec); a format says how that
// looks (IStateWriter, IStateReader); neither knows the other. The generator writes the first two for the game's types, the
// Formats folder holds the last two for JSON, XML, CBOR and the value tree.

/// <summary>How values of one type are written and read. Implemented by structs without fields, so that the code is specialised.</summary>
/// <typeparam name="T">The type of the values.</typeparam>
public interface IStateCodec<T>
{
    /// <summary>What an item begins as before it is read: for a struct, what its own constructor makes of it.</summary>
    static virtual T Initial => default!;

    /// <summary>
    /// A value of the same content that shares nothing with this one that could be changed; the value itself if it cannot be changed.
    /// It is what writing and reading would give, hooks included, without the bytes in between.
    /// </summary>
    /// <param name="value">The value.</param>
    /// <param name="into">
    /// What the copy may use again, as <see cref="Read"/> does: a collection is emptied first, an object keeps the members that are not
    /// saved. <see cref="Initial"/> for its own copy.
    /// </param>
    /// <param name="context">What goes along; null for a copy without any.</param>
    static virtual T Copy(T value, T into, CopyContext? context) => value;

    /// <summary>
    /// A value that was read before its object could be created, as it is in the object: a collection that compares in its own way,
    /// or an array of fixed length, is the object's own one, with what was read.
    /// </summary>
    /// <exception cref="ArgumentException">The object's own one has no room for it.</exception>
    static virtual T MoveInto(T read, T initial) => read;

    /// <summary>Whether two values have the same content.</summary>
    static virtual bool AreEqual(T one, T other, CompareContext? context) => EqualityComparer<T>.Default.Equals(one, other);

    /// <summary>
    /// Whether many such values are best laid out column by column where a format can do that: true for what has members or numbers of
    /// its own, false for a single value.
    /// </summary>
    static virtual bool HasColumns => false;

    /// <summary>
    /// Whether writing and reading a value that nobody has given anything calls code of the game: the members of a struct, an adapter.
    /// </summary>
    static virtual bool CallsGame => false;

    /// <summary>Shows the codecs that this one uses for what is in its values.</summary>
    static virtual void VisitParts<TVisitor>(ref TVisitor visitor) where TVisitor : ICodecVisitor, allows ref struct
    {
    }

    /// <summary>Writes many values at once; false if nothing was written, and they have to be written one by one.</summary>
    static virtual bool TryWriteRows<TRows>(ref TRows rows, ReadOnlySpan<T> items) where TRows : IRowWriter, allows ref struct => false;

    /// <summary>Reads many values at once; false if nothing was read, and they have to be read one by one.</summary>
    static virtual bool TryReadRows<TRows>(ref TRows rows, Span<T> items) where TRows : IRowReader, allows ref struct => false;

    /// <summary>Writes one value.</summary>
    static abstract void Write<TWriter>(ref TWriter writer, T value) where TWriter : IStateWriter, allows ref struct;

    /// <summary>
    /// Reads one value. An object or a collection that <paramref name="value"/> already holds is used again: a collection is
    /// emptied first, an object keeps the members that the save does not mention.
    /// </summary>
    static abstract void Read<TReader>(ref TReader reader, ref T value) where TReader : IStateReader, allows ref struct;
}

/// <summary>Is shown the codecs of a type and of all that is in it. A type that contains itself is shown again.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface ICodecVisitor
{
    /// <summary>Is shown a codec.</summary>
    void Visit<T, TCodec>() where TCodec : IStateCodec<T>;

    /// <summary>Is shown the codec of a collection, with one that is empty.</summary>
    void VisitEmpty<T, TCodec>(T empty) where TCodec : IStateCodec<T>;

    /// <summary>Is shown the codec of a section of a save.</summary>
    void VisitSection<T, TCodec>() where TCodec : IStateCodec<T>;
}

/// <summary>How values of one type stand as the key of a map.</summary>
/// <typeparam name="T">The type of the keys.</typeparam>
public interface IKeyCodec<T>
{
    /// <summary>The key as text.</summary>
    static abstract string ToText(T key);

    /// <summary>The key that a text stands for; false if it stands for none.</summary>
    static abstract bool TryParse(string text, out T key);

    /// <summary>Whether two different keys may have one text, so that a map has to be looked at before it is written.</summary>
    static virtual bool MayBeOneText => false;
}

/// <summary>
/// Writes collections column by column, in formats that have such a form; a format without one answers with false and null.
/// </summary>
public interface ITableWriter
{
    /// <summary>
    /// Writes a whole collection column by column, where the format has such a form and the collection is worth it; the codec is that of
    /// the collection itself, and is asked to write it to another writer.
    /// </summary>
    /// <returns>False where nothing was written, and the caller has to write item by item.</returns>
    bool TryWriteTable<T, TCodec>(T collection, int count) where TCodec : IStateCodec<T>;

    /// <summary>Writes the items of a list all at once, where the format gathers them in columns.</summary>
    /// <returns>False where nothing was written, and the caller has to write item by item.</returns>
    bool TryWriteItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T>;

    /// <summary>Writes a log from what it was encoded as before, where the format keeps that.</summary>
    /// <returns>False where nothing was written, and the caller has to write it like a list.</returns>
    bool TryWriteLog<T, TCodec>(SaveLog<T> log) where TCodec : IStateCodec<T>;

    /// <summary>The keys of a tree's map as a table, where the format gathers maps of the same keys; otherwise null.</summary>
    KeyTable? ShapeOf(SaveMap map);
}

/// <summary>Writes the tokens of one format.</summary>
public interface IStateWriter : ITableWriter
{
    /// <summary>What goes along with the section that is being written; null if this is not a section.</summary>
    WriteContext? Context { get; }

    /// <summary>Writes the absence of a value.</summary>
    void WriteNull();

    /// <summary>Writes a truth value.</summary>
    void WriteBool(bool value);

    /// <summary>Writes a whole number.</summary>
    void WriteInteger(long value);

    /// <summary>Writes a whole number of any size.</summary>
    void WriteBigInteger(BigInteger value);

    /// <summary>Writes a single-precision number (IEEE 754 binary32), bit for bit.</summary>
    void WriteSingle(float value);

    /// <summary>Writes a double-precision number (IEEE 754 binary64), bit for bit.</summary>
    void WriteDouble(double value);

    /// <summary>Writes a decimal number with its scale.</summary>
    void WriteDecimal(decimal value);

    /// <summary>Writes text; a lone surrogate becomes U+FFFD.</summary>
    void WriteText(scoped ReadOnlySpan<char> value);

    /// <summary>Writes bytes.</summary>
    void WriteBytes(scoped ReadOnlySpan<byte> value);

    /// <summary>Writes a list of numbers of one type, in the format's densest way.</summary>
    void WriteNumbers<T>(scoped ReadOnlySpan<T> values) where T : unmanaged, INumber<T>;

    /// <summary>Begins an object of that many members.</summary>
    void BeginObject(int members);

    /// <summary>Names the member whose value is written next.</summary>
    void WriteKey(KeyTable keys, int index);

    /// <summary>Names the entry whose value is written next.</summary>
    void WriteKey(string key);

    /// <summary>Ends an object or a map.</summary>
    void EndObject();

    /// <summary>Begins a list of that many items.</summary>
    void BeginList(int items);

    /// <summary>Ends a list.</summary>
    void EndList();
}

/// <summary>Reads collections that were written column by column; a format without such a form reads nothing.</summary>
public interface ITableReader
{
    /// <summary>
    /// Reads a whole collection that was written column by column; the codec is that of the collection itself, and is asked to read it
    /// from another reader.
    /// </summary>
    /// <returns>False where nothing was read, and the caller has to read item by item.</returns>
    bool TryReadTable<T, TCodec>(ref T value) where TCodec : IStateCodec<T>;

    /// <summary>Takes a list that was written column by column as a tree whose items are decoded when they are asked for.</summary>
    /// <returns>Null if nothing was read, and the caller has to read item by item.</returns>
    SaveList? TakeTable();

    /// <summary>Reads a list that was written in parts.</summary>
    /// <returns>False where nothing was read, because the list is not in parts.</returns>
    bool TryReadParts<T, TCodec>(ref List<T>? items) where TCodec : IStateCodec<T>;

    /// <summary>Reads as many items of a list at once as the format can, and appends them; those that are left come one by one.</summary>
    void ReadItems<T, TCodec>(List<T> items) where TCodec : IStateCodec<T>;
}

/// <summary>Reads the tokens of one format.</summary>
public interface IStateReader : ITableReader
{
    /// <summary>What goes along with the section that is being read; null if this is not a section.</summary>
    ReadContext? Context { get; }

    /// <summary>What the next value is, without consuming it.</summary>
    SaveValueKind Peek();

    /// <summary>Consumes a null and says so; anything else stays.</summary>
    bool TryReadNull();

    /// <summary>Reads a truth value.</summary>
    bool ReadBool();

    /// <summary>Reads a whole number between the bounds, both included.</summary>
    long ReadInteger(long min, long max);

    /// <summary>Reads a whole number of any size.</summary>
    BigInteger ReadBigInteger();

    /// <summary>Reads a single-precision number.</summary>
    float ReadSingle();

    /// <summary>Reads a double-precision number.</summary>
    double ReadDouble();

    /// <summary>Reads a decimal number with its scale.</summary>
    decimal ReadDecimal();

    /// <summary>Reads text.</summary>
    string ReadText();

    /// <summary>Reads bytes.</summary>
    byte[] ReadBytes();

    /// <summary>Reads a list of numbers of one type.</summary>
    T[] ReadNumbers<T>() where T : unmanaged, INumber<T>, IMinMaxValue<T>;

    /// <summary>Enters an object or a map.</summary>
    void BeginObject();

    /// <summary>
    /// Moves to the next member. False at the object's end; otherwise <paramref name="key"/> is the member's number in the table,
    /// or -1 for one that the table does not know. Pass the number from the call before, and -1 at first.
    /// </summary>
    bool ReadKey(KeyTable keys, ref int key);

    /// <summary>The key that was read last and that its table did not know.</summary>
    string UnknownKey { get; }

    /// <summary>Moves to the next entry of a map; false at its end.</summary>
    bool ReadKey(out string key);

    /// <summary>Enters a list.</summary>
    /// <returns>How many items it has; 0 if the format does not say so beforehand.</returns>
    int BeginList();

    /// <summary>Moves to the next item; false at the list's end.</summary>
    bool NextItem();

    /// <summary>Passes over the next value, whatever it is.</summary>
    void Skip();

    /// <summary>An error at the value that was read last.</summary>
    Exception Wrong(string problem);

    /// <summary>Where the next value stands, for <see cref="Invalid"/>.</summary>
    long Mark();

    /// <summary>An error of the game's own rules, at a place that was marked.</summary>
    Exception Invalid(long mark, string problem);
}

/// <summary>What is to be done with a section's content, whichever format it is in.</summary>
public interface ISectionDecoder
{
    /// <summary>Reads the section's one value.</summary>
    void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct;
}

/// <summary>Takes many objects of one type at once.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IRowWriter : IStateWriter
{
    /// <summary>Begins so many objects; false if they have to be written one by one.</summary>
    bool TryBeginRows(RowShape shape, int count);

    /// <summary>Where the values of a member go that is handed over as whole numbers, one for each row.</summary>
    Span<long> IntegerRows(int member);

    /// <summary>Where the values of a member go that is handed over as single-precision numbers.</summary>
    Span<float> SingleRows(int member);

    /// <summary>Where the values of a member go that is handed over as double-precision numbers.</summary>
    Span<double> DoubleRows(int member);

    /// <summary>Where the values of a member go that is handed over as truth values.</summary>
    Span<bool> BoolRows(int member);

    /// <summary>Room for a value of each of so many rows, to be filled and handed over; what is in it is not defined.</summary>
    Span<T> RentValues<T>(int count);

    /// <summary>Takes the room back that was given last.</summary>
    void ReturnValues<T>(Span<T> values);

    /// <summary>Writes all rows' values of a member that is handed over as text, and takes the room back.</summary>
    void WriteTextRows(int member, Span<string?> values);

    /// <summary>Writes all rows' values of a member by its codec, and takes the room back.</summary>
    void WriteRows<T, TCodec>(int member, Span<T> values) where TCodec : IStateCodec<T>;

    /// <summary>Writes many texts at once where a value is written now; false if they have to be written one by one.</summary>
    bool TryWriteTexts(ReadOnlySpan<string?> values);

    /// <summary>Writes many lists of numbers at once: their lengths, and their numbers one after the other.</summary>
    /// <returns>False where nothing was written, and they have to be written one by one.</returns>
    bool TryWriteNumberLists<T>(ReadOnlySpan<int> lengths, ReadOnlySpan<T> numbers) where T : unmanaged, INumber<T>;

    /// <summary>Writes many arrays of numbers at once; false if nothing was written, and they have to be written one by one.</summary>
    bool TryWriteNumberArrays<T>(ReadOnlySpan<T[]?> arrays) where T : unmanaged, INumber<T>;

    /// <summary>Begins many lists of those lengths at once; false if they have to be written one by one.</summary>
    bool TryBeginLists(ReadOnlySpan<int> lengths);

    /// <summary>Writes the next items of the lists that were begun.</summary>
    void WriteListItems<T, TCodec>(ReadOnlySpan<T> items) where TCodec : IStateCodec<T>;

    /// <summary>Ends the lists that were begun.</summary>
    void EndLists();

    /// <summary>Begins many variants at once, each given by its number; false if they have to be written one by one.</summary>
    bool TryBeginVariants(KeyTable variants, ReadOnlySpan<short> numbers);

    /// <summary>Writes all objects of one of the variants, in their order, and takes the room back.</summary>
    void WriteVariant<T, TCodec>(KeyTable variants, int number, Span<T> objects) where TCodec : IStateCodec<T>;

    /// <summary>Ends the variants.</summary>
    void EndVariants();

    /// <summary>Ends the objects.</summary>
    void EndRows();
}

/// <summary>Gives many objects of one type at once.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface IRowReader : IStateReader
{
    /// <summary>Begins so many objects; false if they have to be read one by one.</summary>
    bool TryBeginRows(RowShape shape, int count);

    /// <summary>A member's values, if all are texts or nothing.</summary>
    RowTexts TextRows(int member);

    /// <summary>Room for so many values, to be filled with what they begin as; what is in it is not defined.</summary>
    Span<T> RentValues<T>(int count);

    /// <summary>Takes the room back that was given last.</summary>
    void ReturnValues<T>(Span<T> values);

    /// <summary>Reads all rows' values of a member by its codec; false if the save does not have the member.</summary>
    bool ReadRows<T, TCodec>(int member, Span<T> values) where TCodec : IStateCodec<T>;

    /// <summary>Whether the save has the member.</summary>
    bool HasRows(int member);

    /// <summary>
    /// Reads many numbers at once where a value is read now; false, and nothing is read, where they have to be read one by one.
    /// </summary>
    bool TryReadNumbers<T>(Span<T> values) where T : unmanaged, INumber<T>, IMinMaxValue<T>;

    /// <summary>Reads many truth values at once; false if they have to be read one by one.</summary>
    bool TryReadFlags(Span<bool> values);

    /// <summary>Reads many texts at once; false if they have to be read one by one.</summary>
    bool TryReadTexts(Span<string?> values);

    /// <summary>
    /// Reads many lists of numbers at once: their lengths, and then their numbers with <see cref="TakeNumbers"/>.
    /// </summary>
    /// <param name="count">How many lists.</param>
    /// <param name="each">How many numbers each has to have; -1 for any.</param>
    /// <param name="lengths">How many each has.</param>
    /// <returns>False where nothing was read, and they have to be read one by one.</returns>
    bool TryReadNumberLists<T>(int count, int each, out ReadOnlySpan<long> lengths) where T : unmanaged, INumber<T>, IMinMaxValue<T>;

    /// <summary>Takes the next numbers of the lists that are being read.</summary>
    void TakeNumbers<T>(Span<T> numbers) where T : unmanaged, INumber<T>, IMinMaxValue<T>;

    /// <summary>Begins many lists at once and gives their lengths; false if they have to be read one by one.</summary>
    bool TryBeginLists(int count, out ReadOnlySpan<long> lengths);

    /// <summary>Reads the next items of the lists that were begun.</summary>
    void ReadListItems<T, TCodec>(Span<T> items) where TCodec : IStateCodec<T>;

    /// <summary>Ends the lists that were begun.</summary>
    void EndLists();

    /// <summary>Begins many variants at once, and gives the number of each; false if they have to be read one by one.</summary>
    bool TryBeginVariants(KeyTable variants, Span<short> numbers);

    /// <summary>Reads all objects of one of the variants, in their order.</summary>
    void ReadVariant<T, TCodec>(KeyTable variants, int number, Span<T> objects) where TCodec : IStateCodec<T>;

    /// <summary>Ends the variants.</summary>
    void EndVariants();

    /// <summary>Ends the objects.</summary>
    void EndRows();
}

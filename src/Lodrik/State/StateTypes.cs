using System.ComponentModel;
using System.Runtime.CompilerServices;

namespace Lodrik.State;

/// <summary>What generated code asks for beside reading and writing.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public static class StateTypes
{
    /// <summary>Whether all are there and of the declared type itself.</summary>
    public static bool AreDeclared<T>(ReadOnlySpan<T> items) where T : class
    {
        foreach (var item in items)
        {
            if (item is null || item.GetType() != typeof(T))
                return false;
        }
        return true;
    }

    /// <summary>Whether all are there; for types that nothing is derived from.</summary>
    public static bool AreThere<T>(ReadOnlySpan<T> items) where T : class
    {
        foreach (var item in items)
        {
            if (item is null)
                return false;
        }
        return true;
    }

    /// <summary>Whether none is there yet.</summary>
    public static bool AreNull<T>(ReadOnlySpan<T> items) where T : class
    {
        foreach (var item in items)
        {
            if (item is not null)
                return false;
        }
        return true;
    }

    /// <summary>Refuses an object of a type derived from the declared one: only the declared one's members would be saved.</summary>
    /// <exception cref="SaveException">The object's type is another.</exception>
    public static void EnsureDeclared(object value, Type declared)
    {
        ArgumentNullException.ThrowIfNull(value);
        if (value.GetType() != declared)
            throw Undeclared(
                $"The member is declared as {declared?.Name} but holds a {value.GetType().Name}, whose additional members would be lost.");
    }

    /// <summary>The error for an object that is none of its base type's variants.</summary>
    public static Exception NoVariant(object value, Type declared, KeyTable variants)
    {
        ArgumentNullException.ThrowIfNull(value);
        ArgumentNullException.ThrowIfNull(declared);
        ArgumentNullException.ThrowIfNull(variants);
        return Undeclared($"{value.GetType().Name} is not a variant of {declared.Name}. Valid variants: {variants}.");
    }

    /// <summary>Enters the object around a variant, and gives the variant's number.</summary>
    public static int BeginVariant<TReader>(ref TReader reader, Type declared, KeyTable variants)
        where TReader : IStateReader, allows ref struct
    {
        ArgumentNullException.ThrowIfNull(declared);
        var key = BeginAnyVariant(ref reader, declared, variants);
        return key >= 0 ? key : throw reader.Wrong($"This is not a variant of {declared.Name}. Valid variants: {variants}.");
    }

    /// <summary>Enters the object around a variant, and gives the variant's number, or -1 for one that is not known.</summary>
    public static int BeginAnyVariant<TReader>(ref TReader reader, Type declared, KeyTable variants)
        where TReader : IStateReader, allows ref struct
    {
        ArgumentNullException.ThrowIfNull(declared);
        reader.BeginObject();
        var key = -1;
        return reader.ReadKey(variants, ref key)
            ? key
            : throw reader.Wrong($"The variant of {declared.Name} is missing. Valid variants: {variants}.");
    }

    /// <summary>Keeps what was saved of an object whose variant is not known.</summary>
    public static void ReadUnknownVariant<TReader, T>(ref TReader reader, ref T value) where TReader : IStateReader, allows ref struct
        where T : IUnknownVariant
    {
        value.VariantName = reader.UnknownKey;
        value.VariantContent = SaveValueCodec.ReadTree(ref reader);
    }

    /// <summary>Writes back what was kept of an object whose variant is not known.</summary>
    public static void WriteUnknownVariant<TWriter>(ref TWriter writer, IUnknownVariant value, KeyTable variants)
        where TWriter : IStateWriter, allows ref struct
    {
        ArgumentNullException.ThrowIfNull(value);
        ArgumentNullException.ThrowIfNull(variants);
        if (string.IsNullOrEmpty(value.VariantName) || variants.Find(value.VariantName, expected: -1) >= 0)
            throw new ContentException(SaveErrorCode.Invalid, $"\"{value.VariantName}\" is not the name of an unknown variant.",
                new ContentPlace(long.MaxValue, int.MaxValue));
        writer.WriteKey(value.VariantName);
        SaveValueCodec.Write(ref writer, value.VariantContent);
    }

    /// <summary>Copies what was kept of an object whose variant is not known.</summary>
    public static void CopyUnknownVariant(IUnknownVariant value, IUnknownVariant copy)
    {
        ArgumentNullException.ThrowIfNull(value);
        ArgumentNullException.ThrowIfNull(copy);
        copy.VariantName = value.VariantName;
        copy.VariantContent = SaveValueCodec.Copy(value.VariantContent)!;
    }

    /// <summary>Whether the same was kept of two objects whose variants are not known.</summary>
    public static bool AreEqualUnknownVariants(IUnknownVariant one, IUnknownVariant other) =>
        one?.VariantName == other?.VariantName && Equals(one?.VariantContent, other?.VariantContent);

    /// <summary>Copies the members that were kept without being known.</summary>
    public static void CopyUnknown(SaveMap unknown, SaveMap copy)
    {
        ArgumentNullException.ThrowIfNull(unknown);
        ArgumentNullException.ThrowIfNull(copy);
        copy.Clear();
        foreach (var (key, value) in unknown)
            copy[key] = SaveValueCodec.Copy(value)!;
    }

    /// <summary>Passes over a member that the type does not know, and notes it where that is wanted.</summary>
    public static void SkipUnknown<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
    {
        if (reader.Context?.Unknown is { } unknown && unknown.Wants(reader.UnknownKey))
            unknown.Add(reader.UnknownKey, reader.Wrong(""));
        reader.Skip();
    }

    /// <summary>Copies a value by its codec.</summary>
    public static T Copy<T, TCodec>(T value, T into, CopyContext? context)
        where TCodec : IStateCodec<T> => TCodec.Copy(value, into, context);

    /// <summary>Gives an object's member a value that was read before the object could be created.</summary>
    public static T MoveInto<TReader, T, TCodec>(ref TReader reader, T read, T initial)
        where TReader : IStateReader, allows ref struct where TCodec : IStateCodec<T>
    {
        try
        {
            return TCodec.MoveInto(read, initial);
        }
        catch (ArgumentException problem)
        {
            throw reader.Wrong(problem.Message);
        }
    }

    /// <summary>Compares two values by their codec.</summary>
    public static bool AreEqual<T, TCodec>(T one, T other, CompareContext? context)
        where TCodec : IStateCodec<T> => TCodec.AreEqual(one, other, context);

    /// <summary>A new object of a state type.</summary>
    public static T Create<T>() where T : IStateRoot<T> => T.CreateState();

    /// <summary>Makes sure that an object nested in others can be gone into; an object that leads back to itself never ends.</summary>
    public static void EnsureStack() => RuntimeHelpers.EnsureSufficientExecutionStack();

    /// <summary>Leaves the object around a variant.</summary>
    public static void EndVariant<TReader>(ref TReader reader, Type declared, KeyTable variants)
        where TReader : IStateReader, allows ref struct
    {
        ArgumentNullException.ThrowIfNull(declared);
        var key = -1;
        if (reader.ReadKey(variants, ref key))
            throw reader.Wrong($"A {declared.Name} can have only one variant.");
    }

    /// <summary>Writes the members that were kept without being known.</summary>
    public static void WriteUnknown<TWriter>(ref TWriter writer, KeyTable known, SaveMap unknown, int announced)
        where TWriter : IStateWriter, allows ref struct
    {
        ArgumentNullException.ThrowIfNull(known);
        ArgumentNullException.ThrowIfNull(unknown);
        ChangingCollection.Refuse(announced, unknown.Count);
        foreach (var (key, value) in unknown)
        {
            // A key that was twice could not be loaded again.
            if (known.Find(key, expected: -1) >= 0)
                throw new ContentException(
                    SaveErrorCode.Invalid, $"The unknown members contain \"{key}\", which is the key of a known member.",
                    new ContentPlace(long.MaxValue, int.MaxValue));
            writer.WriteKey(key);
            SaveValueCodec.Write(ref writer, value);
        }
    }

    /// <summary>Keeps the member whose key its table did not know.</summary>
    public static void ReadUnknown<TReader>(ref TReader reader, SaveMap unknown) where TReader : IStateReader, allows ref struct
    {
        ArgumentNullException.ThrowIfNull(unknown);
        var key = reader.UnknownKey;
        if (!unknown.TryAdd(key, SaveValueCodec.ReadTree(ref reader)))
            throw reader.Wrong($"The key \"{Shorten.Text(key)}\" appears twice.");
    }

    /// <summary>Runs a state's hook; on a struct, without a copy.</summary>
    public static void BeforeSaving<T>(ref T state) where T : IBeforeSaving => state.BeforeSaving();

    /// <summary>Runs a state's hook; on a struct, without a copy.</summary>
    public static void AfterLoading<T>(ref T state) where T : IAfterLoading => state.AfterLoading();

    /// <summary>Refuses a state that names problems of its own.</summary>
    /// <param name="reader">The reader that read it.</param>
    /// <param name="at">Where the state is, by <see cref="IStateReader.Mark"/>.</param>
    /// <param name="state">The state.</param>
    public static void Validate<TReader>(ref TReader reader, long at, IValidatedState state) where TReader : IStateReader, allows ref struct
    {
        ArgumentNullException.ThrowIfNull(state);
        var problems = string.Join(" ", state.FindProblems());
        if (problems.Length > 0)
            throw reader.Invalid(at, problems);
    }

    /// <summary>The error for a value that a setter refused after the whole object had been read.</summary>
    /// <param name="reader">The reader.</param>
    /// <param name="at">Where the value was, as the reader marked it.</param>
    /// <param name="problem">What the setter threw.</param>
    public static Exception NotTaken<TReader>(ref TReader reader, long at, Exception problem)
        where TReader : IStateReader, allows ref struct
    {
        ArgumentNullException.ThrowIfNull(problem);
        return problem is not (ContentException or SaveException or OutOfMemoryException)
            && reader.Invalid(at, "") is ContentException there
            ? new ContentException(SaveErrorCode.WrongContent, $"The value was rejected: {problem.Message}", there.Place, problem)
            : problem;
    }

    private static ContentException Undeclared(string problem) =>
        new(SaveErrorCode.UndeclaredType, problem, new ContentPlace(long.MaxValue, int.MaxValue));
}

/// <summary>The keys of one object that were read, so that none counts twice.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public struct SeenKeys
{
    private ulong _first;
    private HashSet<int>? _others;

    /// <summary>
    /// Notes a key by its number in the table; -1 is one that the table does not know, and may be as often as it likes.
    /// </summary>
    /// <exception cref="SaveException">It was read before.</exception>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public void Note<TReader>(ref TReader reader, KeyTable keys, int key) where TReader : IStateReader, allows ref struct
    {
        var bit = 1UL << key;
        if ((uint)key < 64 && (_first & bit) == 0)
            _first |= bit;
        else
            NoteSlowly(ref reader, keys, key);
    }

    /// <summary>Makes sure that a required member was there: it has no initial value to fall back on.</summary>
    /// <exception cref="SaveException">It was not.</exception>
    public readonly void Require<TReader>(ref TReader reader, KeyTable keys, int key) where TReader : IStateReader, allows ref struct
    {
        if (!Has(key))
            throw reader.Wrong($"The required member \"{keys?[key]}\" is missing.");
    }

    /// <summary>Whether a key was read.</summary>
    public readonly bool Has(int key) => key < 64 ? (_first & (1UL << key)) != 0 : _others?.Contains(key) == true;

    private void NoteSlowly<TReader>(ref TReader reader, KeyTable keys, int key) where TReader : IStateReader, allows ref struct
    {
        if (key >= 0 && (key < 64 || !(_others ??= []).Add(key)))
            throw reader.Wrong($"The key \"{keys[key]}\" appears twice.");
    }
}

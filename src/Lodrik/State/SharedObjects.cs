using System.ComponentModel;
using System.Runtime.CompilerServices;

namespace Lodrik.State;

// Objects that several others may refer to. Where one is, its number is written; what it holds stands once, beside the section, in
// a map from numbers to contents. Reading makes each object when its number comes up for the first time and fills it afterwards, so
// that circles close and long chains do not nest.

/// <summary>How the content of a shared object is written and read, once it is clear which object is meant.</summary>
/// <typeparam name="T">The shared type.</typeparam>
[EditorBrowsable(EditorBrowsableState.Never)]
public interface ISharedCodec<T> : IStateCodec<T> where T : class
{
    /// <summary>A new object for the content that comes next, not filled yet.</summary>
    static abstract T Create<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct;

    /// <summary>A new object of the same type, not filled yet.</summary>
    static abstract T CreateLike(T value);

    /// <summary>Gives the second object copies of what the first one holds.</summary>
    static abstract void CopyMembers(T value, T copy, CopyContext? context);
}

/// <summary>What generated code asks for where a shared object stands.</summary>
[EditorBrowsable(EditorBrowsableState.Never)]
public static class SharedObjects
{
    /// <summary>Writes the object's number.</summary>
    public static void Write<TWriter, T, TContent>(ref TWriter writer, T? value)
        where TWriter : IStateWriter, allows ref struct where T : class where TContent : ISharedCodec<T>
    {
        if (value is null)
        {
            writer.WriteNull();
            return;
        }
        var objects = (SharedWriting?)writer.Context?.Shared ?? throw new ContentException(
            SaveErrorCode.UndeclaredType,
            $"A {typeof(T).Name} is shared. Shared objects belong in a section of the save root, not in a part of a scene.",
            new ContentPlace(long.MaxValue, int.MaxValue));
        writer.WriteInteger(objects.NumberOf<T, TContent>(value));
    }

    /// <summary>Reads a number and gives its object.</summary>
    public static T? Read<TReader, T, TContent>(ref TReader reader)
        where TReader : IStateReader, allows ref struct where T : class where TContent : ISharedCodec<T>
    {
        if (reader.TryReadNull())
            return null;
        var number = (int)reader.ReadInteger(1, int.MaxValue);
        return ((SharedReading?)reader.Context?.Shared)?.Find<T, TContent>(number) switch
        {
            null => throw reader.Wrong($"The shared object {number} is not in the save."),
            T found => found,
            var other => throw reader.Wrong(
                $"The shared object {number} is a {other.GetType().Name} elsewhere, and a {typeof(T).Name} is expected here."),
        };
    }

    /// <summary>The copy of an object: one and the same wherever that object was.</summary>
    public static T? Copy<T, TContent>(T? value, CopyContext? context) where T : class where TContent : ISharedCodec<T>
    {
        if (value is null)
            return null;
        if (context is not null)
            return CopyOf<T, TContent>(value, context);
        var own = new CopyContext();
        var copy = CopyOf<T, TContent>(value, own);
        own.Fill();
        return copy;
    }

    private static T CopyOf<T, TContent>(T value, CopyContext context) where T : class where TContent : ISharedCodec<T>
    {
        if (context.Find(value) is { } known)
            return (T)known;
        var copy = TContent.CreateLike(value);
        context.Add(value, copy, () => TContent.CopyMembers(value, copy, context));
        return copy;
    }

    /// <summary>Whether two objects have the same content, and lead to the same content wherever they lead.</summary>
    public static bool AreEqual<T, TContent>(T? one, T? other, CompareContext? context) where T : class where TContent : ISharedCodec<T>
    {
        if (one is null || other is null || ReferenceEquals(one, other))
            return ReferenceEquals(one, other);
        RuntimeHelpers.EnsureSufficientExecutionStack();
        // A pair that is being compared further up is equal as far as this goes.
        context ??= new CompareContext();
        return !context.TryAdd(one, other) || TContent.AreEqual(one, other, context);
    }
}

/// <summary>The shared objects of a section that is being written.</summary>
internal sealed class SharedWriting : SharedPool
{
    private Dictionary<object, int>? _numbers;
    private List<SharedEntry>? _entries;

    /// <summary>The objects in the order of their numbers, from 1; writing one may add more.</summary>
    public IReadOnlyList<SharedEntry> Entries => _entries ?? (IReadOnlyList<SharedEntry>)[];

    /// <summary>Forgets the objects, for the next section.</summary>
    public void Reset()
    {
        _entries?.Clear();
        _numbers?.Clear();
    }

    public int NumberOf<T, TContent>(T value) where T : class where TContent : ISharedCodec<T>
    {
        _numbers ??= new Dictionary<object, int>(ReferenceEqualityComparer.Instance);
        if (_numbers.TryGetValue(value, out var number))
            return number;
        (_entries ??= []).Add(new SharedEntry<T, TContent>(value));
        _numbers.Add(value, _entries.Count);
        return _entries.Count;
    }
}

/// <summary>A shared object to be written.</summary>
internal abstract class SharedEntry
{
    public abstract void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct;
}

internal sealed class SharedEntry<T, TContent>(T value) : SharedEntry where T : class where TContent : ISharedCodec<T>
{
    public override void Write<TWriter>(ref TWriter writer) => TContent.Write(ref writer, value);
}

/// <summary>Where the contents of shared objects are read from.</summary>
internal abstract class SharedContents
{
    public abstract bool Has(int number);

    /// <summary>Reads the content of one object.</summary>
    /// <param name="number">The object's number.</param>
    /// <param name="decoder">What is done with the content.</param>
    /// <param name="objects">The section's objects, which the content may lead to.</param>
    /// <exception cref="SaveException">It does not fit.</exception>
    public abstract void Decode(int number, ISectionDecoder decoder, SharedReading objects);
}

/// <summary>The shared objects of a section that is being read.</summary>
/// <param name="contents">Where their contents come from.</param>
internal sealed class SharedReading(SharedContents contents) : SharedPool
{
    private readonly Dictionary<int, object> _objects = [];
    private readonly Queue<Action> _toFill = [];

    /// <summary>Where members are noted that are not known; null if they are passed over.</summary>
    public UnknownMembers? Unknown { get; init; }

    /// <summary>The object of that number, made if it is met for the first time; null if the save does not have it.</summary>
    public object? Find<T, TContent>(int number) where T : class where TContent : ISharedCodec<T>
    {
        if (_objects.TryGetValue(number, out var known))
            return known;
        if (!contents.Has(number))
            return null;
        var maker = new Maker<T, TContent>();
        contents.Decode(number, maker, this);
        _objects.Add(number, maker.Made!);
        _toFill.Enqueue(() => contents.Decode(number, new Filler<T, TContent>(maker.Made!), this));
        return maker.Made;
    }

    /// <summary>Fills the objects that were met, and those that they lead to.</summary>
    public void Fill()
    {
        while (_toFill.TryDequeue(out var fill))
            fill();
    }

    private sealed class Maker<T, TContent> : ISectionDecoder where T : class where TContent : ISharedCodec<T>
    {
        public T? Made { get; private set; }

        public void Decode<TReader>(ref TReader reader)
            where TReader : IStateReader, allows ref struct => Made = TContent.Create(ref reader);
    }

    private sealed class Filler<T, TContent>(T made) : ISectionDecoder where T : class where TContent : ISharedCodec<T>
    {
        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            var value = made;
            TContent.Read(ref reader, ref value);
        }
    }
}

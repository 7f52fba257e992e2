using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Sessions;

/// <summary>One section of the session's part of a save: as it was loaded, or as the game gave it.</summary>
internal interface ISessionSection
{
    void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct;

    T As<T>(string name) where T : IStateType<T>;
}

internal sealed class TypedSection<TState>(TState state) : ISessionSection where TState : IStateType<TState>
{
    public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct => TState.WriteState(ref writer, state);

    public T As<T>(string name) where T : IStateType<T>
    {
        if (state is T same)
            return StateContent.Copy(same);
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        TState.WriteState(ref writer, state);
        return new LoadedSection(new MemorySection(name, buffer.Written.ToArray())).As<T>(name);
    }
}

internal sealed class TreeSection(SaveValue tree) : ISessionSection
{
    public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct => SaveValueCodec.Write(ref writer, tree);

    public T As<T>(string name) where T : IStateType<T>
    {
        using var buffer = new PooledBuffer();
        var writer = new BinaryStateWriter(buffer);
        SaveValueCodec.Write(ref writer, tree);
        return new LoadedSection(new MemorySection(name, buffer.Written.ToArray())).As<T>(name);
    }
}

internal sealed class LoadedSection(UndecodedSection section) : ISessionSection
{
    public SaveValue ToTree() => section.ToTree();

    public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct => SaveValueCodec.Write(ref writer, ToTree());

    public T As<T>(string name) where T : IStateType<T>
    {
        var decoder = new StateDecoder<T>();
        section.Decode(decoder);
        return decoder.State;
    }

    private sealed class StateDecoder<T> : ISectionDecoder where T : IStateType<T>
    {
        public T State { get; private set; } = T.CreateState();

        public void Decode<TReader>(ref TReader reader) where TReader : IStateReader, allows ref struct
        {
            var state = State;
            T.ReadState(ref reader, ref state);
            State = state;
        }
    }
}

/// <summary>Where the player is.</summary>
[StateType]
internal sealed partial class PlaceState
{
    public string Scene { get; set; } = "";

    public string Entrance { get; set; } = "";
}

/// <summary>How long was played.</summary>
[StateType]
internal sealed partial class ClockState
{
    public TimeSpan Played { get; set; }
}

using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Sessions;

/// <summary>One section of the session's part of a save: as it was loaded, or as the game gave it.</summary>
internal interface ISessionSection : IValueWriter
{
    /// <summary>An object that is another one as soon as the content is; null if that cannot be told.</summary>
    object? Identity => null;

    T As<T>(string name) where T : IStateType<T>;
}

internal sealed class TypedSection<TState>(TState state) : ISessionSection where TState : IStateType<TState>
{
    public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct => TState.WriteState(ref writer, state);

    public T As<T>(string name) where T : IStateType<T> =>
        state is T same ? StateContent.Copy(same) : new LoadedSection(PackedSection.Of(name, this)).As<T>(name);
}

internal sealed class TreeSection(SaveValue tree) : ISessionSection
{
    public void Write<TWriter>(ref TWriter writer)
        where TWriter : IStateWriter, allows ref struct => SaveValueCodec.Write(ref writer, tree);

    public T As<T>(string name) where T : IStateType<T> => new LoadedSection(PackedSection.Of(name, this)).As<T>(name);
}

/// <summary>A section as it was loaded. It is decoded when somebody asks for it, and written again as it came.</summary>
internal sealed class LoadedSection(UndecodedSection section) : ISessionSection
{
    public object? Identity => section;

    public SaveValue ToTree() => section.ToTree();

    public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct
    {
        if (section is SectionContent { IsIntact: true, Form: PackedFile } packed)
            new PackedSection(packed.Name, packed.Bytes).WriteTo(ref writer);
        else
            SaveValueCodec.Write(ref writer, ToTree());
    }

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

/// <summary>What the scenes of a save are called.</summary>
[StateType]
internal sealed partial class NamesState
{
    /// <summary>The former names that this save no longer uses: a scene that has one of them now is another one.</summary>
    public List<string> Renamed { get; set; } = [];
}

/// <summary>How long was played.</summary>
[StateType]
internal sealed partial class ClockState
{
    public TimeSpan Played { get; set; }
}

using Lodrik.State;

namespace Lodrik.Saves.Forms;

/// <summary>Where one form puts a section among the others.</summary>
/// <typeparam name="TWriter">The form's writer.</typeparam>
internal interface ISectionSink<TWriter> where TWriter : IStateWriter
{
    /// <summary>Begins a section; what is written next is its value.</summary>
    TWriter Begin(string name);

    /// <summary>The bytes of the section as far as it is written.</summary>
    ReadOnlySpan<byte> Written();

    /// <summary>The pointer of the value that the section has got to.</summary>
    string PointerToEnd();
}

/// <summary>Writes the sections of a state one after the other in one form.</summary>
internal readonly struct FormedSections<TSink, TWriter>(TSink sink, SectionBatch batch) : ISectionWriter
    where TSink : class, ISectionSink<TWriter> where TWriter : struct, IStateWriter
{
    private readonly SharedWriting _shared = new();

    /// <summary>Writes all sections of a state.</summary>
    public static void WriteAll<T>(T state, TSink sink, SectionBatch batch) where T : IStateRoot<T>
    {
        var sections = new FormedSections<TSink, TWriter>(sink, batch);
        T.WriteSections(ref sections, state);
    }

    /// <summary>Writes sections whose content is packed.</summary>
    public static void WriteAll(IReadOnlyList<IPackedContent> packed, TSink sink, SectionBatch batch)
    {
        var sections = new FormedSections<TSink, TWriter>(sink, batch);
        foreach (var section in packed)
        {
            var writer = sink.Begin(section.Name);
            section.WriteTo(ref writer);
            sections.End(section.Name);
        }
    }

    public void Write<T, TCodec>(string name, T value) where TCodec : IStateCodec<T>
    {
        batch.Context.Shared = _shared;
        _shared.Reset();
        try
        {
            var writer = sink.Begin(name);
            TCodec.Write(ref writer, value);
        }
        catch (ContentException content)
        {
            throw Unsavable.At(content, name, sink.PointerToEnd());
        }
        finally
        {
            batch.Context.Shared = null;
        }
        End(name);
        if (_shared.Entries.Count == 0)
            return;
        var beside = name + SharedTree.Suffix;
        var contents = SharedTree.ToTree(_shared, beside, batch.Context);
        var tokens = sink.Begin(beside);
        SaveValueCodec.Write(ref tokens, contents);
        End(beside);
    }

    public void WriteGroup(string name, ISectionGroup? group)
    {
        foreach (var section in group?.SectionNames ?? [])
        {
            var full = $"{name}/{section}";
            try
            {
                var writer = sink.Begin(full);
                group!.WriteSection(section, ref writer);
            }
            catch (ContentException content)
            {
                throw Unsavable.At(content, full, sink.PointerToEnd());
            }
            End(full);
        }
    }

    private void End(string name)
    {
        var length = sink.Written().Length;
        batch.Add(name, batch.Body.Length - length, length);
    }
}

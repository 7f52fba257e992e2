using System.Runtime.CompilerServices;
using Lodrik.Formats;
using Lodrik.Formats.Binary;
using Lodrik.Formats.Binary.Tables;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Reading;
using Lodrik.Saves.Writing;
using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>
/// Has the code for a type's saves compiled before there is one to save. The generated code runs on values that nobody has given anything,
/// on tables without rows and on a save of our own: no constructor, setter or hook of the game runs, because engines allow those on their
/// own thread only.
/// </summary>
internal static class WarmUp
{
    /// <summary>Runs through what saving and loading of a type need in a form.</summary>
    public static void Run<T>(SaveForm form) where T : IStateRoot<T>
    {
        using var visitor = new Visitor(FileForms.Of(form));
        var shown = visitor;
        T.VisitSections(ref shown);
    }

    /// <summary>Tries each codec that it is shown, once.</summary>
    private sealed class Visitor(FileForm form) : ICodecVisitor, IDisposable
    {
        private const int MostCodecs = 4000;

        private readonly HashSet<Type> _seen = [];
        private readonly PooledBuffer _buffer = new(4096);
        private readonly PackedSections _sections = new(new PooledBuffer(4096), null, null);

        public void VisitSection<T, TCodec>() where TCodec : IStateCodec<T>
        {
            Visit<T, TCodec>();
            if (!MayTry<T, TCodec>())
                return;
            _sections.Write<T, TCodec>("sample", default!);
            var section = PackedSection.Of<T, TCodec>("sample", default!);
            T value = default!;
            new SectionReader(new PackedSource([section]), new WantedSections(null)).Read<T, TCodec>("sample", ref value);
            if (form.IsText)
                TryForm(section.ToTree(), new ValueDecoder<T, TCodec> { Value = default! });
        }

        public void Visit<T, TCodec>() where TCodec : IStateCodec<T>
        {
            // Generic types can contain themselves with ever longer arguments.
            if (_seen.Count >= MostCodecs || !_seen.Add(typeof(TCodec)) || !RuntimeHelpers.TryEnsureSufficientExecutionStack())
                return;
            TryRows<T, TCodec>();
            if (MayTry<T, TCodec>())
                Try<T, TCodec>(default!);
            var visitor = this;
            TCodec.VisitParts(ref visitor);
        }

        public void VisitEmpty<T, TCodec>(T empty) where TCodec : IStateCodec<T>
        {
            Try<T, TCodec>(empty);
            _buffer.Reset();
            if (!TCodec.HasColumns || !TableWriter.TryWrite<T, TCodec>(new BinaryStateWriter(_buffer), 0, empty))
                return;
            var reader = new BinaryStateReader(_buffer.Written);
            var value = empty;
            TCodec.Read(ref reader, ref value);
        }

        public void Dispose() => _buffer.Dispose();

        private static bool MayTry<T, TCodec>() where TCodec : IStateCodec<T> => default(T) is null || !TCodec.CallsGame;

        private void Try<T, TCodec>(T sample) where TCodec : IStateCodec<T>
        {
            _buffer.Reset();
            var writer = new BinaryStateWriter(_buffer);
            TCodec.Write(ref writer, sample);
            var reader = new BinaryStateReader(_buffer.Written);
            var value = sample;
            TCodec.Read(ref reader, ref value);
            if (!form.IsText)
                return;
            reader = new BinaryStateReader(_buffer.Written);
            TryForm(SaveValueCodec.ReadTree(ref reader), new ValueDecoder<T, TCodec> { Value = sample });
        }

        /// <summary>Decodes a value as a readable form has it.</summary>
        private void TryForm(SaveValue value, ISectionDecoder decoder)
        {
            using var batch = new SectionBatch();
            batch.Begin(isIndented: false);
            form.Write([PackedSection.Of<SaveValue?, SaveValueCodec>("value", value)], batch);
            form.Decode(batch.BytesOf(batch.Slices[0]), decoder);
        }

        private void TryRows<T, TCodec>() where TCodec : IStateCodec<T>
        {
            _buffer.Reset();
            var writer = new BinaryStateWriter(_buffer);
            TableWriter.TryOut<T, TCodec>(writer);
            var reader = new BinaryStateReader(_buffer.Written);
            reader.TryReadTag();
            TableReader.TryOut<T, TCodec>(_buffer.Written[reader.Position..]);
        }
    }
}

using System.ComponentModel;
using System.Diagnostics.CodeAnalysis;
using Lodrik.Scenes;
using Lodrik.State;

namespace Lodrik.Scenes
{
    /// <summary>
    /// One entity as another refers to it: by its id, and by its scene where that is another one. As text, the scene precedes the id
    /// with a '>' between them.
    /// </summary>
    public readonly record struct EntityReference
    {
        private const char Separator = '>';

        /// <summary>Makes a reference.</summary>
        /// <param name="id">The entity.</param>
        /// <param name="scene">The scene that it is in; null for the scene of the one who refers to it.</param>
        /// <exception cref="ArgumentException">The scene's name contains a '>' or a lone surrogate.</exception>
        public EntityReference(EntityId id, string? scene = null)
        {
            if (scene is not null && scene.Contains(Separator, StringComparison.Ordinal))
                throw new ArgumentException(
                    $"The scene \"{scene}\" cannot be referred to: '>' separates a scene from an entity.", nameof(scene));
            if (scene is not null && LoneSurrogates.AreIn(scene))
                throw new ArgumentException("The name of the scene contains a lone surrogate, which no file can hold.", nameof(scene));
            Id = id;
            Scene = string.IsNullOrEmpty(scene) ? null : scene;
        }

        /// <summary>The entity.</summary>
        public EntityId Id { get; }

        /// <summary>The scene that it is in; null for the scene of the one who refers to it.</summary>
        public string? Scene { get; }

        /// <summary>A reference within the scene.</summary>
        public static implicit operator EntityReference(EntityId id) => new(id);

        /// <summary>Reads a reference from its text.</summary>
        public static bool TryParse([NotNullWhen(true)] string? text, out EntityReference reference)
        {
            reference = default;
            if (text is null)
                return false;
            var end = text.IndexOf(Separator, StringComparison.Ordinal);
            if (!EntityId.TryParse(text[(end + 1)..], out var id) || LoneSurrogates.AreIn(text))
                return false;
            reference = new EntityReference(id, end > 0 ? text[..end] : null);
            return true;
        }

        /// <summary>The reference's text.</summary>
        public override string ToString()
        {
            var id = Id.ToString();
            return Scene is not null || id.Contains(Separator, StringComparison.Ordinal) ? $"{Scene}{Separator}{id}" : id;
        }
    }
}

namespace Lodrik.State
{
#pragma warning disable CS1591 // Named by generated code only.

    /// <summary>An entity's id as its text; an id that was never set as null.</summary>
    [EditorBrowsable(EditorBrowsableState.Never)]
    public readonly struct EntityIdCodec : IStateCodec<EntityId>
    {
        public static void Write<TWriter>(ref TWriter writer, EntityId value) where TWriter : IStateWriter, allows ref struct =>
            TextCodec.Write(ref writer, value == default ? null : value.ToString());

        public static void Read<TReader>(ref TReader reader, ref EntityId value) where TReader : IStateReader, allows ref struct
        {
            value = default;
            if (reader.TryReadNull())
                return;
            value = Parse(ref reader, reader.ReadText());
        }

        /// <summary>The id of a text that is in a save, as a value or as a key.</summary>
        internal static EntityId Parse<TReader>(ref TReader reader, string text) where TReader : IStateReader, allows ref struct =>
            EntityId.TryParse(text, out var id) ? id : throw reader.Wrong($"\"{Shorten.Text(text)}\" is not a valid entity id.");
    }

    /// <summary>A reference as its text; one that was never set as null.</summary>
    [EditorBrowsable(EditorBrowsableState.Never)]
    public readonly struct EntityReferenceCodec : IStateCodec<EntityReference>
    {
        public static void Write<TWriter>(ref TWriter writer, EntityReference value) where TWriter : IStateWriter, allows ref struct =>
            TextCodec.Write(ref writer, value == default ? null : value.ToString());

        public static void Read<TReader>(ref TReader reader, ref EntityReference value) where TReader : IStateReader, allows ref struct
        {
            value = default;
            if (reader.TryReadNull())
                return;
            var text = reader.ReadText();
            if (!EntityReference.TryParse(text, out value))
                throw reader.Wrong($"\"{Shorten.Text(text)}\" is not a valid entity reference.");
        }
    }

    /// <summary>An entity's id as the key of a map.</summary>
    [EditorBrowsable(EditorBrowsableState.Never)]
    public readonly struct EntityIdKey : IKeyCodec<EntityId>
    {
        public static string ToText(EntityId key) => key.ToString();

        public static bool TryParse(string text, out EntityId key) => EntityId.TryParse(text, out key);
    }
}

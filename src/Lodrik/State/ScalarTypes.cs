namespace Lodrik.State;

/// <summary>What values of a scalar type are, for whoever makes some up.</summary>
internal enum ScalarSort
{
    /// <summary>A truth value.</summary>
    Bool,

    /// <summary>A whole number; the samples are the least and the greatest.</summary>
    Whole,

    /// <summary>A number with a fraction; which ones are worth trying follows from the type.</summary>
    Half,
    Single,
    Double,
    Decimal,

    /// <summary>Text in the type's own form; the samples are such texts.</summary>
    Text,

    /// <summary>Bytes.</summary>
    Bytes,

    /// <summary>Any value.</summary>
    Any,
}

/// <summary>A type whose values are one value in a save.</summary>
/// <param name="name">The type's name as C# shows it.</param>
/// <param name="word">What ledgers call it; several types may be saved alike.</param>
/// <param name="codec">The struct that writes and reads it.</param>
/// <param name="sort">What its values are.</param>
/// <param name="samples">Values worth trying, in the form that a save has.</param>
internal sealed class ScalarType(string name, string word, string codec, ScalarSort sort, params string[] samples)
{
    public string Name => name;

    public string Word => word;

    public string Codec => codec;

    public ScalarSort Sort => sort;

    public IReadOnlyList<string> Samples => samples;

    /// <summary>The struct that writes it as the key of a map; null if it cannot be one.</summary>
    public string? Key { get; set; }

    /// <summary>Whether arrays of it are saved as one block of numbers.</summary>
    public bool IsNumber { get; set; }
}

/// <summary>
/// All scalar types, in one table: the generator takes codecs, keys and the words of ledgers from it, and made-up saves their samples. A
/// new one is a line here, and a codec if none of those that are there will do.
/// </summary>
internal static class ScalarTypes
{
    public static IReadOnlyList<ScalarType> All { get; } =
    [
        new("bool", "bool", "BoolCodec", ScalarSort.Bool) { Key = "BoolKey" },
        new("char", "char", "CharCodec", ScalarSort.Text, "a", "Z", "é", "7", " ") { Key = "ParsableKey<char>" },
        new("string", "text", "TextCodec", ScalarSort.Text, "", " ", "a", "A", "Reed and salt", "\"quoted\", <b>&amp;</b>", "Sjøgrav 塩 🦢",
            "two\nlines", "a/b~c", new string('x', 300)) { Key = "TextKey" },
        Number("sbyte", "int8", "IntegerCodec<sbyte>", ScalarSort.Whole, "-128", "127"),
        new("byte", "uint8", "IntegerCodec<byte>", ScalarSort.Whole, "0", "255") { Key = "ParsableKey<byte>" },
        Number("short", "int16", "IntegerCodec<short>", ScalarSort.Whole, "-32768", "32767"),
        Number("ushort", "uint16", "IntegerCodec<ushort>", ScalarSort.Whole, "0", "65535"),
        Number("int", "int32", "IntegerCodec<int>", ScalarSort.Whole, "-2147483648", "2147483647"),
        Number("uint", "uint32", "IntegerCodec<uint>", ScalarSort.Whole, "0", "4294967295"),
        Number("long", "int64", "IntegerCodec<long>", ScalarSort.Whole, "-9223372036854775808", "9223372036854775807"),
        Number("ulong", "uint64", "WideIntegerCodec<ulong>", ScalarSort.Whole, "0", "18446744073709551615"),
        Parsable("System.Int128", "int128", "WideIntegerCodec", ScalarSort.Whole, "-170141183460469231731687303715884105728",
            "170141183460469231731687303715884105727"),
        Parsable("System.UInt128", "uint128", "WideIntegerCodec", ScalarSort.Whole, "0", "340282366920938463463374607431768211455"),
        new("System.Numerics.BigInteger", "integer", "BigIntegerCodec", ScalarSort.Whole, "-10000000000000000000000000000000000000000",
            "10000000000000000000000000000000000000000") { Key = "ParsableKey<global::System.Numerics.BigInteger>" },
        new("System.Half", "half", "HalfCodec", ScalarSort.Half) { Key = "ParsableKey<global::System.Half>" },
        Number("float", "single", "SingleCodec", ScalarSort.Single),
        Number("double", "double", "DoubleCodec", ScalarSort.Double),
        new("decimal", "decimal", "DecimalCodec", ScalarSort.Decimal) { Key = "ParsableKey<decimal>" },
        Parsable("System.Guid", "guid", "TextScalarCodec", ScalarSort.Text, "00000000-0000-0000-0000-000000000000",
            "ffffffff-ffff-ffff-ffff-ffffffffffff"),
        Parsable("System.DateTime", "datetime", "TextScalarCodec", ScalarSort.Text, "0001-01-01T00:00:00.0000000",
            "1970-01-01T00:00:00.0000000Z", "2031-04-01T12:30:00.0000000"),
        Parsable("System.DateTimeOffset", "datetimeoffset", "TextScalarCodec", ScalarSort.Text, "0001-01-01T00:00:00.0000000+00:00",
            "1970-01-01T00:00:00.0000000+00:00", "2031-04-01T12:30:00.0000000+02:00"),
        Parsable("System.DateOnly", "date", "TextScalarCodec", ScalarSort.Text, "0001-01-01", "9999-12-31"),
        Parsable("System.TimeOnly", "time", "TextScalarCodec", ScalarSort.Text, "00:00:00.0000000", "23:59:59.9999999"),
        Parsable("System.TimeSpan", "timespan", "TextScalarCodec", ScalarSort.Text, "00:00:00", "10675199.02:48:05.4775807",
            "-10675199.02:48:05.4775808", "01:35:00"),
        new("System.Uri", "uri", "UriCodec", ScalarSort.Text, "https://example.org/a?b=c", "relative/path"),
        new("System.Version", "version", "VersionCodec", ScalarSort.Text, "1.0", "2.3.4.5"),
        new("System.Drawing.Color", "color", "ColorCodec", ScalarSort.Text, "", "#FF102030", "Teal"),
        new("Lodrik.Scenes.EntityId", "entity", "EntityIdCodec", ScalarSort.Text, "beacon-1", "#4", "heron", "#12") { Key = "EntityIdKey" },
        new("Lodrik.Scenes.EntityReference", "reference", "EntityReferenceCodec", ScalarSort.Text, "beacon-1", "#12", "far shore>#3"),
        new("byte[]", "bytes", "BytesCodec", ScalarSort.Bytes),
        new("System.Memory<byte>", "bytes", "MemoryCodec", ScalarSort.Bytes),
        new("System.ReadOnlyMemory<byte>", "bytes", "ReadOnlyMemoryCodec", ScalarSort.Bytes),
        new("Lodrik.State.SaveValue", "any", "SaveValueCodec", ScalarSort.Any),
        Pack("System.Numerics.Vector2", "float", "single*2"),
        Pack("System.Numerics.Vector3", "float", "single*3"),
        Pack("System.Numerics.Vector4", "float", "single*4"),
        Pack("System.Numerics.Quaternion", "float", "single*4 quaternion"),
        Pack("System.Numerics.Plane", "float", "single*4 plane"),
        Pack("System.Numerics.Matrix3x2", "float", "single*6"),
        Pack("System.Numerics.Matrix4x4", "float", "single*16"),
        Pack("System.Drawing.Point", "int", "int32*2"),
        Pack("System.Drawing.PointF", "float", "single*2"),
        Pack("System.Drawing.Size", "int", "int32*2 size"),
        Pack("System.Drawing.SizeF", "float", "single*2 size"),
        Pack("System.Drawing.Rectangle", "int", "int32*4 rectangle"),
        Pack("System.Drawing.RectangleF", "float", "single*4 rectangle"),
    ];

    private static readonly Dictionary<string, ScalarType> ByName = All.ToDictionary(type => type.Name);
    private static readonly Dictionary<string, ScalarType> ByWord = All.GroupBy(type => type.Word)
        .ToDictionary(group => group.Key, group => group.First());

    /// <summary>The scalar type of that name; null if it is none.</summary>
    public static ScalarType? Named(string name) => ByName.TryGetValue(name, out var type) ? type : null;

    /// <summary>A scalar type that ledgers call so; null if there is none.</summary>
    public static ScalarType? Called(string word) => ByWord.TryGetValue(word, out var type) ? type : null;

    private static ScalarType Number(string name, string word, string codec, ScalarSort sort, params string[] samples) =>
        new(name, word, codec, sort, samples) { Key = $"ParsableKey<{name}>", IsNumber = true };

    private static ScalarType Parsable(string name, string word, string codec, ScalarSort sort, params string[] samples) =>
        new(name, word, $"{codec}<global::{name}>", sort, samples) { Key = $"ParsableKey<global::{name}>" };

    /// <summary>A few numbers that mean one thing together. Its samples are those of its number.</summary>
    private static ScalarType Pack(string name, string number, string word) =>
        new(name, word, $"PackCodec<global::{name}, {number}>", number == "int" ? ScalarSort.Whole : ScalarSort.Single);
}

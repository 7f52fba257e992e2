using System.Globalization;
using System.Numerics;
using System.Reflection;
using Lodrik.Formats.Binary;
using Lodrik.State;

namespace Lodrik.Tests.State;

/// <summary>The table of scalar types holds together: each line has a codec that takes its own samples.</summary>
public sealed class ScalarTypesTests
{
    private static readonly Dictionary<string, Type> Keywords = new()
    {
        ["bool"] = typeof(bool),
        ["char"] = typeof(char),
        ["string"] = typeof(string),
        ["sbyte"] = typeof(sbyte),
        ["byte"] = typeof(byte),
        ["short"] = typeof(short),
        ["ushort"] = typeof(ushort),
        ["int"] = typeof(int),
        ["uint"] = typeof(uint),
        ["long"] = typeof(long),
        ["ulong"] = typeof(ulong),
        ["float"] = typeof(float),
        ["double"] = typeof(double),
        ["decimal"] = typeof(decimal),
        ["byte[]"] = typeof(byte[]),
        ["System.Memory<byte>"] = typeof(Memory<byte>),
        ["System.ReadOnlyMemory<byte>"] = typeof(ReadOnlyMemory<byte>),
    };

    public static TheoryData<string> Names => [.. ScalarTypes.All.Select(type => type.Name)];

    [Theory, MemberData(nameof(Names))]
    public void Each_type_has_a_codec_that_reads_its_samples_and_writes_them_again(string name)
    {
        var scalar = ScalarTypes.Named(name)!;
        var (type, codec) = (Find(name), Find(scalar.Codec));
        SaveValue[] samples = scalar.Sort switch
        {
            ScalarSort.Text => [.. scalar.Samples.Select(text => (SaveValue)text)],
            ScalarSort.Whole when scalar.Samples.Count > 0 => [.. scalar.Samples.Select(number => (SaveValue)BigInteger.Parse(number, CultureInfo.InvariantCulture))],
            _ => [],
        };
        Assert.True(samples.Length > 0 || scalar.Sort is not ScalarSort.Text);
        var trip = typeof(ScalarTypesTests).GetMethod(nameof(Again), BindingFlags.NonPublic | BindingFlags.Static)!.MakeGenericMethod(type, codec);
        foreach (var sample in samples)
            Assert.Equal(sample, trip.Invoke(null, [sample]));
        if (scalar.Sort == ScalarSort.Whole && samples.Length > 0)
        {
            // The samples are the least and the greatest: one more on either side is too much, unless the type has no end.
            foreach (var beyond in new[] { ((SaveScalar)samples[0]).Integer - 1, ((SaveScalar)samples[1]).Integer + 1 }.Where(_ => type != typeof(BigInteger)))
                Assert.IsType<ContentException>(Assert.Throws<TargetInvocationException>(() => trip.Invoke(null, [(SaveValue)beyond])).InnerException);
        }
        if (scalar.Key is { } key)
            Assert.Contains(Find(key).GetInterfaces(), one => one == typeof(IKeyCodec<>).MakeGenericType(type));
    }

    private static SaveValue Again<T, TCodec>(SaveValue sample) where TCodec : IStateCodec<T>
    {
        var value = TCodec.Initial;
        var reader = new BinaryStateReader(BinaryEncoding.Of<SaveValue?, SaveValueCodec>(sample));
        TCodec.Read(ref reader, ref value);
        var again = new BinaryStateReader(BinaryEncoding.Of<T, TCodec>(value));
        return SaveValueCodec.ReadTree(ref again);
    }

    private static Type Find(string name)
    {
        name = name.Replace("global::", "", StringComparison.Ordinal);
        if (Keywords.TryGetValue(name, out var known))
            return known;
        var at = name.IndexOf('<', StringComparison.Ordinal);
        if (at < 0)
            return new[] { typeof(SaveValue), typeof(Guid), typeof(Vector2), typeof(BigInteger), typeof(Uri), typeof(System.Drawing.Point) }
                .Select(one => one.Assembly.GetType(name) ?? one.Assembly.GetType("Lodrik.State." + name)).First(type => type is not null)!;
        var arguments = name[(at + 1)..^1].Split(", ").Select(Find).ToArray();
        return typeof(SaveValue).Assembly.GetType($"Lodrik.State.{name[..at]}`{arguments.Length}")!.MakeGenericType(arguments);
    }
}

using System.Numerics;
using CsCheck;
using Lodrik.State;

namespace Lodrik.Tests.Formats;

/// <summary>What a form can be asked to write, for holding its writer against the platform's.</summary>
internal static class WrittenContent
{
    /// <summary>Texts of all kinds: plain ones, control characters, halves of pairs, long ones.</summary>
    public static readonly Gen<string> Texts = Gen.OneOf(
        Gen.String, Gen.String[Gen.Char['\0', '\u00ff'], 0, 300], Gen.String[Gen.Char[' ', '~'], 0, 40],
        Gen.String[Gen.OneOf(Gen.Char['\ud7f0', '\ue010'], Gen.Char['\u2020', '\u2030'], Gen.Char['\ufff0', '\uffff']), 0, 200],
        Gen.Select(Gen.Int[0, 90], Gen.Char).Select((n, c) => new string('x', n) + c + new string('y', n % 13)),
        Gen.Int[0, 200].Select(n => string.Concat(Enumerable.Repeat("\ud83d\udea3", n)) + "\"\\/<>&'+`"));

    private static readonly Gen<SaveValue> Scalar = Gen.OneOf<SaveValue>(
        Texts.Select(text => (SaveValue)text), Gen.Long.Select(n => (SaveValue)n), Gen.Int[-9, 99].Select(n => (SaveValue)n), Gen.Bool.Select(b => (SaveValue)b),
        Gen.Float.Select(f => (SaveValue)f), Gen.Float[-1000, 1000].Select(f => (SaveValue)MathF.Round(f, 2)), Gen.Double.Select(d => (SaveValue)d),
        Gen.Decimal.Select(d => (SaveValue)d), Gen.Byte.Array[0, 60].Select(bytes => (SaveValue)bytes), Gen.Const(SaveValue.Null),
        Gen.Long.Select(n => (SaveValue)(BigInteger.Pow(n, 3))));

    public static readonly Gen<SaveValue> Trees = Gen.Recursive<SaveValue>((depth, self) => depth > 4
        ? Scalar
        : Gen.OneOf(
            Scalar, self.List[0, 4].Select(items => (SaveValue)ListOf(items)),
            Gen.Select(Texts, self).List[0, 4].Select(entries =>
            {
                var map = new SaveMap();
                foreach (var (key, value) in entries)
                    map[key] = value;
                return (SaveValue)map;
            })));

    private static SaveList ListOf(List<SaveValue> items)
    {
        var list = new SaveList();
        foreach (var item in items)
            list.Add(item);
        return list;
    }
}

/// <summary>A tree, written as it is.</summary>
internal sealed class OneTree(SaveValue tree) : IValueWriter
{
    public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct => SaveValueCodec.Write(ref writer, tree);
}

/// <summary>Numbers as a member and in a list of lists.</summary>
internal sealed class OneList<T>(T[] numbers) : IValueWriter where T : unmanaged, INumber<T>
{
    public void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct
    {
        writer.BeginObject(2);
        writer.WriteKey("numbers");
        writer.WriteNumbers<T>(numbers);
        writer.WriteKey("lists");
        writer.BeginList(2);
        writer.WriteNumbers<T>(numbers);
        writer.BeginList(0);
        writer.EndList();
        writer.EndList();
        writer.EndObject();
    }
}

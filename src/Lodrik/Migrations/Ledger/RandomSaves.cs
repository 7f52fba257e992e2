using System.Globalization;
using System.Numerics;
using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Migrations;

/// <summary>
/// Makes saves of a recorded shape: boundary values, empty and long collections, every variant and every kind, in any combination. The same
/// seed gives the same saves.
/// </summary>
/// <param name="shape">The shape.</param>
/// <param name="names">The names that the entries of a catalogue have, by the name of its source.</param>
internal sealed class RandomSaves(SaveShape shape, Func<string, IReadOnlyList<string>> names)
{
    private const int DeepEnough = 6;
    private const int TooDeep = 24;

    private static readonly string[] Keys = ["one", "One", "two", "a/b", "Ünder~", "7", "with blank"];
    private static readonly double[] Doubles = [0, -0.0, 1, -1.5, double.MaxValue, double.MinValue, double.Epsilon, double.NaN,
        double.PositiveInfinity, double.NegativeInfinity];
    private static readonly float[] Singles = [0, -0f, 1, -1.5f, float.MaxValue, float.MinValue, float.Epsilon, float.NaN,
        float.PositiveInfinity, float.NegativeInfinity];

    private Random _random = new(0);
    private int _depth;
    private List<(string Type, SaveValue Content)>? _shared;

    /// <summary>The sections of a save.</summary>
    public SaveMap Next(int seed)
    {
        _random = new Random(seed);
        var sections = new SaveMap();
        foreach (var (key, type) in shape.Find(shape.Root)?.Members ?? [])
        {
            switch (ShapeExpression.Parse(type).Name)
            {
                case "scenes":
                    foreach (var scene in Some(["marsh", "far shore"]))
                        sections[$"{key}/{scene}"] = Scene();
                    break;
                case "session":
                    foreach (var (name, part) in shape.Subsystems)
                        Add(sections, $"{key}/{name}", part);
                    break;
                case "group":
                    break;
                default:
                    Add(sections, key, type);
                    break;
            }
        }
        return sections;
    }

    /// <summary>Adds a section, and what the numbers in it stand for beside it.</summary>
    private void Add(SaveMap sections, string name, string type)
    {
        _shared = [];
        sections[name] = Value(type);
        if (_shared.Count == 0)
            return;
        var contents = new SaveMap();
        for (var i = 0; i < _shared.Count; i++)
            contents[$"{i + 1}"] = _shared[i].Content;
        sections[name + SharedTree.Suffix] = contents;
    }

    private SaveMap Scene()
    {
        var entities = new SaveMap();
        _shared = null;
        foreach (var (kind, parts) in shape.Kinds.Where(kind => kind.Key != "*"))
        {
            var count = _random.Next(3);
            for (var i = 0; i < count; i++)
            {
                var held = new SaveMap();
                foreach (var (part, type) in parts.Where(_ => _random.Next(8) > 0))
                    held[part] = Value(type);
                entities[_random.Next(2) == 0 ? $"{kind}-{i + 1}" : $"#{entities.Count + 1}"] = new SaveMap
                {
                    ["kind"] = kind,
                    ["parts"] = held,
                };
            }
        }
        return new SaveMap { ["nextSpawn"] = entities.Count + 1, ["gone"] = new SaveList(), ["entities"] = entities };
    }

    private SaveValue Value(string type) => Value(ShapeExpression.Parse(type));

    private SaveValue Value(ShapeExpression type)
    {
        if (type.IsNullable && _random.Next(4) == 0)
            return SaveValue.Null;
        _depth++;
        try
        {
            return type.Count > 0 && !type.IsList ? ListOf(type.Count, () => Scalar(type.Name)) : type.Name switch
            {
                _ when type.IsSet => SetOf(type.Arguments[0]),
                // Saved by whichever release, an array of fixed length has been full.
                _ when type.IsList => ListOf(type.Count > 0 ? type.Count : Length(), () => Value(type.Arguments[0])),
                _ when type.IsMap => Map(type.Arguments[0], type.Arguments[1]),
                "tuple" => Tuple(type.Arguments),
                "grid2" => Grid(2, type.Arguments[0]),
                "grid3" => Grid(3, type.Arguments[0]),
                "entry" => names(type.Arguments[0].Name) is { Count: > 0 } known ? OneOf(known) : SaveValue.Null,
                _ when type.IsNamed => Named(type.Name),
                _ => Scalar(type.Name),
            };
        }
        finally
        {
            _depth--;
        }
    }

    private SaveValue Named(string name)
    {
        if (shape.Find(name) is not { } type)
            throw new LedgerException($"The ledger of version {shape.Version} speaks of {name}, and does not say what it is.");
        if (type.IsEnum)
            return type.IsFlags && _random.Next(3) == 0 ? $"{OneOf(type.Values)}, {OneOf(type.Values)}" : OneOf(type.Values);
        if (_depth > TooDeep && !type.IsStruct)
            return SaveValue.Null;
        return type.IsShared ? Shared(name, type) : Content(type);
    }

    /// <summary>The number of a shared object: of one that is elsewhere already, or of a new one.</summary>
    private SaveValue Shared(string name, ShapeType type)
    {
        // A part of a scene has no place for them.
        if (_shared is null)
            return SaveValue.Null;
        var known = Enumerable.Range(0, _shared.Count).Where(i => _shared[i].Type == name).ToList();
        if (known.Count > 0 && _random.Next(2) == 0)
            return OneOf(known) + 1;
        _shared.Add((name, SaveValue.Null));
        var number = _shared.Count;
        _shared[number - 1] = (name, Content(type));
        return number;
    }

    private SaveMap Content(ShapeType type)
    {
        if (type.Variants.Count == 0)
            return Members(type);
        var (variant, variantType) = type.Variants.ElementAt(_random.Next(type.Variants.Count));
        return new SaveMap { [variant] = Members(shape.Find(variantType) ?? new ShapeType()) };
    }

    private SaveMap Members(ShapeType type)
    {
        var map = new SaveMap();
        foreach (var (key, member) in type.Members)
            map[key] = Value(member);
        // What a later version of the game left there.
        if (type.KeepsUnknown && _random.Next(2) == 0)
            map.TryAdd("madeUp", 5);
        return map;
    }

    private SaveMap Map(ShapeExpression key, ShapeExpression value)
    {
        var (map, known) = (new SaveMap(), new HashSet<string>(ComparerOf(key)));
        for (var i = Length(); i > 0; i--)
        {
            var name = Key(key);
            if (known.Add(name))
                map[name] = Value(value);
        }
        return map;
    }

    private string Key(ShapeExpression type) => type.Name switch
    {
        "text" => OneOf(Keys),
        _ when type.IsNamed => OneOf(shape.Find(type.Name)?.Values ?? ["0"]),
        _ => Scalar(type.Name).ToString()!,
    };

    private SaveList Tuple(IReadOnlyList<ShapeExpression> types)
    {
        var list = new SaveList();
        foreach (var type in types)
            list.Add(Value(type));
        return list;
    }

    private SaveMap Grid(int rank, ShapeExpression item)
    {
        var lengths = new SaveList();
        var count = 1;
        for (var i = 0; i < rank; i++)
        {
            var length = _random.Next(4);
            lengths.Add(length);
            count *= length;
        }
        // A grid of bytes is bytes.
        return new SaveMap { ["lengths"] = lengths, ["items"] = item.Name == "uint8" ? new byte[count] : ListOf(count, () => Value(item)) };
    }

    private static SaveList ListOf(int count, Func<SaveValue> item)
    {
        var list = new SaveList();
        for (var i = 0; i < count; i++)
            list.Add(item());
        return list;
    }

    private SaveList SetOf(ShapeExpression item)
    {
        var (list, known) = (new SaveList(), new HashSet<string>(ComparerOf(item)));
        foreach (var value in ListOf(Length(), () => Value(item)))
        {
            if (known.Add(value.ToString()!))
                list.Add(value);
        }
        return list;
    }

    private static StringComparer ComparerOf(ShapeExpression item) =>
        item.Label == ShapeExpression.Caseless ? StringComparer.OrdinalIgnoreCase : StringComparer.Ordinal;

    private int Length() => _depth > DeepEnough ? 0 : _random.Next(8) switch
    {
        0 or 1 => 0,
        2 or 3 => 1,
        7 when _depth <= 2 => 40,
        _ => _random.Next(5),
    };

    private SaveValue Scalar(string word)
    {
        var type = ScalarTypes.Called(word) ?? throw new LedgerException(
            $"The ledger of version {shape.Version} speaks of {word}, which this library does not know. Update Lodrik.");
        return type.Sort switch
        {
            ScalarSort.Bool => _random.Next(2) == 0,
            ScalarSort.Whole => Whole(
                BigInteger.Parse(type.Samples[0], CultureInfo.InvariantCulture),
                BigInteger.Parse(type.Samples[1], CultureInfo.InvariantCulture)),
            ScalarSort.Half => (float)(Half)_random.Next(-100, 100),
            ScalarSort.Single => _random.Next(2) == 0 ? OneOf(Singles) : (float)((_random.NextDouble() - 0.5) * 1000),
            ScalarSort.Double => _random.Next(2) == 0 ? OneOf(Doubles) : (_random.NextDouble() - 0.5) * 1000,
            ScalarSort.Decimal => OneOf([0m, 1.50m, decimal.MaxValue, decimal.MinValue, -0.001m]),
            ScalarSort.Bytes => OneOf<byte[]>([[], [0], [1, 2, 255]]),
            ScalarSort.Any => OneOf<SaveValue>([SaveValue.Null, 5, "free", new SaveList { 1, "two" }, new SaveMap { ["three"] = true }]),
            _ => OneOf(type.Samples),
        };
    }

    private SaveValue Whole(BigInteger min, BigInteger max) => _random.Next(6) switch
    {
        0 => min,
        1 => max,
        2 => 0,
        3 => 1,
        4 => BigInteger.Min(max, _random.Next(1000)),
        _ => min + ((max - min) * _random.Next(1, 1000) / 1000),
    };

    private IEnumerable<T> Some<T>(IReadOnlyList<T> items) => items.Take(_random.Next(items.Count + 1));

    private T OneOf<T>(IReadOnlyList<T> items) => items[_random.Next(items.Count)];
}

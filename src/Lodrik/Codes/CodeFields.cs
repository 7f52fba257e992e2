using System.Globalization;
using System.Numerics;
using System.Security.Cryptography;
using System.Text;
using Lodrik.Scenes;

namespace Lodrik.Codes;

/// <summary>
/// Declares the fields of a transfer code, in order. Each is a digit of its own base, so that no fraction of a bit is wasted: seven choices
/// cost log₂ 7.
/// </summary>
/// <typeparam name="T">The state that the code carries.</typeparam>
public sealed class CodeFields<T>
{
    private const int MostItems = 1000;

    private readonly List<CodeField<T>> _fields = [];
    private readonly string _owner;
    private int _since;

    internal CodeFields(string owner, int since) => (_owner, _since) = (owner, since);

    internal IReadOnlyList<CodeField<T>> Fields => _fields;

    internal IReadOnlyList<CodeFieldDocument> Documents => _documents;

    private readonly List<CodeFieldDocument> _documents = [];

    /// <summary>A whole number within bounds.</summary>
    /// <param name="name">The field's name.</param>
    /// <param name="least">The least value.</param>
    /// <param name="most">The greatest value.</param>
    /// <param name="get">Takes it from the state.</param>
    /// <param name="set">Puts it into the state.</param>
    /// <exception cref="CodeException">The field cannot be.</exception>
    public CodeFields<T> Number(string name, long least, long most, Func<T, long> get, Action<T, long> set)
    {
        Check(least <= most, name, $"has the empty range {least} to {most}");
        return Add(
            new ValueField<T, long>(name, _since, (BigInteger)most - least + 1, string.Create(CultureInfo.InvariantCulture,
                $"{least} to {most}"), get, set, value => value - (BigInteger)least, digit => (long)(digit + least)),
            new CodeFieldDocument(name) { From = least, To = most });
    }

    /// <summary>Yes or no.</summary>
    /// <inheritdoc cref="Number"/>
    public CodeFields<T> Flag(string name, Func<T, bool> get, Action<T, bool> set) =>
        Add(new ValueField<T, bool>(name, _since, 2, "yes or no", get, set, value => value ? 1 : 0, digit => !digit.IsZero),
            new CodeFieldDocument(name) { Flag = true });

    /// <summary>One of several values.</summary>
    /// <param name="name">The field's name.</param>
    /// <param name="choices">The values. Their order decides: append new ones in a new version only.</param>
    /// <param name="get">Takes it from the state.</param>
    /// <param name="set">Puts it into the state.</param>
    /// <exception cref="CodeException">The field cannot be.</exception>
    public CodeFields<T> Choice<TChoice>(string name, IReadOnlyList<TChoice> choices, Func<T, TChoice> get, Action<T, TChoice> set)
        where TChoice : notnull
    {
        var texts = TextsOf(name, choices);
        var kept = choices.ToList();
        return Add(
            new ValueField<T, TChoice>(name, _since, kept.Count, $"one of {string.Join(", ", texts)}", get, set,
                value => kept.IndexOf(value), digit => kept[(int)digit]),
            new CodeFieldDocument(name) { Choices = texts });
    }

    /// <summary>A value of an enumeration, all of whose values are choices in the order of their numbers.</summary>
    /// <inheritdoc cref="Number"/>
    public CodeFields<T> Choice<TEnum>(string name, Func<T, TEnum> get, Action<T, TEnum> set)
        where TEnum : struct, Enum => Choice(name, Enum.GetValues<TEnum>().Distinct().ToList(), get, set);

    /// <summary>A set of things by name, of which each is in it or not.</summary>
    /// <param name="name">The field's name.</param>
    /// <param name="known">All things that can be in it. Their order decides: append new ones in a new version only.</param>
    /// <param name="get">Takes those that are in it from the state.</param>
    /// <param name="set">Puts those that are in it into the state, in the order of the known ones.</param>
    /// <exception cref="CodeException">The field cannot be.</exception>
    public CodeFields<T> Set(
        string name, IReadOnlyList<string> known, Func<T, IEnumerable<string>> get, Action<T, IReadOnlyList<string>> set)
    {
        var texts = TextsOf(name, known);
        return Add(new SetField<T, string>(name, _since, $"any of {string.Join(", ", texts)}", [.. known], get, set),
            new CodeFieldDocument(name) { Set = texts });
    }

    /// <summary>A set of placed entities of a scene, such as those that are gone, lit or open.</summary>
    /// <inheritdoc cref="Set"/>
    public CodeFields<T> Entities(
        string name, IReadOnlyList<EntityId> known, Func<T, IEnumerable<EntityId>> get, Action<T, IReadOnlyList<EntityId>> set)
    {
        var texts = TextsOf(name, known);
        Check(known.All(id => !id.IsSpawned), name, "has a spawned entity, and only placed ones are known in another game");
        return Add(new SetField<T, EntityId>(name, _since, $"any of {string.Join(", ", texts)}", [.. known], get, set),
            new CodeFieldDocument(name) { Set = texts });
    }

    /// <summary>A list of whole numbers within bounds.</summary>
    /// <param name="name">The field's name.</param>
    /// <param name="mostItems">How many items it has at most.</param>
    /// <param name="least">The least value of an item.</param>
    /// <param name="most">The greatest value of an item.</param>
    /// <param name="get">Takes it from the state.</param>
    /// <param name="set">Puts it into the state.</param>
    /// <exception cref="CodeException">The field cannot be.</exception>
    public CodeFields<T> Numbers(
        string name, int mostItems, long least, long most, Func<T, IReadOnlyList<long>> get, Action<T, List<long>> set)
    {
        Check(least <= most, name, $"has the empty range {least} to {most}");
        Check(mostItems is >= 0 and <= MostItems, name, $"has {mostItems} items; a list has up to {MostItems}");
        return Add(
            new ListField<T, long>(
                name, _since, string.Create(CultureInfo.InvariantCulture, $"up to {mostItems} of {least} to {most}"), mostItems,
                (BigInteger)most - least + 1, get, set,
                value => value - (BigInteger)least, digit => (long)(digit + least),
                digit => (digit + least).ToString(CultureInfo.InvariantCulture)),
            new CodeFieldDocument(name) { From = least, To = most, Items = mostItems });
    }

    /// <summary>A list of which every item is one of several values.</summary>
    /// <param name="name">The field's name.</param>
    /// <param name="mostItems">How many items it has at most.</param>
    /// <param name="choices">The values. Their order decides: append new ones in a new version only.</param>
    /// <param name="get">Takes it from the state.</param>
    /// <param name="set">Puts it into the state.</param>
    /// <exception cref="CodeException">The field cannot be.</exception>
    public CodeFields<T> Choices<TChoice>(string name, int mostItems, IReadOnlyList<TChoice> choices, Func<T, IReadOnlyList<TChoice>> get,
        Action<T, List<TChoice>> set) where TChoice : notnull
    {
        var texts = TextsOf(name, choices);
        var kept = choices.ToList();
        Check(mostItems is >= 0 and <= MostItems, name, $"has {mostItems} items; a list has up to {MostItems}");
        return Add(
            new ListField<T, TChoice>(name, _since, $"up to {mostItems} of {string.Join(", ", texts)}", mostItems, kept.Count, get, set,
                value => kept.IndexOf(value), digit => kept[(int)digit], digit => texts[(int)digit]),
            new CodeFieldDocument(name) { Choices = texts, Items = mostItems });
    }

    /// <summary>
    /// What follows came with a later version. Codes of the versions before it have only what is above, and what follows keeps its
    /// initial value when they are read.
    /// </summary>
    /// <param name="version">That version.</param>
    /// <param name="fingerprint">
    /// The fingerprint of all fields above (<see cref="CodeLayout{T}.Fingerprint"/>), which says that they are as they were when their
    /// version was released; null takes them as they are.
    /// </param>
    /// <exception cref="CodeException">The version is not later, or the fields above were changed.</exception>
    public CodeFields<T> Since(int version, string? fingerprint = null)
    {
        if (version <= _since)
            throw CodeException.BadLayout(
                $"In the layout \"{_owner}\", version {version} comes after version {_since}: fields can only be appended.");
        var actual = FingerprintOf(_fields);
        if (fingerprint is not null && fingerprint != actual)
        {
            throw CodeException.BadLayout(
                $"In the layout \"{_owner}\", the fields before version {version} are not what they were: their fingerprint is {actual}, "
                    + $"and was {fingerprint}. Codes that players already have would be misread. Restore these "
                    + "fields, and append new ones.");
        }
        _since = version;
        return this;
    }

    /// <summary>A few characters that change with anything that decides how fields are packed.</summary>
    internal static string FingerprintOf(IReadOnlyList<CodeField<T>> fields)
    {
        var hash = SHA256.HashData(
            Encoding.UTF8.GetBytes(string.Concat(fields.Select(field => $"{field.Name}\0{field.Radix}\0{field.What}\0"))));
        return string.Concat(hash.Take(6).Select(one => CodeAlphabet.Characters[one % CodeAlphabet.Size]));
    }

    private CodeFields<T> Add(CodeField<T> field, CodeFieldDocument document)
    {
        Check(field.Name.Length > 0, field.Name, "has no name");
        Check(!_fields.Exists(other => other.Name == field.Name), field.Name, "appears twice");
        _fields.Add(field);
        _documents.Add(document with { Since = _since });
        return this;
    }

    private List<string> TextsOf<TItem>(string name, IReadOnlyList<TItem> items)
    {
        ArgumentNullException.ThrowIfNull(items);
        Check(items.Count is > 0 and <= MostItems, name, $"has {items.Count} choices; there are 1 to {MostItems}");
        Check(items.Distinct().Count() == items.Count, name, "has a choice twice");
        return [.. items.Select(item => Convert.ToString(item, CultureInfo.InvariantCulture) ?? "")];
    }

    private void Check(bool holds, string name, string problem)
    {
        ArgumentNullException.ThrowIfNull(name);
        if (!holds)
            throw CodeException.BadLayout($"In the layout \"{_owner}\", the field \"{name}\" {problem}.");
    }
}

using System.Collections;
using System.Diagnostics.CodeAnalysis;

namespace Lodrik.State;

/// <summary>
/// The game's table from stable names to what a save refers to: kinds, assets, definitions of items. A save has the name and never a place
/// in a list, so that entries may be added, reordered and renamed.
/// </summary>
/// <typeparam name="T">What the names stand for: live things, compared as objects.</typeparam>
/// <remarks>It is made with the entries in braces, and checked with the first look into it or by <see cref="Check"/>.</remarks>
public sealed class Catalogue<T> : IEnumerable<KeyValuePair<string, T>> where T : class
{
    private readonly OrderedDictionary<string, T> _entries = new(StringComparer.Ordinal);
    private readonly Dictionary<string, string> _former = new(StringComparer.Ordinal);
    private readonly Dictionary<T, string> _names = new(ReferenceEqualityComparer.Instance);
    private readonly string _title;

    /// <summary>Makes an empty catalogue.</summary>
    /// <param name="title">What it is called in errors, such as "items".</param>
    public Catalogue(string title)
    {
        ArgumentException.ThrowIfNullOrEmpty(title);
        _title = title;
    }

    /// <summary>The names, in the order of the entries.</summary>
    public IReadOnlyList<string> Names => [.. _entries.Keys];

    /// <summary>What a name stands for, or a former name.</summary>
    /// <exception cref="CatalogueException">There is no such entry; the error names the one that was most likely meant.</exception>
    public T this[string name] => TryFind(name, out var found) ? found : throw Missing(name);

    /// <summary>Adds an entry.</summary>
    /// <exception cref="CatalogueException">The name is another entry's, or the thing has a name already.</exception>
    public void Add(string name, T thing)
    {
        ArgumentException.ThrowIfNullOrEmpty(name);
        ArgumentNullException.ThrowIfNull(thing);
        if (_former.ContainsKey(name) || !_entries.TryAdd(name, thing))
            throw Bad($"The name \"{name}\" appears twice in the catalogue of {_title}.", "Give each entry its own name.");
        if (!_names.TryAdd(thing, name))
            throw Bad(
                $"\"{name}\" and \"{_names[thing]}\" of the catalogue of {_title} are the same thing.", "Give a renamed entry its "
                    + "former names instead.");
    }

    /// <summary>Adds an entry that had other names in earlier releases: saves that have them still load.</summary>
    /// <exception cref="CatalogueException">One of the names is another entry's, or the thing has a name already.</exception>
    public void Add(string name, T thing, params IReadOnlyList<string> formerNames)
    {
        ArgumentNullException.ThrowIfNull(formerNames);
        Add(name, thing);
        foreach (var former in formerNames)
        {
            if (_entries.ContainsKey(former) || !_former.TryAdd(former, name))
                throw Bad(
                    $"The former name \"{former}\" of \"{name}\" belongs to another entry in the catalogue of {_title}.",
                    "Give each entry its own names.");
        }
    }

    /// <summary>Makes sure that these names are there, such as those that a level or a script uses.</summary>
    /// <returns>The catalogue.</returns>
    /// <exception cref="CatalogueException">Some are not; the error names all of them.</exception>
    public Catalogue<T> Check(IEnumerable<string> names)
    {
        ArgumentNullException.ThrowIfNull(names);
        var missing = names.Where(name => !TryFind(name, out _)).Distinct().ToList();
        return missing.Count == 0
            ? this
            : throw Bad(
                $"The catalogue of {_title} lacks: {string.Join(", ", missing)}.", "Add the entries, or give the renamed ones their former "
                    + "names.");
    }

    /// <summary>Looks up a name, or a former name.</summary>
    public bool TryFind(string name, [NotNullWhen(true)] out T? thing)
    {
        ArgumentNullException.ThrowIfNull(name);
        return _entries.TryGetValue(_former.GetValueOrDefault(name, name), out thing);
    }

    /// <summary>The name of a thing.</summary>
    /// <exception cref="CatalogueException">It is not in the catalogue.</exception>
    public string NameOf(T thing)
    {
        ArgumentNullException.ThrowIfNull(thing);
        return _names.TryGetValue(thing, out var name)
            ? name
            : throw Bad($"\"{thing}\" is not in the catalogue of {_title}, so it has no name to be saved by.", "Add it to the catalogue.");
    }

    /// <inheritdoc/>
    public IEnumerator<KeyValuePair<string, T>> GetEnumerator() => _entries.GetEnumerator();

    IEnumerator IEnumerable.GetEnumerator() => GetEnumerator();

    private CatalogueException Missing(string name) => Bad(
        $"The catalogue of {_title} has no \"{Shorten.Text(name)}\".",
        Spelling.Nearest(name, _entries.Keys) is { } meant
            ? $"Did you mean \"{meant}\"? A renamed entry keeps its former names."
            : "Add the entry, or give a renamed one its former name.");

    private static CatalogueException Bad(string problem, string remedy) => new(SaveErrorCode.BadCatalogue, problem, remedy: remedy);
}

/// <summary>Names the catalogue that a type's things are saved by; see <see cref="CatalogueAdapter{T, TSource}"/>.</summary>
/// <typeparam name="T">What the names stand for.</typeparam>
public interface ICatalogueSource<T> where T : class
{
    /// <summary>The catalogue.</summary>
    static abstract Catalogue<T> Catalogue { get; }
}

/// <summary>
/// Saves members of a type by their name in a catalogue, and loads them as the live things: declared once by
/// <c>[assembly: SaveAdapter(typeof(CatalogueAdapter&lt;Item, Items&gt;))]</c>.
/// </summary>
/// <typeparam name="T">The type whose things are in the catalogue.</typeparam>
/// <typeparam name="TSource">The class that has the catalogue.</typeparam>
public readonly struct CatalogueAdapter<T, TSource> : ISaveAdapter<T, string> where T : class where TSource : ICatalogueSource<T>
{
    /// <summary>The name of a thing.</summary>
    /// <exception cref="UnsavableStateException">It is not in the catalogue.</exception>
    public static string ToSaved(T value)
    {
        try
        {
            return TSource.Catalogue.NameOf(value);
        }
        catch (CatalogueException problem)
        {
            throw new ContentException(problem.Code, problem.Problem, new ContentPlace(long.MaxValue, int.MaxValue), problem);
        }
    }

    /// <summary>The thing of a name, or of a former name.</summary>
    /// <exception cref="SaveContentException">There is no such entry.</exception>
    public static T FromSaved(string saved)
    {
        try
        {
            return TSource.Catalogue[saved];
        }
        catch (CatalogueException problem)
        {
            // What an adapter refuses is reported at its place in the save.
            throw new FormatException(problem.Message, problem);
        }
    }
}

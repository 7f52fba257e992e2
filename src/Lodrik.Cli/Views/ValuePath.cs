using System.Globalization;
using Lodrik.Inspection;
using Lodrik.State;

namespace Lodrik.Cli.Views;

/// <summary>Finds a value by the path that a person writes.</summary>
internal static class ValuePath
{
    /// <summary>
    /// Finds the value. Section names may have slashes in them, and win; where no section begins the path, an entity of that id does, and
    /// below a scene "entities" and "parts" can be left out, as the group of a section can.
    /// </summary>
    /// <exception cref="SaveContentException">There is nothing at the path; the message says how far it goes.</exception>
    public static (string Name, SaveValue Value) Find(SavedFile file, string path)
    {
        var (section, steps, value) = Locate(file, path);
        return (string.Join('/', steps.Prepend(section)), steps.Aggregate(value, (reached, step) => Step(reached, step)!));
    }

    /// <summary>Finds the section of a value, the steps that lead to it, and the section's content.</summary>
    /// <inheritdoc cref="Find"/>
    public static (string Section, string[] Steps, SaveValue Content) Locate(SavedFile file, string path)
    {
        var isPointer = path.StartsWith('/');
        var plain = isPointer ? path[1..] : path;
        var section = file.Sections
            .Where(section => IsPrefix(section.Name, plain) || IsPrefix(Encode(section.Name), plain))
            .MaxBy(section => section.Name.Length)?.Name;
        if (section is null && file.Sections.Where(one =>
            IsPrefix(one.Name[(one.Name.IndexOf('/', StringComparison.Ordinal) + 1)..], plain)).ToList() is [var only])
            return Locate(file, $"{only.Name[..(only.Name.IndexOf('/', StringComparison.Ordinal) + 1)]}{plain}");
        if (section is null && ScenesWith(file, Decode(plain.Split('/')[0])) is { Count: > 0 } scenes)
        {
            return scenes.Count == 1 ? Locate(file, $"{scenes[0]}/entities/{plain}") : throw new SaveContentException(
                SaveErrorCode.NoSuchSection, $"Several scenes have the entity \"{plain.Split('/')[0]}\".",
                remedy: $"Say which: {string.Join(", ", scenes.Select(scene => $"{scene}/{plain}"))}.");
        }
        if (section is null)
        {
            throw new SaveContentException(
                SaveErrorCode.NoSuchSection,
                $"The path \"{path}\" does not begin with a section.",
                remedy: $"Sections: {string.Join(", ", file.Sections.Select(one => one.Name))}.");
        }
        var rest = plain[(IsPrefix(section, plain) ? section : Encode(section)).Length..].Trim('/');
        var content = file.ReadSection(section);
        string[] steps = rest.Length == 0 ? [] : [.. rest.Split('/').Select(Decode)];
        if (steps.Length > 0 && Step(content, steps[0]) is null && HasEntity(content, steps[0]))
            steps = ["entities", .. steps];
        if (steps is ["entities", var id, var part, ..] && HasEntity(content, id)
            && Step(Step(Step(content, "entities")!, id)!, part) is null)
            steps = ["entities", id, "parts", .. steps[2..]];
        var (value, reached) = (content, section);
        foreach (var step in steps)
        {
            value = Step(value, step) ?? throw new SaveContentException(
                SaveErrorCode.NoSuchSection, $"There is no \"{step}\" in {reached}.", remedy: Known(value));
            reached += "/" + step;
        }
        return (section, steps, content);
    }

    private static List<string> ScenesWith(SavedFile file, string id) =>
        [.. file.Sections.Where(section => section.Health != SectionHealth.Damaged).Select(section => section.Name)
            .Where(name => HasEntity(file.ReadSection(name), id))];

    private static bool HasEntity(SaveValue content, string id) =>
        SceneContent.IsScene(content) && ((SaveMap)content)["entities"] is SaveMap entities && entities.TryGet(id, out _);

    private static SaveValue? Step(SaveValue value, string step) => value switch
    {
        SaveMap map => map.TryGet(step, out var entry) ? entry : null,
        SaveList list => int.TryParse(step, NumberStyles.None, CultureInfo.InvariantCulture, out var index) && index < list.Count
            ? list.Peek(index)
            : null,
        _ => null,
    };

    private static string Known(SaveValue value) => value switch
    {
        SaveMap { Count: 0 } or SaveList { Count: 0 } => "It is empty.",
        SaveMap map => $"It has: {string.Join(", ", map.Keys.Take(20))}{(map.Count > 20 ? " …" : "")}.",
        SaveList list => $"It has the items 0 to {list.Count - 1}.",
        _ => $"It is a single value: {value}.",
    };

    private static bool IsPrefix(string name, string path) =>
        path.StartsWith(name, StringComparison.Ordinal) && (path.Length == name.Length || path[name.Length] == '/');

    // The escapes of a JSON Pointer, RFC 6901 section 3.
    private static string Encode(string name) =>
        name.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal);

    private static string Decode(string step) =>
        step.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal);
}

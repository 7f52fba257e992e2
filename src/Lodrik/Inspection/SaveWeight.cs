using Lodrik.Saves.Forms;
using Lodrik.State;

namespace Lodrik.Inspection;

/// <summary>What something in a save takes.</summary>
/// <param name="Name">What it is: a section, a kind of entities, a part, a member.</param>
/// <param name="ByteCount">
/// What it takes of the section's content before compression and encryption: measured where it is a section, and shared out in proportion
/// below.
/// </param>
/// <param name="Count">How many there are of it: entities of a kind, parts of a name, values of a member, items of a list.</param>
/// <param name="Children">What it consists of, the largest first.</param>
public sealed record WeightNode(string Name, long ByteCount, int Count, IReadOnlyList<WeightNode> Children);

/// <summary>One section of a save, and what takes the space in it.</summary>
/// <param name="Section">The section.</param>
/// <param name="FileByteCount">What it takes in the file, compressed and encrypted as it is.</param>
/// <param name="Content">What it consists of.</param>
public sealed record SectionWeight(string Section, long FileByteCount, WeightNode Content);

/// <summary>What takes the space in a save.</summary>
/// <param name="Form">The form that is measured: the save's own.</param>
/// <param name="ByteCount">The file's size.</param>
/// <param name="FrameByteCount">What is in no section: the header, the list of sections, the seal, layout.</param>
/// <param name="Sections">The sections, the largest first.</param>
public sealed record SaveWeight(SaveForm Form, long ByteCount, long FrameByteCount, IReadOnlyList<SectionWeight> Sections)
{
    private const int MostDepth = 6;

    /// <summary>Weighs a save.</summary>
    /// <exception cref="SaveException">A section is damaged.</exception>
    /// <param name="file">The save.</param>
    /// <param name="progress">Is told the part that is done, from 0 to 1; null for nobody.</param>
    public static SaveWeight Of(SavedFile file, IProgress<double>? progress = null)
    {
        ArgumentNullException.ThrowIfNull(file);
        var done = file.ProgressOf(progress);
        var sections = file.Sections
            .Select(section => new SectionWeight(section.Name, section.ByteCount, Section(
                section.Name, done.Next(section.Name, file.ReadSection(section.Name)), file.SizeOf(section.Name), file.Opened.Content)))
            .OrderByDescending(section => section.Content.ByteCount)
            .ToList();
        return new SaveWeight(file.Form, file.ByteCount, file.ByteCount - sections.Sum(section => section.FileByteCount), sections);
    }

    private static WeightNode Section(string name, SaveValue value, long bytes, FileForm form)
    {
        // A scene is weighed kind by kind, and within a kind part by part: what one entity costs is the mean of its kind.
        var parts = value is SaveMap scene && scene.TryGet("entities", out var entities) && entities is SaveMap map
            ? Kinds(map, form)
                .Concat(scene.Where(entry => entry.Key != "entities").Select(entry => Value(entry.Key, [entry.Value], form, 1)))
            : Members([value], form, 1);
        return Shared(new WeightNode(name, bytes, 1, [.. parts]), bytes);
    }

    private static IEnumerable<WeightNode> Kinds(SaveMap entities, FileForm form) => entities
        .Where(entry => entry.Value is SaveMap)
        .GroupBy(entry => ((SaveMap)entry.Value).TryGet("kind", out var kind) ? kind.TextIfSingle() ?? "" : "")
        .Select(kind =>
        {
            var maps = kind.Select(entry => (SaveMap)entry.Value).ToList();
            var parts = maps.Where(entity => entity.TryGet("parts", out var parts) && parts is SaveMap).Select(entity => entity["parts"])
                .ToList();
            var rest = kind.Sum(entry => form.Measure(entry.Key)) + maps.Sum(entity =>
                entity.Where(member => member.Key != "parts").Sum(member => form.Measure(member.Key) + form.Measure(member.Value)));
            return new WeightNode(kind.Key, rest + parts.Sum(part => form.Measure(part)), maps.Count,
                [.. Members(parts, form, 2), new WeightNode("id, kind and parent", rest, maps.Count, [])]);
        });

    /// <summary>The members of several maps of one kind, each taken together.</summary>
    private static IEnumerable<WeightNode> Members(IReadOnlyList<SaveValue> values, FileForm form, int depth) =>
        depth > MostDepth ? [] : values
        .OfType<SaveMap>()
        .SelectMany(map => map)
        .GroupBy(entry => entry.Key, entry => entry.Value)
        .Select(member => Value(member.Key, [.. member], form, depth));

    private static WeightNode Value(string name, IReadOnlyList<SaveValue> values, FileForm form, int depth)
    {
        var lists = values.OfType<SaveList>().ToList();
        var items = lists.Count == 0 ? 0 : lists.Sum(list => list.Count);
        var inner = lists.Count > 0 && items > 0 ? lists.SelectMany(list => list).ToList() : values;
        return new WeightNode(name, values.Sum(value => form.Measure(value) + form.Measure(name)), Math.Max(items, values.Count),
            [.. Members(inner, form, depth + 1)]);
    }

    /// <summary>
    /// Shares out what a node takes among its children, in proportion to what each would take alone: together they take neither more nor
    /// less.
    /// </summary>
    private static WeightNode Shared(WeightNode node, long bytes)
    {
        var alone = Math.Max(node.Children.Sum(child => child.ByteCount), 1);
        var (left, aloneLeft) = (bytes, alone);
        var children = new List<WeightNode>();
        foreach (var child in node.Children)
        {
            var share = aloneLeft == 0 ? 0 : (long)((decimal)left * child.ByteCount / aloneLeft);
            (left, aloneLeft) = (left - share, aloneLeft - child.ByteCount);
            children.Add(Shared(child, share));
        }
        return node with { ByteCount = bytes, Children = [.. children.OrderByDescending(child => child.ByteCount)] };
    }
}

using System.Reflection.Metadata;
using System.Runtime.CompilerServices;
using System.Text.RegularExpressions;

namespace Lodrik.Tests;

/// <summary>The folder is the layer: code refers to its own folder and to those below it, never upward.</summary>
public sealed partial class ArchitectureTests
{
    // From the top down. State and Storage are the ground; neither knows the other.
    private static readonly string[] Layers = ["Inspection", "Sessions", "Scenes", "Slots", "Migrations", "Saves", "Codes", "Protection", "Formats", "State", "Storage"];

    [Fact]
    public void No_folder_refers_to_one_above_it()
    {
        var sources = Sources();
        var owners = sources.SelectMany(source => TypeNames(source.Text).Select(name => (name, source.Layer)))
            .Where(one => one.Layer.Length > 0)
            .ToLookup(one => one.name, one => one.Layer);
        var upward = new List<string>();
        foreach (var (path, layer, text) in sources.Where(source => source.Layer.Length > 0))
        {
            foreach (var word in Words().Matches(WithoutComments(text)).Select(match => match.Value).Distinct())
            {
                // Members that happen to have a type's name are not told apart; such names have to be listed below.
                foreach (var owner in owners[word].Where(owner => !MayUse(layer, owner)))
                {
                    if (!MemberNames.Contains(word))
                        upward.Add($"{path} ({layer}) refers to {word} ({owner})");
                }
            }
        }
        Assert.True(upward.Count == 0, string.Join("; ", upward));
    }

    [Fact]
    public void Every_folder_of_the_core_is_a_layer() =>
        Assert.Empty(Sources().Select(source => source.Layer).Where(layer => layer.Length > 0).Distinct().Except(Layers));

    [Fact]
    public void The_core_has_no_interface_code()
    {
        using var stream = File.OpenRead(typeof(SaveStore<>).Assembly.Location);
        using var image = new System.Reflection.PortableExecutable.PEReader(stream);
        var metadata = image.GetMetadataReader();
        var references = metadata.AssemblyReferences.Select(handle => metadata.GetString(metadata.GetAssemblyReference(handle).Name)).ToList();
        Assert.DoesNotContain("System.Console", references);
        Assert.DoesNotContain("System.CommandLine", references);
        Assert.DoesNotContain(references, reference => reference.StartsWith("Spectre", StringComparison.Ordinal));
    }

    [Fact]
    public void Every_public_type_stands_in_the_root_namespace_or_in_that_of_its_layer()
    {
        var allowed = Layers.Select(layer => $"Lodrik.{layer}").Append("Lodrik").Append("Lodrik.Scenes.Authoring").ToHashSet();
        Assert.Empty(typeof(SaveStore<>).Assembly.GetExportedTypes().Where(type => !allowed.Contains(type.Namespace!)).Select(type => type.FullName));
    }

    [Fact]
    public void The_root_namespace_has_what_a_game_uses_every_day_and_no_more() =>
        Assert.InRange(typeof(SaveStore<>).Assembly.GetExportedTypes().Count(type => type.Namespace == "Lodrik" && !type.IsNested), 30, 60);

    [Fact]
    public void Nothing_but_the_choice_of_a_form_asks_which_form_it_is()
    {
        // One switch picks a form; elsewhere a form is only offered, named, or chosen as such.
        var mentions = Sources()
            .Where(source => !source.Path.StartsWith(Path.Combine("Saves", "Forms"), StringComparison.Ordinal))
            .SelectMany(source => FormMentions().Matches(WithoutComments(source.Text)).Select(match => $"{source.Path}: {match.Value.Trim()}"));
        Assert.Empty(mentions);
    }

    /// <summary>What reads and writes tokens is made for one form and knows of no others; a header says which one its save has.</summary>
    [Fact]
    public void State_and_formats_do_not_know_which_forms_there_are() =>
        Assert.Empty(Sources()
            .Where(source => source.Layer is "State" or "Formats" && Path.GetFileName(source.Path) != "SaveHeader.cs")
            .Where(source => WithoutComments(source.Text).Contains("SaveForm", StringComparison.Ordinal))
            .Select(source => source.Path));

    private static readonly HashSet<string> MemberNames = ["Generation", "Subsystem"];

    private static bool MayUse(string layer, string owner) => (layer, owner) switch
    {
        _ when layer == owner => true,
        ("State", "Storage") or ("Storage", "State") => false,
        _ => Array.IndexOf(Layers, owner) > Array.IndexOf(Layers, layer),
    };

    private static List<(string Path, string Layer, string Text)> Sources([CallerFilePath] string here = "")
    {
        var core = Path.GetFullPath(Path.Combine(Path.GetDirectoryName(here)!, "..", "..", "src", "Lodrik"));
        return
        [
            .. Directory.EnumerateFiles(core, "*.cs", SearchOption.AllDirectories)
                .Select(path => (Path: Path.GetRelativePath(core, path), Text: File.ReadAllText(path)))
                .Where(source => !source.Path.StartsWith("obj", StringComparison.Ordinal) && !source.Path.StartsWith("bin", StringComparison.Ordinal))
                .Select(source => (source.Path, source.Path.Contains(Path.DirectorySeparatorChar) ? source.Path.Split(Path.DirectorySeparatorChar)[0] : "", source.Text)),
        ];
    }

    private static IEnumerable<string> TypeNames(string text) => Declarations().Matches(text).Select(match => match.Groups[1].Value);

    private static string WithoutComments(string text) => Comments().Replace(text, "");

    [GeneratedRegex(@"^(?:public |internal |private )?(?:sealed |static |abstract |readonly |ref |partial )*(?:class|struct|interface|enum|record(?: struct)?) (\w+)", RegexOptions.Multiline)]
    private static partial Regex Declarations();

    [GeneratedRegex(@"//.*$|""(?:[^""\\]|\\.)*""", RegexOptions.Multiline)]
    private static partial Regex Comments();

    [GeneratedRegex(@"(?:case SaveForm\.\w+|SaveForm\.\w+ =>|[=!]= SaveForm\.\w+|is (?:not )?SaveForm\.\w+).*")]
    private static partial Regex FormMentions();

    [GeneratedRegex(@"\b[A-Z]\w+\b")]
    private static partial Regex Words();
}

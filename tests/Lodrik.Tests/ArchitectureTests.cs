using System.Reflection.Metadata;
using System.Runtime.CompilerServices;
using System.Text.RegularExpressions;

namespace Lodrik.Tests;

/// <summary>What the core is made of and what it shows; who may refer to whom is tested on symbols, with the generator's tests.</summary>
public sealed partial class ArchitectureTests
{
    private static readonly string[] Layers = ["Inspection", "Sessions", "Scenes", "Screens", "Slots", "Migrations", "Saves", "Codes", "Protection", "Formats", "State", "Storage"];

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

    private static string WithoutComments(string text) => Comments().Replace(text, "");

    [GeneratedRegex(@"//.*$|""(?:[^""\\]|\\.)*""", RegexOptions.Multiline)]
    private static partial Regex Comments();

    [GeneratedRegex(@"(?:case SaveForm\.\w+|SaveForm\.\w+ =>|[=!]= SaveForm\.\w+|is (?:not )?SaveForm\.\w+).*")]
    private static partial Regex FormMentions();
}

using System.Text;
using Microsoft.CodeAnalysis;
using Microsoft.CodeAnalysis.CSharp;
using Xunit;

namespace Lodrik.Generator.Tests;

/// <summary>The pages of the public interface. With <c>LODRIK_WRITE_API=1</c> they are written instead of compared.</summary>
public sealed class ApiPageTests
{
    private static readonly string Folder = Path.Combine(DocumentTests.Repository, "docs", "api");
    private static readonly string[] Assemblies = ["Lodrik", "Lodrik.Testing", "Lodrik.Sqlite", "Lodrik.Http", "Lodrik.Postgres", "Lodrik.Server"];

    [Fact]
    public void The_pages_of_the_public_interface_say_what_the_assemblies_have()
    {
        var pages = Pages();
        if (Environment.GetEnvironmentVariable("LODRIK_WRITE_API") == "1")
        {
            Directory.CreateDirectory(Folder);
            foreach (var old in Directory.GetFiles(Folder))
                File.Delete(old);
            foreach (var (name, text) in pages)
                File.WriteAllText(Path.Combine(Folder, name), text);
        }
        Assert.Equal(pages.Keys.Order(), Directory.GetFiles(Folder).Select(file => Path.GetFileName(file)!).Order());
        foreach (var (name, text) in pages)
            Assert.True(text == File.ReadAllText(Path.Combine(Folder, name)), $"docs/api/{name} is not up to date: LODRIK_WRITE_API=1 dotnet test --project tests/Lodrik.Generator.Tests");
    }

    [Fact]
    public void Every_type_and_member_of_the_public_interface_has_a_comment()
    {
        var (compilation, spaces) = Read();
        var symbols = spaces.SelectMany(ApiPage.TypesOf).Where(type => !ApiPage.IsPlumbing(type)).SelectMany(type => ApiPage.MembersOf(type).Prepend(type));
        Assert.Empty(symbols.Where(symbol => ApiPage.Summary(compilation, symbol).Length == 0).Select(symbol => symbol.ToDisplayString()));
    }

    private static Dictionary<string, string> Pages()
    {
        var (compilation, spaces) = Read();
        var pages = new Dictionary<string, string>();
        var index = new StringBuilder("# The public interface\n\nMade from the assemblies and their comments by a test, which also keeps it true.\n");
        foreach (var space in spaces)
        {
            var name = $"{space.ToDisplayString().ToLowerInvariant()}.md";
            pages.Add(name, new ApiPage(compilation, space).Write());
            index.Append($"\n## [{space.ToDisplayString()}]({name})\n\n");
            foreach (var type in ApiPage.TypesOf(space).Where(type => !ApiPage.IsPlumbing(type)))
                index.Append($"* [{type.ToDisplayString(SymbolDisplayFormat.MinimallyQualifiedFormat).Replace("<", "\\<", StringComparison.Ordinal)}]({name}#{ApiPage.Anchor(type)}): {FirstSentence(ApiPage.Summary(compilation, type))}\n");
        }
        pages.Add("README.md", index.ToString());
        return pages;
    }

    private static string FirstSentence(string text) => text.Split(". ")[0].TrimEnd('.') + ".";

    /// <summary>The namespaces of the packages that games see, with their comments.</summary>
    private static (Compilation Compilation, List<INamespaceSymbol> Spaces) Read()
    {
        var references = ((string)AppContext.GetData("TRUSTED_PLATFORM_ASSEMBLIES")!).Split(Path.PathSeparator)
            .Where(path => !Assemblies.Contains(Path.GetFileNameWithoutExtension(path)))
            .Select(path => (MetadataReference)MetadataReference.CreateFromFile(path));
        var own = Assemblies.Select(name => (MetadataReference)MetadataReference.CreateFromFile(
            Path.Combine(AppContext.BaseDirectory, name + ".dll"), documentation: new CommentFile(Path.Combine(AppContext.BaseDirectory, name + ".xml")))).ToList();
        var compilation = CSharpCompilation.Create("pages", references: references.Concat(own));
        var spaces = own.SelectMany(reference => WithNested(((IAssemblySymbol)compilation.GetAssemblyOrModuleSymbol(reference)!).GlobalNamespace))
            .Where(space => ApiPage.TypesOf(space).Count > 0)
            .OrderBy(space => space.ToDisplayString(), StringComparer.Ordinal)
            .ToList();
        return (compilation, spaces);
    }

    private static IEnumerable<INamespaceSymbol> WithNested(INamespaceSymbol space) => space.GetNamespaceMembers().SelectMany(WithNested).Prepend(space);
}

using System.Globalization;
using System.Xml.Linq;
using Microsoft.CodeAnalysis;

namespace Lodrik.Generator.Tests;

/// <summary>The comments of an assembly, from the file that the compiler wrote beside it.</summary>
internal sealed class CommentFile(string path) : DocumentationProvider
{
    private readonly Dictionary<string, string> _comments = XDocument.Load(path, LoadOptions.PreserveWhitespace).Descendants("member").ToDictionary(member => member.Attribute("name")!.Value, member => member.ToString());

    public override bool Equals(object? obj) => ReferenceEquals(this, obj);

    public override int GetHashCode() => path.GetHashCode(StringComparison.Ordinal);

    protected override string? GetDocumentationForSymbol(string documentationMemberID, CultureInfo preferredCulture, CancellationToken cancellationToken) =>
        _comments.GetValueOrDefault(documentationMemberID, "");
}

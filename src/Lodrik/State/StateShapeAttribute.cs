using System.ComponentModel;

namespace Lodrik.State;

/// <summary>
/// What the generator puts into an assembly about the shape of its state types, for ledgers: a JSON document (RFC 8259) for each.
/// </summary>
/// <param name="document">The document.</param>
[AttributeUsage(AttributeTargets.Assembly, AllowMultiple = true)]
[EditorBrowsable(EditorBrowsableState.Never)]
public sealed class StateShapeAttribute(string document) : Attribute
{
    /// <summary>The document.</summary>
    public string Document { get; } = document;
}

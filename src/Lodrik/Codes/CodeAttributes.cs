namespace Lodrik.Codes;

/// <summary>
/// Marks a partial class of which the generator makes a layout of transfer codes: its static property <c>CodeLayout</c>, with the members
/// marked <see cref="InCodeAttribute"/> in the order in which they stand. It does what <see cref="CodeLayout{T}"/> does by hand.
/// </summary>
/// <param name="name">What tells the codes of this game, and of this use of them, from all others.</param>
[AttributeUsage(AttributeTargets.Class)]
public sealed class TransferCodeAttribute(string name) : Attribute
{
    /// <summary>The name.</summary>
    public string Name { get; } = name;

    /// <summary>The version of new codes.</summary>
    public int Version { get; set; } = 1;

    /// <summary>The oldest version whose codes have the first fields of these.</summary>
    public int Oldest { get; set; } = 1;

    /// <inheritdoc cref="CodeOptions.CheckCharacterCount"/>
    public int CheckCharacterCount { get; set; } = 3;

    /// <inheritdoc cref="CodeOptions.Corrects"/>
    public int Corrects { get; set; } = 1;

    /// <inheritdoc cref="CodeOptions.GroupSize"/>
    public int GroupSize { get; set; } = 4;

    /// <inheritdoc cref="CodeOptions.VariantCount"/>
    public int VariantCount { get; set; } = 1;
}

/// <summary>
/// Puts a member into the transfer code of its class: a flag or an enumeration as it is; a whole number with its bounds; text, or a set of
/// texts or entities, with all that it can be; a list with the most items that it has.
/// </summary>
[AttributeUsage(AttributeTargets.Property | AttributeTargets.Field)]
public sealed class InCodeAttribute : Attribute
{
    /// <summary>A flag, or an enumeration.</summary>
    public InCodeAttribute() => Known = [];

    /// <summary>A whole number within bounds, or a list of such.</summary>
    public InCodeAttribute(long least, long most) => (Least, Most, Known) = (least, most, []);

    /// <summary>A text that is one of these, a list of such, or a set of these or of entities of these names.</summary>
    public InCodeAttribute(params string[] known) => Known = known;

    /// <summary>The least value.</summary>
    public long Least { get; }

    /// <summary>The greatest value.</summary>
    public long Most { get; }

    /// <summary>All that it can be.</summary>
    public string[] Known { get; }

    /// <summary>How many items a list has at most; 0 for a member that is not a list.</summary>
    public int MostItems { get; set; }

    /// <summary>The version of the layout that the member came with, where that is not the oldest.</summary>
    public int Since { get; set; }

    /// <summary>
    /// The fingerprint that the fields above had when their version was released (<see cref="Codes.CodeFields{T}.Since"/>).
    /// </summary>
    public string? After { get; set; }
}

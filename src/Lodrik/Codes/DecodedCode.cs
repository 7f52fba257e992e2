
namespace Lodrik.Codes;

/// <summary>What came out of a transfer code.</summary>
/// <typeparam name="T">The state that it carries.</typeparam>
/// <param name="State">The state.</param>
/// <param name="Version">The version of the layout that the code was made by.</param>
/// <param name="Corrected">The characters that were typed wrongly and were corrected; usually none.</param>
public sealed record DecodedCode<T>(T State, int Version, IReadOnlyList<CodePosition> Corrected);

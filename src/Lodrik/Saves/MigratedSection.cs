using Lodrik.State;

namespace Lodrik.Saves;

/// <summary>What has become of a section of a file.</summary>
/// <param name="Name">Its name now.</param>
/// <param name="Origin">Its name in the file; null where it was made anew.</param>
/// <param name="Tree">Its content; null where nobody looked at it, so that the file's own bytes stand.</param>
internal sealed record MigratedSection(string Name, string? Origin, SaveValue? Tree);

using System.Runtime.CompilerServices;
using Lodrik.Saves;

namespace Lodrik.Tests;

/// <summary>What a reader throws that is no error of the library's own fails the test that sees it, and does not become a damaged file.</summary>
internal static class Mistakes
{
    [ModuleInitializer]
    public static void LetThrough() => Untrusted.Mistake = static exception => throw new MistakeException(exception);

    private sealed class MistakeException(Exception exception) : Exception($"A reader let a foreign exception out: {exception.Message}", exception);
}

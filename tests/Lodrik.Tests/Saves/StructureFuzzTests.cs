using Lodrik.Fuzz;

namespace Lodrik.Tests.Saves;

/// <summary>A short run of the fuzzer that works below the digests; a long one is for <c>dotnet run --project tests/Lodrik.Fuzz -- structure 1000000</c>.</summary>
public sealed class StructureFuzzTests
{
    [Fact]
    public void What_is_changed_below_the_digests_ends_in_a_value_or_in_an_error_of_the_library()
    {
        var inputs = int.TryParse(Environment.GetEnvironmentVariable("LODRIK_FUZZ"), out var more) ? more : 600;
        var fuzz = new StructureFuzz(20_311_007, Path.Combine(AppContext.BaseDirectory, "examples"));
        while (fuzz.Runs < inputs)
        {
            var finding = fuzz.Run();
            Assert.True(finding is null, $"input {fuzz.Runs}: {finding?.Problem}");
        }
        // Every kind of target was there, and of each some were read to the end: what is refused at once tries nothing.
        Assert.Equal(8, fuzz.Reached.Keys.Count(target => !target.Contains(',', StringComparison.Ordinal)));
        Assert.Equal(8, fuzz.Reached.Keys.Count(target => target.Contains("read to the end", StringComparison.Ordinal)));
    }
}

using System.CommandLine;
using System.CommandLine.Parsing;
using System.Globalization;

namespace Lodrik.Cli;

/// <summary>Options and arguments that take a whole number, and say so where they are given something else.</summary>
internal static class WholeNumber
{
    /// <summary>An argument that has to be given.</summary>
    public static Argument<int> Argument(string name, string description, int least) =>
        new(name) { Description = description, CustomParser = result => Read(result, $"<{name}>", least) };

    /// <summary>An argument that is null if it is not given.</summary>
    public static Argument<int?> OptionalArgument(string name, string description, int least) =>
        new(name)
        {
            Description = description,
            Arity = ArgumentArity.ZeroOrOne,
            CustomParser = result => result.Tokens.Count == 0 ? null : Read(result, $"<{name}>", least),
        };

    /// <summary>An option that is null if it is not given.</summary>
    public static Option<int?> Option(string name, string description, int least) =>
        new(name) { Description = description, CustomParser = result => Read(result, name, least) };

    /// <summary>An option with a value for where it is not given.</summary>
    public static Option<int> Option(string name, string description, int least, int otherwise) =>
        new(name) { Description = description, DefaultValueFactory = _ => otherwise, CustomParser = result => Read(result, name, least) };

    private static int Read(ArgumentResult result, string name, int least)
    {
        var text = result.Tokens[^1].Value;
        if (int.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number) && number >= least)
            return number;
        result.AddError($"{name} has to be a whole number of at least {least}, not {Screen.Visible(text)}.");
        return 0;
    }
}

using System.CommandLine;
using System.Globalization;
using System.Numerics;
using Lodrik.Codes;
using Lodrik.Inspection;
using Lodrik.State;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik code</c>: transfer codes by a layout that is in a file.</summary>
internal static class CodeCommand
{
    private const int MostBarCells = 40;

    public static Command Create() => new(
        "code", "Encodes and decodes transfer codes: a little state in a code that a player can write down.")
    {
        CreateEncode(),
        CreateDecode(),
        CreateExplain(),
        CreatePin(),
        CreateCheck(),
    };

    private static Option<string> Layout() => new("--layout")
    {
        Description = "The layout: a JSON file, as the game's CodeLayout.ToJson() writes it.",
        Required = true,
    };

    private static Option<string?> Key() => new("--key") { Description = "The key of keyed codes: " + KeyFile.Forms };

    private static CodeLayout<SaveMap> Read(string path, string? key)
    {
        try
        {
            return CodeLayoutFile.Read(File.ReadAllText(path), key is null ? null : KeyFile.Read(key));
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new ArgumentException($"The layout cannot be read: {exception.Message}", exception);
        }
    }

    private static Command CreateEncode()
    {
        var state = new Argument<string>("state")
        {
            Description = "A JSON file with a value for each field, or - for standard input.",
        };
        var (layout, key) = (Layout(), Key());
        var variant = WholeNumber.Option("--variant", "Which of the state's codes to write, from 0. By default a random one.", least: 0);
        var form = new Option<string>("--as")
        {
            Description = "text, number or bytes (in hexadecimal).",
            DefaultValueFactory = _ => "text",
        };
        form.AcceptOnlyFromAmong("text", "number", "bytes");
        var command = new Command("encode", "Encodes a state as a code.") { state, layout, key, variant, form };
        command.SetAction(parsed =>
        {
            var codes = Read(parsed.GetRequiredValue(layout), parsed.GetValue(key));
            var values = ReadState(parsed.GetRequiredValue(state));
            var fields = codes.Explain().Fields.Select(field => field.Name).ToList();
            if (values.Keys.Except(fields).FirstOrDefault() is { } unknown)
                throw new ArgumentException($"The layout has no field \"{unknown}\".");
            if (fields.Except(values.Keys).ToList() is { Count: > 0 } missing)
                throw new ArgumentException($"The state has no value for {string.Join(", ", missing)}.");
            var chosen = parsed.GetValue(variant);
            if (chosen is not null && (chosen < 0 || chosen >= codes.Options.VariantCount))
                throw new ArgumentException(
                    $"A state has {codes.Options.VariantCount} codes in this layout; number {chosen} is not one of them.");
            Screen.Out.Profile.Out.Writer.WriteLine(parsed.GetValue(form) switch
            {
                "number" => codes.ToNumber(values, chosen).ToString(CultureInfo.InvariantCulture),
                "bytes" => Convert.ToHexStringLower(codes.ToBytes(values, chosen)),
                _ => codes.ToText(values, chosen),
            });
            return ExitCode.Fine;
        });
        return command;
    }

    private static Command CreateDecode()
    {
        var code = new Argument<string>("code") { Description = "The code as the player wrote it down, or with --as number the number." };
        var (layout, key) = (Layout(), Key());
        var form = new Option<string>("--as")
        {
            Description = "text, number or bytes (in hexadecimal).",
            DefaultValueFactory = _ => "text",
        };
        form.AcceptOnlyFromAmong("text", "number", "bytes");
        var command = new Command("decode", "Decodes a code and writes its values as JSON.") { code, layout, key, form };
        command.SetAction(parsed =>
        {
            var codes = Read(parsed.GetRequiredValue(layout), parsed.GetValue(key));
            var text = parsed.GetRequiredValue(code);
            return Guarded(() =>
            {
                var decoded = parsed.GetValue(form) switch
                {
                    "number" => codes.FromNumber(BigInteger.TryParse(text, NumberStyles.Integer, CultureInfo.InvariantCulture,
                        out var number) ? number : throw new ArgumentException($"\"{text}\" is not a number.")),
                    "bytes" => codes.FromBytes(FromHex(text)),
                    _ => codes.FromText(text),
                };
                if (decoded is null)
                {
                    Screen.Out.MarkupLine($"[{Screen.Notice}]Nothing is stored yet.[/]");
                    return ExitCode.Fine;
                }
                Screen.Out.Profile.Out.Writer.WriteLine(SaveJson.Write(decoded.State, indented: true));
                foreach (var position in decoded.Corrected)
                    Screen.Error.MarkupLineInterpolated($"[{Screen.Notice}]{Correction(position)}[/]");
                return ExitCode.Fine;
            });
        });
        return command;
    }

    private static Command CreateExplain()
    {
        var code = new Argument<string?>("code") { Description = "A code to take apart.", Arity = ArgumentArity.ZeroOrOne };
        var (layout, key, json) = (Layout(), Key(), Screen.JsonOption());
        var command = new Command("explain", "Shows what each field costs. With a code, shows step by step how it is made.")
        {
            code,
            layout,
            key,
            json,
        };
        command.SetAction(parsed =>
        {
            var codes = Read(parsed.GetRequiredValue(layout), parsed.GetValue(key));
            return Guarded(() =>
            {
                switch (parsed.GetValue(code), parsed.GetValue(json))
                {
                    case ({ } text, true):
                        Screen.Json(Line(codes.Explain(text)), ToolJson.Readable.CodeLine);
                        break;
                    case ({ } text, false):
                        ShowSteps(codes.Explain(text));
                        break;
                    case (null, true):
                        Screen.Json(Line(codes.Explain(), codes.Options), ToolJson.Readable.CodeLayoutLine);
                        break;
                    default:
                        ShowCosts(codes.Explain(), codes.Options);
                        break;
                }
                return ExitCode.Fine;
            });
        });
        return command;
    }

    private static Argument<string> Ledger() => new("ledger") { Description = "The ledger's folder.", DefaultValueFactory = _ => "ledger" };

    private static Command CreatePin()
    {
        var (layout, ledger) = (Layout(), Ledger());
        var command = new Command("pin", "Records a released layout in the ledger, so that later changes to it are found.")
        {
            ledger,
            layout,
        };
        command.SetAction(parsed => Guarded(() =>
        {
            var (codes, pinned) = (Read(parsed.GetRequiredValue(layout), key: null), PinnedCodes.In(parsed.GetRequiredValue(ledger)));
            if (pinned.Pin(codes))
                Screen.Out.MarkupLineInterpolated($"[{Screen.Good}]Version {codes.Version} of {codes.Name} is pinned.[/]");
            else
                Screen.Out.MarkupLineInterpolated($"Version {codes.Version} of {codes.Name} is pinned already.");
            Screen.Out.MarkupLineInterpolated($"[{Screen.Faint}]{pinned.FileOf(codes.Name, codes.Version)}[/]");
            return ExitCode.Fine;
        }));
        return command;
    }

    private static Command CreateCheck()
    {
        var (layout, ledger) = (Layout(), Ledger());
        var command = new Command("check", "Compares a layout with the pinned ones and fails if it would decode their codes wrongly.")
        {
            ledger,
            layout,
        };
        command.SetAction(parsed => Guarded(() =>
        {
            var (codes, pinned) = (Read(parsed.GetRequiredValue(layout), key: null), PinnedCodes.In(parsed.GetRequiredValue(ledger)));
            var problems = pinned.ProblemsOf(codes);
            foreach (var problem in problems)
                Screen.Out.MarkupLineInterpolated($"[{Screen.Bad}]{Screen.Visible(problem)}[/]");
            var versions = pinned.ListVersions(codes.Name);
            if (versions.Count == 0)
                Screen.Out.MarkupLineInterpolated(
                    $"[{Screen.Notice}]No version of {codes.Name} is pinned.[/] Pin the released one.");
            else if (problems.Count == 0)
                Screen.Out.MarkupLineInterpolated(
                    $"[{Screen.Good}]Codes of version {string.Join(", ", versions)} still decode correctly.[/]");
            return problems.Count == 0 ? ExitCode.Fine : ExitCode.FoundWrong;
        }));
        return command;
    }

    private static CodeLayoutLine Line(CodeExplanation layout, CodeOptions options) => new(
        layout.Name, layout.Version, layout.Fingerprint, layout.Bits, Plain(layout.LargestNumber), layout.CharacterCount,
        layout.MarkCharacterCount,
        layout.CheckCharacterCount, options.Corrects, layout.OddsOfGuessing,
        [.. layout.Fields.Select(field =>
            new CodeFieldLine(field.Name, field.What, field.Since, Plain(field.ValueCount), field.Bits, Plain(field.Weight)))]);

    private static CodeLine Line(CodeSteps code) => new(
        code.Text, [.. code.Corrected.Select(position => position.ToString())], Plain(code.Number), code.Version, code.Variant,
        Plain(code.Scrambled), Plain(code.Packed),
        [.. code.Fields.Select(field => new CodeDigitLine(field.Name, Plain(field.Digit), Plain(field.Weight), field.Value))]);

    private static string Plain(BigInteger number) => number.ToString(CultureInfo.InvariantCulture);

    private static void ShowCosts(CodeExplanation layout, CodeOptions options)
    {
        Screen.Out.MarkupLineInterpolated(
            $"[bold]{Screen.Visible(layout.Name)}[/], version {layout.Version}, fingerprint {layout.Fingerprint}");
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        table.AddColumn($"[{Screen.Faint}]field[/]").AddColumn($"[{Screen.Faint}]holds[/]");
        foreach (var column in (string[])["values", "bits", "weight"])
            table.AddColumn(new TableColumn($"[{Screen.Faint}]{column}[/]").RightAligned());
        table.AddColumn($"[{Screen.Faint}]share[/]");
        void Row(string name, string what, string values, double bits, string weight, string color) => table.AddRow(
            $"[{color}]{Screen.Text(name)}[/]", Screen.Text(Short(what)), values, Bits(bits), weight,
            $"[{color}]{new string('━', (int)Math.Ceiling(bits / Math.Max(layout.Bits, 1) * MostBarCells))}[/]");
        foreach (var field in layout.Fields)
            Row(field.Name + (field.Since > 1 ? $" (since {field.Since})" : ""), field.What, Number(field.ValueCount), field.Bits,
                Number(field.Weight), Screen.Name);
        if (layout.VersionBits > 0)
            Row("version", $"one of {options.VersionCount}", Number(options.VersionCount), layout.VersionBits, "", Screen.Notice);
        if (layout.VariantBits > 0)
            Row("variant", $"one of {options.VariantCount} codes of a state", Number(options.VariantCount), layout.VariantBits, "",
                Screen.Notice);
        if (layout.TagBits > 0)
            Row("tag", "made with the key", $"2^{layout.TagBits:F0}", layout.TagBits, "", Screen.Notice);
        Screen.Out.Write(table);
        var exact = layout.LargestNumber <= BigInteger.One << 53 ? ", which a double holds exactly" : "";
        Screen.Out.MarkupLineInterpolated(
            CultureInfo.InvariantCulture, $"Together {layout.Bits:F2} bits: numbers from 1 to {layout.LargestNumber}{exact}.");
        var lengths = string.Join(", ", layout.Lengths.Select(one => $"{one.CharacterCount} characters of {one.Alphabet}"));
        Screen.Out.MarkupLineInterpolated($"The number alone takes {lengths}.");
        var (mark, check) = (layout.MarkCharacterCount, layout.CheckCharacterCount);
        var parts = $"{mark} for the game, {layout.CharacterCount - mark - check} for the number, {check} to check it";
        Screen.Out.MarkupLineInterpolated($"A code has {layout.CharacterCount} characters: {parts}. {Corrects(options)}");
        var odds = (1 / layout.OddsOfAnotherGame).ToString("N0", CultureInfo.InvariantCulture);
        Screen.Out.MarkupLineInterpolated(mark == 0
            ? (FormattableString)$"Without a mark, another game with codes of this length accepts these codes as its own."
            : $"One game in {odds} with codes of this length has the same mark, and accepts these codes as its own.");
        var who = options.Key is null ? "Anyone who knows the layout can make one." : "Making one needs the key.";
        Screen.Out.MarkupLineInterpolated(
            CultureInfo.InvariantCulture, $"Of random texts, one in {1 / layout.OddsOfGuessing:N0} is taken for a code. {who}");
    }

    private static string Correction(CodePosition position) =>
        $"Corrected {position}: {position.Typed} was typed, {position.Meant} was meant.";

    private static string Corrects(CodeOptions options) => (options.CheckCharacterCount, options.Corrects) switch
    {
        (0, _) => "Mistakes are not detected.",
        (_, 0) => $"Up to {options.CheckCharacterCount} wrong characters are always found.",
        _ =>
            $"{options.Corrects} wrong {(options.Corrects == 1 ? "one is" : "ones are")} corrected, "
                + $"{options.CheckCharacterCount - options.Corrects} always found.",
    };

    private static void ShowSteps(CodeSteps code)
    {
        Screen.Out.MarkupLineInterpolated($"[bold]{code.Text}[/]");
        foreach (var position in code.Corrected)
            Screen.Out.MarkupLineInterpolated($"[{Screen.Notice}]{Correction(position)}[/]");
        var steps = new Grid().AddColumn(new GridColumn().NoWrap().PadRight(2)).AddColumn();
        steps.AddRow($"[{Screen.Faint}]its characters are the number[/]", Number(code.Number));
        steps.AddRow($"[{Screen.Faint}]of the version[/]", $"{code.Version}{(code.Variant > 0 ? $", variant {code.Variant}" : "")}");
        if (code.Scrambled != code.Packed)
            steps.AddRow($"[{Screen.Faint}]and scrambled[/]", Number(code.Scrambled));
        steps.AddRow($"[{Screen.Faint}]which is the packed number[/]", Number(code.Packed));
        Screen.Out.Write(steps);
        var table = new Table().Border(TableBorder.Rounded).BorderColor(Color.Grey50);
        table.AddColumn($"[{Screen.Faint}]field[/]");
        foreach (var column in (string[])["digit", "× weight", "adds"])
            table.AddColumn(new TableColumn($"[{Screen.Faint}]{column}[/]").RightAligned());
        table.AddColumn($"[{Screen.Faint}]value[/]");
        foreach (var field in code.Fields)
            table.AddRow($"[{Screen.Name}]{Screen.Text(field.Name)}[/]", Number(field.Digit), Number(field.Weight),
                Number(field.Digit * field.Weight), $"[{Screen.Number}]{Screen.Text(field.Value)}[/]");
        Screen.Out.Write(table);
    }

    /// <summary>A code that cannot be read is said for the one who looks into it, and as the player would see it.</summary>
    private static int Guarded(Func<int> run)
    {
        try
        {
            return run();
        }
        catch (CodeException problem) when (problem.ForPlayer.Length > 0)
        {
            Screen.Error.MarkupLineInterpolated($"[{Screen.Bad}]{Screen.Visible(problem.Message)}[/]");
            Screen.Error.MarkupLineInterpolated($"[{Screen.Faint}]To the player: {Screen.Visible(problem.ForPlayer)}[/]");
            return ExitCode.FoundWrong;
        }
    }

    private static SaveMap ReadState(string path)
    {
        try
        {
            var json = path == "-" ? Console.In.ReadToEnd() : File.ReadAllText(path);
            return SaveJson.Read(json) as SaveMap
                ?? throw new ArgumentException("The state has to be a JSON object with a value for each field.");
        }
        catch (SaveException exception)
        {
            throw new ArgumentException($"The state is not JSON: {exception.Message}", exception);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new ArgumentException($"The state cannot be read: {exception.Message}", exception);
        }
    }

    private static byte[] FromHex(string text)
    {
        try
        {
            return Convert.FromHexString(text);
        }
        catch (FormatException exception)
        {
            throw new ArgumentException($"\"{text}\" is not hexadecimal.", exception);
        }
    }

    private static string Number(BigInteger number) => number.ToString(CultureInfo.InvariantCulture) is { Length: > 24 } digits
        ? string.Create(CultureInfo.InvariantCulture, $"{digits[0]}.{digits[1..4]}e{digits.Length - 1}")
        : number.ToString(CultureInfo.InvariantCulture);

    private static string Bits(double bits) => bits.ToString("F2", CultureInfo.InvariantCulture);

    private static string Short(string text) => text.Length <= 46 ? text : text[..45] + "…";
}

using System.CommandLine;
using Spectre.Console;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik key</c>: makes keys for seals, encryption and signatures.</summary>
internal static class KeyCommand
{
    public static Command Create() => new("key", "Creates keys, and shows which key a file has.") { CreateNew(), CreateShow() };

    private static Command CreateNew()
    {
        var file = new Argument<string>("file") { Description = "The file to write: a JSON Web Key (RFC 7517)." };
        var id = new Option<string>("--id")
        {
            Description = "The key's id, which is written into saves. By default the file's name.",
            DefaultValueFactory = _ => "",
        };
        var signing = new Option<bool>("--signing")
        {
            Description = "Creates a key pair for signatures. The public key goes to <file>.pub.",
        };
        var command = new Command("new", "Creates a secret key, or a key pair for signatures.") { file, id, signing };
        command.SetAction(parsed =>
        {
            var path = parsed.GetRequiredValue(file);
            var name = parsed.GetValue(id) is { Length: > 0 } given ? given : Path.GetFileNameWithoutExtension(path);
            if (name.Length == 0 || name.Any(c => !char.IsAsciiLetterOrDigit(c) && c is not ('-' or '_' or '.')))
                throw new ArgumentException($"\"{name}\" is not a valid key id. Use letters, digits, '-', '_' and '.'.");
            if (parsed.GetValue(signing))
            {
                var (own, shared) = KeyFile.NewPair(name);
                KeyFile.Write(path, own);
                KeyFile.Write(path + ".pub", shared);
                Screen.Out.MarkupLineInterpolated(
                    $"Created the signing key {name}. Give the game only the public key.  [{Screen.Faint}]{path}, {path}.pub[/]");
                return ExitCode.Fine;
            }
            KeyFile.Write(path, KeyFile.NewSecret(name));
            Screen.Out.MarkupLineInterpolated($"Made a secret key, {name}. Keep it out of version control.  [{Screen.Faint}]{path}[/]");
            return ExitCode.Fine;
        });
        return command;
    }

    private static Command CreateShow()
    {
        var file = new Argument<string>("key") { Description = KeyFile.Forms };
        var command = new Command("show", "Shows which key a file has, without revealing the secret.") { file };
        command.SetAction(parsed =>
        {
            var key = KeyFile.Read(parsed.GetRequiredValue(file));
            Screen.Out.MarkupLineInterpolated(
                $"{key.Id}: {(key.IsSecret ? "a secret key, for seals and encryption" : "a key for signatures (ECDSA over P-256)")}");
            return ExitCode.Fine;
        });
        return command;
    }
}

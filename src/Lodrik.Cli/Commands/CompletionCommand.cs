using System.CommandLine;

namespace Lodrik.Cli.Commands;

/// <summary><c>lodrik completion</c>: what a shell needs so that the Tab key knows commands, options, slots and places.</summary>
internal static class CompletionCommand
{
    // A save's names are a stranger's text: they are compared and quoted here, and never expanded by the shell.
    // Bash ends words at @, = and : as well; what precedes the last of these is on the line already.
    private const string Bash = """
        _lodrik() {
            local line="${COMP_LINE:0:$COMP_POINT}" one last
            local word="${line##*[[:space:]]}"
            local there="${word%"${word##*[@=:]}"}"
            COMPREPLY=()
            while IFS= read -r one; do
                [[ $one == "$word"* && $one != "$last" ]] && COMPREPLY+=("$(printf %q "${one#"$there"}")")
                last=$one
            done < <(lodrik "[suggest:${#line}]" "$line" 2>/dev/null)
        }
        complete -o default -o bashdefault -F _lodrik lodrik

        """;

    private const string Zsh = """
        _lodrik() {
            local line="${BUFFER[1,$CURSOR]}"
            local -a offered
            offered=("${(@f)$(lodrik "[suggest:${#line}]" "$line" 2>/dev/null)}")
            compadd -- "${(@)offered:#}"
            _files
        }
        compdef _lodrik lodrik

        """;

    private const string Fish = """
        complete -c lodrik -a '(set -l line (commandline -cp); lodrik "[suggest:"(string length -- "$line")"]" "$line" 2>/dev/null)'

        """;

    public static Command Create()
    {
        var shell = new Argument<string>("shell") { Description = "bash, zsh or fish." };
        shell.AcceptOnlyFromAmong("bash", "zsh", "fish");
        var command =
            new Command("completion", "Prints a script that lets the Tab key complete commands, options, slots and places.") { shell };
        command.SetAction(parsed =>
        {
            Screen.Out.Profile.Out.Writer.Write(parsed.GetRequiredValue(shell) switch { "bash" => Bash, "zsh" => Zsh, _ => Fish });
            return ExitCode.Fine;
        });
        return command;
    }
}

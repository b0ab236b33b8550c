using System.CommandLine;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan completion</c>: scripts that ask the client itself for what may follow.</summary>
internal static class CompletionCommand
{
    private const string Bash = """
        _caravan() {
          local IFS=$'\n'
          local words="$("${COMP_WORDS[0]}" "[suggest:${COMP_POINT}]" "${COMP_LINE}" 2>/dev/null)"
          COMPREPLY=($(compgen -W "$words" -- "${COMP_WORDS[COMP_CWORD]}"))
        }
        complete -o default -F _caravan caravan ./caravan
        """;

    private const string Zsh = """
        _caravan() {
          local -a found
          found=("${(@f)$("${words[1]}" "[suggest:$CURSOR]" "$BUFFER" 2>/dev/null)}")
          compadd -- $found
        }
        compdef _caravan caravan ./caravan
        """;

    private const string Fish = """
        complete -c caravan -f -a '(caravan "[suggest:"(string length (commandline -cp))"]" (commandline -cp))'
        """;

    public static Command Make(CommandHost host)
    {
        var shell = new Argument<string>("SHELL") { Description = "bash, zsh or fish" };
        shell.AcceptOnlyFromAmong("bash", "zsh", "fish");
        var command = new Command("completion", "Prints a script that completes commands and options in a shell") { shell };
        host.Examples[command] = "source <(caravan completion bash)";
        command.SetAction(p =>
        {
            host.Out.WriteLine(
                p.GetValue(shell) switch
                {
                    "zsh" => Zsh,
                    "fish" => Fish,
                    _ => Bash,
                }
            );
            return ExitCode.Well;
        });
        return command;
    }
}

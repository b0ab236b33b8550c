using System.CommandLine;
using System.CommandLine.Help;
using System.CommandLine.Invocation;
using EasyCaravan.Cli.Commands;

namespace EasyCaravan.Cli;

/// <summary>The whole command line.</summary>
internal static class CaravanCommand
{
    public static RootCommand Make(Common common)
    {
        var root = new RootCommand("""
            Easy Caravan: moves many people's mail between services.

            A first move, from the folder of your plan:
              caravan serve --data data                  runs the service (in a terminal of its own)
              caravan plan apply ferries.yaml            who moves, from where, to where
              caravan service try lanternpost            do they let us in?
              caravan start deckhands                    begin
              caravan watch deckhands                    look on
              caravan waybill deckhands                  the proof
            """)
        {
            common.Service, common.Token, common.Output,
            Elsewhere(common, "demo", "Shows a move of an invented company between two simulated services", "caravan demo"),
            Elsewhere(common, "serve", "Runs the service", "caravan serve --data data"),
            PlanCommands.Make(common),
            ServiceCommands.Make(common),
        };
        foreach (var command in MoveCommands.Make(common)) root.Add(command);
        root.Add(WatchCommand.Make(common));
        root.Add(LeftBehindCommand.Make(common));
        root.Add(WaybillCommand.Make(common));
        root.Add(JournalCommand.Make(common));
        root.Add(ProfileCommands.Make(common));
        root.Add(CompletionCommand.Make(common));
        var help = root.Options.OfType<HelpOption>().Single();
        help.Action = new HelpWithExample((HelpAction)help.Action!, common.Examples);
        return root;
    }

    private sealed class HelpWithExample(HelpAction help, Dictionary<Command, string> examples) : SynchronousCommandLineAction
    {
        public override int Invoke(ParseResult parseResult)
        {
            var code = help.Invoke(parseResult);
            if (examples.TryGetValue(parseResult.CommandResult.Command, out var example)) parseResult.InvocationConfiguration.Output.WriteLine($"Example:\n  {example}\n");
            return code;
        }
    }

    public static async Task<int> RunAsync(string[] args, Common common)
    {
        var parsed = Make(common).Parse(args);
        var code = await parsed.InvokeAsync(new InvocationConfiguration { Output = common.Out, Error = common.Error });
        return parsed.Errors.Count > 0 ? ExitCode.WrongUsage : code;
    }

    /// <summary>The service's own commands: listed here so that help and completion know them; the script at the root hands them to the service.</summary>
    private static Command Elsewhere(Common common, string name, string description, string example)
    {
        var command = new Command(name, description) { TreatUnmatchedTokensAsErrors = false };
        common.Examples[command] = example;
        command.SetAction(_ =>
        {
            common.Error.WriteLine($"'{name}' is a command of the service itself: run it with the caravan script beside it (./caravan {name}).");
            return ExitCode.WrongUsage;
        });
        return command;
    }
}

using System.CommandLine;
using System.CommandLine.Help;
using System.CommandLine.Invocation;
using EasyCaravan.Cli.Commands;

namespace EasyCaravan.Cli;

/// <summary>The whole command line.</summary>
internal static class CaravanCommand
{
    public static RootCommand Make(CommandHost host)
    {
        var root = new RootCommand(
            """
            Easy Caravan: moves many people's mail between services.

            A first move, from the folder of your plan:
              caravan serve --data data                  runs the service (in a terminal of its own)
              caravan plan apply ferries.yaml            who moves, from where, to where
              caravan service try lanternpost            do they let us in?
              caravan survey deckhands --wait            what is there, and what will not fit?
              caravan start deckhands                    begin
              caravan watch deckhands                    look on
              caravan waybill deckhands                  the proof
            """
        )
        {
            host.Service,
            host.Token,
            host.TokenFile,
            host.Insecure,
            host.Output,
            Elsewhere(host, "demo", "Shows a move of an invented company between two simulated services", "caravan demo"),
            Elsewhere(host, "serve", "Runs the service", "caravan serve --data data"),
            PlanCommands.Make(host),
            ServiceCommands.Make(host),
        };
        foreach (var command in SurveyCommands.Make(host))
            root.Add(command);
        foreach (var command in MoveCommands.Make(host))
            root.Add(command);
        root.Add(TodayCommand.Make(host));
        root.Add(TimetableCommand.Make(host));
        root.Add(ForecastCommand.Make(host));
        foreach (var command in WideCommands.Make(host))
            root.Add(command);
        root.Add(SecretCommand.Make(host));
        root.Add(WatchCommand.Make(host));
        root.Add(LeftBehindCommand.Make(host));
        root.Add(DifferencesCommand.Make(host));
        root.Add(CompareCommand.Make(host));
        root.Add(CrossingCommand.Make(host));
        root.Add(AftercareCommand.Make(host));
        root.Add(TakeBackCommand.Make(host));
        root.Add(NoticesCommand.Make(host));
        root.Add(CollectionsCommand.Make(host));
        root.Add(PreviewCommand.Make(host));
        root.Add(FilesCommand.Make(host));
        root.Add(WaybillCommand.Make(host));
        root.Add(ParcelCommands.Make(host));
        root.Add(JournalCommand.Make(host));
        root.Add(TokenCommands.Make(host));
        root.Add(ProfileCommands.Make(host));
        root.Add(CompletionCommand.Make(host));
        var help = root.Options.OfType<HelpOption>().Single();
        help.Action = new HelpWithExample((HelpAction)help.Action!, host.Examples);
        return root;
    }

    private sealed class HelpWithExample(HelpAction help, Dictionary<Command, string> examples) : SynchronousCommandLineAction
    {
        public override int Invoke(ParseResult parseResult)
        {
            var code = help.Invoke(parseResult);
            if (examples.TryGetValue(parseResult.CommandResult.Command, out var example))
                parseResult.InvocationConfiguration.Output.WriteLine($"Example:\n  {example}\n");
            return code;
        }
    }

    public static async Task<int> RunAsync(string[] args, CommandHost host)
    {
        var parsed = Make(host).Parse(args);
        var code = await parsed.InvokeAsync(new InvocationConfiguration { Output = host.Out, Error = host.Error });
        return parsed.Errors.Count > 0 ? ExitCode.WrongUsage : code;
    }

    /// <summary>
    /// The service's own commands: listed here so that help and completion know them; the script at the root hands them to the service.
    /// </summary>
    private static Command Elsewhere(CommandHost host, string name, string description, string example)
    {
        var command = new Command(name, description) { TreatUnmatchedTokensAsErrors = false };
        host.Examples[command] = example;
        command.SetAction(_ =>
        {
            host.Error.WriteLine(
                $"'{name}' is a command of the service itself: run it with the caravan script beside it (./caravan {name})."
            );
            return ExitCode.WrongUsage;
        });
        return command;
    }
}

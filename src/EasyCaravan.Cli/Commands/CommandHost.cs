using System.CommandLine;
using EasyCaravan.Cli.Output;
using Spectre.Console;

namespace EasyCaravan.Cli.Commands;

/// <summary>The options that every command has, and how each command is run.</summary>
internal sealed class CommandHost
{
    private const string DefaultService = "http://127.0.0.1:8470";

    public Option<string?> Service { get; } =
        new("--service")
        {
            Description = "The service's address; else CARAVAN_URL, the saved profile, or " + DefaultService,
            Recursive = true,
        };

    public Option<string?> Token { get; } =
        new("--token")
        {
            Description = "The access token; other users of this machine can see it in the list of processes: prefer --token-file",
            Recursive = true,
        };

    public Option<string?> TokenFile { get; } =
        new("--token-file")
        {
            Description = "A file that holds the access token, or - for standard input; else CARAVAN_TOKEN or the saved profile",
            Recursive = true,
            HelpName = "FILE|-",
        };

    public Option<bool> Insecure { get; } =
        new("--insecure")
        {
            Description = "Send the token over plain HTTP to another machine, where anyone on the way can read it",
            Recursive = true,
        };

    public Option<OutputForm> Output { get; } =
        new("--output", "-o")
        {
            Description = "table, json or csv",
            Recursive = true,
            HelpName = "table|json|csv",
            DefaultValueFactory = _ => OutputForm.Table,
            CustomParser = ReadForm,
        };

    private static OutputForm ReadForm(System.CommandLine.Parsing.ArgumentResult given)
    {
        var word = given.Tokens[0].Value;
        if (
            Enum.GetValues<OutputForm>()
                .Where(f => f.ToString().Equals(word, StringComparison.OrdinalIgnoreCase))
                .Select(f => (OutputForm?)f)
                .FirstOrDefault() is
            { } form
        )
            return form;
        given.AddError($"There is no output '{word}'. Give table, json or csv.");
        return OutputForm.Table;
    }

    /// <summary>An example for each command, shown below its help.</summary>
    public Dictionary<Command, string> Examples { get; } = [];

    private readonly TextWriter _terminal = System.Console.Out;
    private readonly TextWriter _errors = System.Console.Error;

    /// <summary>For text; what is drawn goes through <see cref="WriterFor"/>.</summary>
    public TextWriter Out
    {
        get => new VisibleWriter(_terminal);
        init => _terminal = value;
    }

    public TextWriter Error
    {
        get => new VisibleWriter(_errors);
        init => _errors = value;
    }

    public TextReader In { get; init; } = System.Console.In;

    /// <summary>Makes a command whose failures end it with words and a code.</summary>
    public Command Make(
        string name,
        string description,
        string example,
        IEnumerable<Symbol> symbols,
        Func<ParseResult, CaravanClient, Writer, CancellationToken, Task<int>> run
    )
    {
        var command = new Command(name, description);
        Examples[command] = example;
        foreach (var symbol in symbols)
        {
            if (symbol is Argument argument)
                command.Add(argument);
            else
                command.Add((Option)symbol);
        }
        command.SetAction((parsed, cancel) => RunAsync(parsed, run, cancel));
        return command;
    }

    public Writer WriterFor(ParseResult parsed)
    {
        var console = AnsiConsole.Create(new AnsiConsoleSettings { Out = new AnsiConsoleOutput(_terminal) });
        console.Pipeline.Attach(new VisibleSegments());
        // Into a file or a pipe, tables are as wide as they need to be.
        if (System.Console.IsOutputRedirected || _terminal != System.Console.Out)
            console.Profile.Width = 220;
        return new Writer(parsed.GetValue(Output), console, Out, Error);
    }

    private async Task<int> RunAsync(
        ParseResult parsed,
        Func<ParseResult, CaravanClient, Writer, CancellationToken, Task<int>> run,
        CancellationToken cancel
    )
    {
        try
        {
            using var client = Connect(parsed);
            return await run(parsed, client, WriterFor(parsed), cancel);
        }
        catch (CommandException e)
        {
            await Error.WriteLineAsync(e.Message);
            return e.Code;
        }
        catch (OperationCanceledException)
        {
            return ExitCode.Failed;
        }
    }

    private CaravanClient Connect(ParseResult parsed)
    {
        var profile = Profile.Load();
        var address = First(parsed.GetValue(Service), Environment.GetEnvironmentVariable("CARAVAN_URL"), profile.Service, DefaultService)!;
        if (!Uri.TryCreate(address.TrimEnd('/') + "/", UriKind.Absolute, out var service) || service.Scheme is not ("http" or "https"))
            throw new CommandException(
                ExitCode.WrongUsage,
                $"'{address}' is not the address of a service.\nGive one such as {DefaultService}."
            );
        if (service.Scheme == "http" && !CaravanClient.IsLoopback(service) && !parsed.GetValue(Insecure))
            throw new CommandException(
                ExitCode.WrongUsage,
                $"{service} is another machine, and over plain HTTP anyone on the way can read the token and every password in a "
                    + "roster.\nName it with https:, or say --insecure if that is meant."
            );
        var token = First(
            parsed.GetValue(Token),
            ReadTokenFile(parsed.GetValue(TokenFile)),
            Environment.GetEnvironmentVariable("CARAVAN_TOKEN"),
            profile.Token
        )
            ?? throw new CommandException(
                ExitCode.NoService,
                "No token is known.\nGive the one from admin.token in the service's data folder with --token-file, CARAVAN_TOKEN or "
                    + "'caravan profile save'."
            );
        return new CaravanClient(service, token);
    }

    /// <summary>The first line of the file, or of standard input.</summary>
    public string? ReadTokenFile(string? file)
    {
        if (file is null)
            return null;
        try
        {
            using var reader = file == "-" ? In : new StreamReader(file);
            return reader.ReadLine()?.Trim() is { Length: > 0 } token
                ? token
                : throw new CommandException(
                    ExitCode.WrongUsage,
                    $"{(file == "-" ? "Standard input" : file)} holds no token.\nIt has to stand in the first line."
                );
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException(
                ExitCode.WrongUsage,
                $"{file} cannot be read: {e.Message}\nGive the file that holds the token, such as admin.token in the service's data folder."
            );
        }
    }

    private static string? First(params string?[] values) => values.FirstOrDefault(v => !string.IsNullOrWhiteSpace(v));
}

using System.CommandLine;
using System.Globalization;
using CsvHelper;
using CsvHelper.Configuration;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan secret set</c></summary>
internal static class SecretCommand
{
    public static Command Make(CommandHost host)
    {
        var batch = MoveCommands.BatchArgument();
        var who = new Argument<string?>("WHO") { Description = "A person of the batch: account or name", Arity = ArgumentArity.ZeroOrOne };
        var side = new Option<string>("--side") { Description = "from or to: whose account it is", DefaultValueFactory = _ => "from" };
        side.AcceptOnlyFromAmong("from", "to");
        var login = new Option<string?>("--login") { Description = "Also what is signed in with; alone with --keep-secret" };
        var keep = new Option<bool>("--keep-secret") { Description = "Only the login changes" };
        var file = new Option<string?>("--file")
        {
            Description = "Read the secret from the first line of this file, or - for standard input",
        };
        var list = new Option<string?>("--list")
        {
            Description = "In place of WHO: a CSV with a header and the columns who, secret and login (either may be left out), or -",
        };
        var set = host.Make(
            "set",
            "Sets a password, app password or token of an account; whoever was stopped for want of it goes on",
            "caravan secret set deckhands \"Orla Fenwick\" --side from",
            [batch, who, side, login, keep, file, list],
            (p, c, w, cancel) =>
            {
                var given =
                    p.GetValue(list) is { } path ? ReadList(path, host)
                    : p.GetValue(keep) ? [new SecretGiven(p.GetValue(who)!, null, p.GetValue(login))]
                    : [new SecretGiven(p.GetValue(who)!, ReadSecret(p.GetValue(file), p.GetValue(who)!, host), p.GetValue(login))];
                var at = p.GetValue(side) == "from" ? SideWord.From : SideWord.To;
                return SetAsync(p.GetValue(batch)!, new SecretsRequest(at, given), c, w, cancel);
            }
        );
        set.Validators.Add(v =>
        {
            if (v.GetValue(who) is null == v.GetValue(list) is null)
                v.AddError("Give WHO or --list, one of both.");
            else if (v.GetValue(keep) && (v.GetValue(login) is null || v.GetValue(file) is not null))
                v.AddError("--keep-secret goes with --login, and not with --file.");
        });
        return new Command("secret", "Passwords and tokens of accounts") { set };
    }

    private static string ReadSecret(string? file, string who, CommandHost host) =>
        file is null && SecretInput.CanAsk(host) ? SecretInput.Ask($"Secret of {who}", host) : SecretInput.ReadFirstLine(file ?? "-", host);

    private static List<SecretGiven> ReadList(string file, CommandHost host)
    {
        using var reader = SecretInput.Open(file, host);
        using var csv = new CsvReader(reader, new CsvConfiguration(CultureInfo.InvariantCulture) { MissingFieldFound = null });
        var given = new List<SecretGiven>();
        try
        {
            if (!csv.Read() || !csv.ReadHeader() || csv.HeaderRecord?.Contains("who") != true)
                throw new CommandException(
                    ExitCode.WrongUsage,
                    $"{file} has no column 'who'.\nIts first line names the columns: who, secret and login."
                );
            while (csv.Read())
                given.Add(new SecretGiven(csv.GetField("who") ?? "", Value(csv, "secret"), Value(csv, "login")));
        }
        catch (CsvHelperException)
        {
            // The library's text would show the line, and with it a secret.
            throw new CommandException(ExitCode.WrongUsage, $"{file}, line {csv.Parser.Row}: this is not CSV.\nNothing was set.");
        }
        return given.Count > 0 ? given : throw new CommandException(ExitCode.WrongUsage, "No secret was given; nothing was set.");
    }

    private static string? Value(CsvReader csv, string column) =>
        csv.TryGetField<string>(column, out var text) && !string.IsNullOrEmpty(text) ? text : null;

    private static async Task<int> SetAsync(
        string batch,
        SecretsRequest request,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var result = await client.PostAsync<SecretsSet>($"batches/{Uri.EscapeDataString(batch)}/secrets", request, cancel);
        if (writer.Form is OutputForm.Table)
            writer.Say(
                $"Set: {result.Set}. "
                    + (
                        result.GoesOn.Count == 0
                            ? "Nobody was stopped for want of it."
                            : $"Goes on now: {Words.Safe(string.Join(", ", result.GoesOn))}"
                    )
            );
        else
            writer.Rows(result.GoesOn, "", [new Column<string>("Account", "account", Words.Safe)], result);
        return ExitCode.Well;
    }
}

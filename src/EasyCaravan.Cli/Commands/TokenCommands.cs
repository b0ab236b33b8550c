using System.CommandLine;
using System.Globalization;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan token create | list | revoke</c></summary>
internal static class TokenCommands
{
    public static Command Make(CommandHost host) =>
        new("token", "Access tokens: who may use the service") { Create(host), List(host), Revoke(host) };

    private static Command Create(CommandHost host)
    {
        var name = new Argument<string>("NAME") { Description = "By which the journal names who did something, such as nightly-report" };
        var days = new Option<int?>("--days") { Description = "It ends after this many days; by default it has no end", HelpName = "N" };
        var into = new Option<string?>("--into")
        {
            Description = "Write it to this new file, which only you may read, instead of showing it",
            HelpName = "FILE",
        };
        return host.Make(
            "create",
            "Makes a token; it is shown this once",
            "caravan token create nightly-report --days 90 --into report.token",
            [name, days, into],
            async (parsed, client, writer, cancel) =>
            {
                var file = parsed.GetValue(into);
                // Before it is made: a token that nobody can keep would have to be revoked again.
                await using var kept = file is null ? null : Open(file);
                TokenMade made;
                try
                {
                    var request = new TokenRequest(parsed.GetValue(name)!, parsed.GetValue(days));
                    made = await client.PostAsync<TokenMade>("tokens", request, cancel);
                }
                catch (CommandException) when (file is not null)
                {
                    File.Delete(file);
                    throw;
                }
                if (kept is not null)
                    await kept.WriteLineAsync(made.Token);
                if (writer.Form is OutputForm.Json)
                    writer.Json(kept is null ? made : made with { Token = "" });
                else if (kept is null)
                    host.Out.WriteLine(made.Token);
                var end = made.EndsAt is { } at ? $"It ends on {Words.Time(at)}." : "It has no end.";
                await host.Error.WriteLineAsync(
                    kept is null ? $"Keep it now: it is not shown again. {end}" : $"The token is in {file}. {end}"
                );
                return ExitCode.Well;
            }
        );
    }

    private static StreamWriter Open(string file)
    {
        try
        {
            return new StreamWriter(
                file,
                new FileStreamOptions
                {
                    Mode = FileMode.CreateNew,
                    Access = FileAccess.Write,
                    UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
                }
            );
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new CommandException(
                ExitCode.WrongUsage,
                $"{file} cannot be made: {e.Message}\nName a file that is not there yet, in a folder that you may write to; no token "
                    + "was made."
            );
        }
    }

    private static Command List(CommandHost host)
    {
        var all = new Option<bool>("--all") { Description = "Also those that were revoked or are over" };
        return host.Make("list", "The tokens that let somebody in", "caravan token list", [all], async (parsed, client, writer, cancel) =>
        {
            var tokens = await client.GetAsync<List<TokenView>>("tokens", cancel);
            writer.Rows(
                tokens.Where(t => t.IsGood || parsed.GetValue(all)).ToList(),
                "There are none.",
                [
                    new("Name", "name", t =>
                        Words.Safe(t.Name) + (t.IsYours && writer.Form is OutputForm.Table ? " [grey](yours)[/]" : "")
                    ),
                    new("State", "state", StateOf),
                    new("Made", "created_at", t => At(t.CreatedAt, writer)),
                    new("By", "created_by", t => Words.Safe(t.CreatedBy ?? "the service")),
                    new("Ends", "ends_at", t => t.EndsAt is null && writer.Form is OutputForm.Table ? "never" : At(t.EndsAt, writer)),
                    new("Last used", "used_at", t => t.UsedAt is null && writer.Form is OutputForm.Table ? "never" : At(t.UsedAt, writer)),
                    new("Browsers signed in", "sessions", t => t.Sessions.ToString(CultureInfo.InvariantCulture), Right: true),
                ]
            );
            return ExitCode.Well;
        });
    }

    private static string StateOf(TokenView token) =>
        token.IsGood ? "good"
        : token.RevokedAt is not null ? "revoked"
        : "over";

    private static string At(DateTimeOffset? at, Writer writer) =>
        at is not { } time ? ""
        : writer.Form is OutputForm.Csv ? time.ToString("O", CultureInfo.InvariantCulture)
        : Words.Time(time);

    private static Command Revoke(CommandHost host)
    {
        var name = new Argument<string>("NAME") { Description = "The token's name" };
        return host.Make(
            "revoke",
            "Ends a token at once, and the browsers that are signed in with it",
            "caravan token revoke nightly-report",
            [name],
            async (parsed, client, writer, cancel) =>
            {
                var token = parsed.GetValue(name)!;
                await client.DeleteAsync($"tokens/{Uri.EscapeDataString(token)}", cancel);
                writer.Say($"{Words.Safe(token)} is revoked.");
                return ExitCode.Well;
            }
        );
    }
}

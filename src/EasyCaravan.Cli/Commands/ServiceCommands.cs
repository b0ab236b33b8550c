using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan service list | try | sign-in | consent-links | find</c></summary>
internal static class ServiceCommands
{
    private static readonly TimeSpan s_look = TimeSpan.FromSeconds(1);

    public static Command Make(CommandHost host)
    {
        var name = new Argument<string>("NAME") { Description = "A service of the plan" };
        var account = new Option<string?>("--account") { Description = "Sign in as this account of a roster" };
        var owner = new Option<string>("--account") { Description = "Whose consent is asked for", Required = true };
        var ofBatch = new Option<string?>("--batch") { Description = "Only for people of this batch" };
        var owners = new Option<string[]>("--account") { Description = "Only for this account, also if it has consented; may be repeated" };
        var address = new Argument<string>("ADDRESS") { Description = "An address or a domain" };
        return new Command("service", "Shows the services of the plan, tries whether they let us in, signs in, and finds settings")
        {
            host.Make("list", "Lists the services with their connections and limits", "caravan service list", [], async (_, c, w, cancel) =>
                List(await c.GetAsync<List<ServiceView>>("services", cancel), w)
            ),
            host.Make(
                "try",
                "Tries every connection step by step; on the new side a test folder is made and deleted again",
                "caravan service try lanternpost --account aoife.marsh@saltmarsh.example",
                [name, account],
                (p, c, w, cancel) => TryAsync(p.GetValue(name)!, p.GetValue(account), c, w, cancel)
            ),
            host.Make(
                "sign-in",
                "Has the owner of an account consent at a service that asks for it",
                "caravan service sign-in lanternpost --account aoife.marsh@saltmarsh.example",
                [name, owner],
                (p, c, w, cancel) => SignInAsync(p.GetValue(name)!, p.GetValue(owner)!, c, w, cancel)
            ),
            host.Make(
                "consent-links",
                "Makes links to send to the owners of accounts whose consent is missing; each is good for seven days",
                "caravan service consent-links lanternpost --batch deckhands --output csv",
                [name, ofBatch, owners],
                (p, c, w, cancel) => LinksAsync(p.GetValue(name)!, p.GetValue(ofBatch), p.GetValue(owners), c, w, cancel)
            ),
            host.Make(
                "find",
                "Finds a service's settings from an address: tries at most three hosts of each record, on the ports of mail",
                "caravan service find aoife.marsh@saltmarsh.example",
                [address],
                (p, c, w, cancel) => FindAsync(p.GetValue(address)!, c, w, cancel)
            ),
        };
    }

    private static string Security(ServiceView service)
    {
        var word = service.Mail is { } mail ? Words.Word(mail.Security) : "";
        return service.Warnings.Count > 0 ? $"[red]{word}[/]" : word;
    }

    private static string MailOf(ServiceView service) =>
        service.Mail is { } mail ? $"{Words.Word(mail.Speaks)} {Words.Safe(mail.Host)}:{mail.Port}"
        : service.Parcels is { } place ? $"parcels in {Words.Safe(place)}"
        : service.MailFiles is { } files ? Words.Safe(files)
        : "";

    private static int List(List<ServiceView> services, Writer writer)
    {
        writer.Rows(
            services,
            "The plan has no services.",
            [
                new("Service", "service", s => Words.Safe(s.Name)),
                new("Mail", "mail", MailOf),
                new("Security", "security", s => Security(s)),
                new("Trust", "trust", s => Words.Safe(s.Trust)),
                new("Rules", "rules", s => Words.Safe(s.Rules ?? "")),
                new("Sign-in", "sign_in", s => Words.Safe(s.SignIn)),
                new("In use", "in_use", s => $"{s.Use.Connections} of {s.Limits.Connections}", Right: true),
            ]
        );
        foreach (var service in services)
        {
            if (service.Use.PausedUntil is { } until)
                writer.Say(
                    $"[yellow]! {Words.Safe(service.Name)} is in trouble:[/] {Words.Safe(service.Use.Trouble ?? "")}. All moves over it "
                        + $"wait until {until.LocalDateTime:HH:mm:ss}, then one tries for all."
                );
            if (service.Use.Pace is { } pace)
                writer.Say($"{Words.Safe(service.Name)}: {Words.Safe(pace)}");
        }
        foreach (var service in services)
        foreach (var warning in service.Warnings)
            writer.Say($"[red]! {Words.Safe(service.Name)}:[/] {Words.Safe(warning)}");
        return ExitCode.Well;
    }

    private static async Task<int> TryAsync(string name, string? account, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var trial = await client.PostAsync<ServiceTrial>(
            $"services/{Uri.EscapeDataString(name)}/try",
            new ServiceTryRequest(account),
            cancel
        );
        writer.Rows(
            trial.Steps,
            "",
            [
                new("", "ok", s => s.Ok ? "[green]✓[/]" : "[red]✗[/]"),
                new("Connection", "connection", s => s.Connection),
                new("Step", "step", s => s.Name),
                new("Result", "result", s => Words.Safe(s.Result)),
                new("Time", "milliseconds", s => $"{s.Milliseconds} ms", Right: true),
            ],
            trial
        );
        foreach (var failed in trial.Steps.Where(s => !s.Ok))
            writer.Say($"[red]{failed.Connection}, {failed.Name}: {Words.Safe(failed.Result)}.[/]\n{Words.Safe(failed.Remedy)}.");
        if (!trial.Ok)
            return ExitCode.Failed;
        writer.Say(account is null ? "[green]The service can be reached.[/] Give --account to try a sign-in." : "[green]All is well.[/]");
        return ExitCode.Well;
    }

    private static async Task<int> SignInAsync(string name, string account, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var begun = await client.PostAsync<ConsentBegun>(
            $"services/{Uri.EscapeDataString(name)}/consent",
            new ConsentRequest(account),
            cancel
        );
        writer.Say(
            begun.UserCode is { } code
                ? $"Have the owner of {Words.Safe(account)} open [bold]{Words.Safe(begun.Where)}[/] and type [bold]{Words.Safe(code)}[/] "
                    + $"before {Words.Time(begun.Ends)}."
                : $"Have the owner of {Words.Safe(account)} open this and consent before {Words.Time(begun.Ends)}:"
        );
        if (begun.UserCode is null)
            writer.Whole(begun.Where);
        while (true)
        {
            var state = await client.GetAsync<ConsentState>($"consents/{begun.Id}", cancel);
            switch (state)
            {
                case { State: ConsentWord.Given }:
                    if (writer.Form is OutputForm.Json)
                        writer.Json(state);
                    writer.Say("[green]Consent was given.[/]");
                    return ExitCode.Well;
                case { Problem: { } problem }:
                    if (writer.Form is OutputForm.Json)
                        writer.Json(state);
                    throw new CommandException(ExitCode.Failed, $"{problem.Whom}: {problem.What}.\n{problem.Remedy}.");
            }
            await Task.Delay(s_look, cancel);
        }
    }

    private static async Task<int> LinksAsync(
        string name,
        string? batch,
        string[]? accounts,
        CaravanClient client,
        Writer writer,
        CancellationToken cancel
    )
    {
        var links = await client.PostAsync<List<ConsentLinkView>>(
            $"services/{Uri.EscapeDataString(name)}/consent-links",
            new ConsentLinksRequest(batch, accounts is { Length: > 0 } ? accounts : null),
            cancel
        );
        if (writer.Form is OutputForm.Table && links.Count > 0)
        {
            // Links are longer than any table's column, and are to be copied whole.
            foreach (var link in links)
            {
                writer.Say($"{Words.Safe(link.Name)} ({Words.Safe(link.Account)}), until {Words.Time(link.Ends)}:");
                writer.Whole(link.Link);
            }
            writer.Say("Send each to its person alone. --output csv writes a list for a letter to many.");
            return ExitCode.Well;
        }
        writer.Rows(
            links,
            $"Everybody has consented at {Words.Safe(name)}.",
            [
                new("Account", "account", l => Words.Safe(l.Account)),
                new("Name", "name", l => Words.Safe(l.Name)),
                new("Link", "link", l => Words.Safe(l.Link)),
                new("Good until", "ends", l => Words.Time(l.Ends)),
            ]
        );
        return ExitCode.Well;
    }

    private static async Task<int> FindAsync(string address, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var found = await client.GetAsync<FoundSettings>($"find?address={Uri.EscapeDataString(address)}", cancel);
        writer.Rows(
            found.Settings,
            $"Nothing was found for {found.Domain}: ask the service for host and port.",
            [
                new("", "verified", s => Verified(s, writer)),
                new("What", "kind", s => s.Kind),
                new("Where", "where", s => Words.Safe(s.Url ?? (s.Host.Length == 0 ? "" : $"{s.Host}:{s.Port} {s.Security}"))),
                new("From", "source", s => Words.Safe(s.Source)),
                new("Result", "result", s => Words.Safe(s.Result)),
            ],
            found
        );
        if (found.Plan is { } plan)
            writer.Say($"In a plan: [bold]{Words.Safe(plan)}[/]");
        return found.Plan is null ? ExitCode.Failed : ExitCode.Well;
    }

    private static string Verified(FoundSettingView setting, Writer writer)
    {
        if (writer.Form is OutputForm.Csv)
            return $"{setting.Verified}";
        return setting.Verified ? "[green]✓[/]" : "[yellow]?[/]";
    }
}

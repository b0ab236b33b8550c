using System.CommandLine;
using EasyCaravan.Cli.Output;
using EasyCaravan.Contract;

namespace EasyCaravan.Cli.Commands;

/// <summary><c>caravan service list | try</c></summary>
internal static class ServiceCommands
{
    public static Command Make(CommandHost host)
    {
        var name = new Argument<string>("NAME") { Description = "A service of the plan" };
        var account = new Option<string?>("--account") { Description = "Sign in as this account of a roster" };
        return new Command("service", "Shows the services of the plan and tries whether they let us in")
        {
            host.Make("list", "Lists the services with their connections and limits", "caravan service list", [], async (_, c, w, cancel) => List(await c.GetAsync<List<ServiceView>>("services", cancel), w)),
            host.Make("try", "Connects, signs in and looks, step by step", "caravan service try lanternpost --account aoife.marsh@saltmarsh.example", [name, account],
                (p, c, w, cancel) => TryAsync(p.GetValue(name)!, p.GetValue(account), c, w, cancel)),
        };
    }

    private static int List(List<ServiceView> services, Writer writer)
    {
        writer.Rows(services, "The plan has no services.",
        [
            new("Service", "service", s => Words.Safe(s.Name)),
            new("Mail", "mail", s => $"{s.Speaks} {Words.Safe(s.Host)}:{s.Port}"),
            new("Security", "security", s => s.Warnings.Count > 0 ? $"[red]{s.Security}[/]" : s.Security),
            new("Trust", "trust", s => Words.Safe(s.Trust)),
            new("Sign-in", "sign_in", s => s.SignIn),
            new("In use", "in_use", s => $"{s.InUse} of {s.Connections}", Right: true),
        ]);
        foreach (var service in services)
            foreach (var warning in service.Warnings) writer.Say($"[red]! {Words.Safe(service.Name)}:[/] {Words.Safe(warning)}");
        return ExitCode.Well;
    }

    private static async Task<int> TryAsync(string name, string? account, CaravanClient client, Writer writer, CancellationToken cancel)
    {
        var trial = await client.PostAsync<ServiceTrial>($"services/{Uri.EscapeDataString(name)}/try", new ServiceTryRequest(account), cancel);
        writer.Rows(trial.Steps, "", [
            new("", "ok", s => s.Ok ? "[green]✓[/]" : "[red]✗[/]"),
            new("Step", "step", s => s.Name),
            new("Result", "result", s => Words.Safe(s.Result)),
            new("Time", "milliseconds", s => $"{s.Milliseconds} ms", Right: true),
        ], trial);
        if (trial.Problem is { } problem)
        {
            writer.Say($"[red]{Words.Safe(problem.Whom)}: {Words.Safe(problem.What)}.[/]\n{Words.Safe(problem.Remedy)}.");
            return ExitCode.Failed;
        }
        writer.Say(account is null ? "[green]The service can be reached.[/] Give --account to try a sign-in." : "[green]All is well.[/]");
        return ExitCode.Well;
    }
}

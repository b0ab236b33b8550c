using System.Diagnostics;
using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Services: what the plan says of them, and whether they let us in.</summary>
internal static class ServiceApi
{
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(60);

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/services", ListAsync).WithSummary("The services of the plan, and how many of their connections are in use");
        api.MapPost("/services/{name}/try", TryAsync).WithSummary("Connects, signs in and looks, step by step");
    }

    public static List<ServiceView> ViewsOf(Plan plan, ServiceSlots slots) => [.. plan.Services.Select(s => ViewOf(s, slots))];

    private static async Task<Results<Ok<List<ServiceView>>, ProblemHttpResult>> ListAsync(CurrentPlan current, ServiceSlots slots, CancellationToken cancel)
    {
        var (plan, _) = await current.GetAsync(cancel);
        return plan is null ? PlanApi.NoPlan() : TypedResults.Ok(ViewsOf(plan, slots));
    }

    private static ServiceView ViewOf(Core.Planning.Service service, ServiceSlots slots)
    {
        var warnings = new List<string>();
        if (service.Mail.Security is Security.None) warnings.Add("Not protected: passwords and mail travel in the clear (security: none).");
        else if (service.Trust is Trust.Anyone) warnings.Add("Certificates are not verified: anyone on the way could pose as this service (trust: none).");
        var trust = service.Trust switch { Trust.Authorities a => a.File, Trust.Anyone => "none", _ => "system" };
        return new ServiceView(
            service.Name, BatchViews.Word(service.Mail.Speaks), service.Mail.Host, service.Mail.Port, service.Mail.Security.ToString().ToLowerInvariant(), BatchViews.Word(service.SignIn), trust,
            slots.InUse(service.Name), service.Limits.Connections, service.Limits.PerAccount, service.Limits.LargestMessage, warnings);
    }

    private static async Task<Results<Ok<ServiceTrial>, ProblemHttpResult>> TryAsync(
        string name, ServiceTryRequest request, CurrentPlan current, Database database, ISecrets secrets, ServiceSlots slots, CancellationToken cancel)
    {
        var (plan, _) = await current.GetAsync(cancel);
        if (plan is null) return PlanApi.NoPlan();
        if (plan.Services.FirstOrDefault(s => s.Name == name) is not { } service)
            return Problems.NotFound($"There is no service '{name}'.", $"The plan has {string.Join(", ", plan.Services.Select(s => s.Name))}");
        Credentials? who = null;
        if (request.Account is { } account)
        {
            who = await FindAsync(plan, service, account, database, secrets, cancel);
            if (who is null) return Problems.NotFound($"No roster gives a password for {account} at {name}.", "Name an account of a roster, and put its secret there");
        }
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_patience);
        return TypedResults.Ok(await RunAsync(service, who, slots, patience.Token));
    }

    private static async Task<ServiceTrial> RunAsync(Core.Planning.Service service, Credentials? who, ServiceSlots slots, CancellationToken cancel)
    {
        var steps = new List<TrialStep>();
        var watch = Stopwatch.StartNew();
        void Note(ConnectStep step)
        {
            steps.Add(new TrialStep(step.Name, true, step.Result, watch.ElapsedMilliseconds));
            watch.Restart();
        }
        try
        {
            if (who is null)
            {
                await using var stream = await ImapConnector.ConnectAsync(service, Note, cancel);
            }
            else
            {
                await using var account = await ImapMailAccount.OpenAsync(service, who, Note, await slots.AcquireAsync(service, cancel), cancel);
                Note(new ConnectStep("capabilities", account.Capabilities));
                var folders = await account.ListFoldersAsync(cancel);
                Note(new ConnectStep("list", $"{folders.Count} folders, {folders.Sum(f => f.Cursor?.Count ?? 0)} messages"));
            }
            return new ServiceTrial(service.Name, who?.Account, true, steps, null);
        }
        catch (FaultException e)
        {
            steps.Add(new TrialStep(NextStep(steps), false, e.Fault.What, watch.ElapsedMilliseconds));
            return new ServiceTrial(service.Name, who?.Account, false, steps, Problems.Of(e.Fault));
        }
    }

    private static string NextStep(List<TrialStep> done) => done.Count switch { 0 => "resolve", 1 => "connect", 2 => "protect", 3 => "sign in", _ => "list" };

    /// <summary>The sign-in of an account, from a move that has it on a side at this service.</summary>
    private static async Task<Credentials?> FindAsync(Plan plan, Core.Planning.Service service, string account, Database database, ISecrets secrets, CancellationToken cancel)
    {
        var batches = plan.Batches.Select(b => (b.Name, Route: plan.Routes.First(r => r.Name == b.Route))).ToList();
        var asFrom = batches.Where(b => b.Route.From == service.Name).Select(b => b.Name).ToList();
        var asTo = batches.Where(b => b.Route.To == service.Name).Select(b => b.Name).ToList();
        await using var db = database.Read();
        var from = await db.Moves.FirstOrDefaultAsync(m => asFrom.Contains(m.Batch) && m.FromAccount == account, cancel);
        if (from?.FromSecret is { } fromSecret) return new Credentials(account, from.FromLogin, secrets.Open(fromSecret));
        var to = await db.Moves.FirstOrDefaultAsync(m => asTo.Contains(m.Batch) && m.ToAccount == account, cancel);
        return to?.ToSecret is { } toSecret ? new Credentials(account, to.ToLogin, secrets.Open(toSecret)) : null;
    }
}

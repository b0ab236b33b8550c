using EasyCaravan.Contract;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Discovery;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Services: their settings in the plan, whether signing in works, and which settings a mail domain publishes.</summary>
internal static class ServiceApi
{
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/services", ListAsync).WithSummary("The services of the plan, and how many of their connections are in use");
        api.MapPost("/services/{name}/try", TryAsync)
            .WithSummary("Tries every connection, step by step; on the new side a test folder is made and deleted again");
        api.MapGet("/find", DiscoverAsync)
            .WithSummary("Finds a service's settings from an address: SRV records, well-known places, common names");
    }

    public static async Task<List<ServiceView>> ViewsOfAsync(
        CaravanDb db,
        Plan plan,
        ServiceSlots slots,
        ServiceThrottle throttle,
        CancellationToken cancel
    )
    {
        var waiting = await db
            .Moves.Where(m => m.Condition == Core.Carrying.ConditionKind.Waiting && m.Fault != null)
            .GroupBy(m => m.Fault!.Whom)
            .Select(g => new
            {
                Whom = g.Key,
                Moves = g.Count(),
                What = g.Max(m => m.Fault!.What),
            })
            .ToDictionaryAsync(g => g.Whom, cancel);
        // An errand's folder of parcels is shown with its parcels.
        var errands = await db.Errands.Select(e => e.Name).ToHashSetAsync(cancel);
        return
        [
            .. plan
                .Services.Where(s => !errands.Contains(s.Name))
                .Select(s =>
                    ViewOf(s, slots, throttle, waiting.GetValueOrDefault(s.Name)?.Moves ?? 0, waiting.GetValueOrDefault(s.Name)?.What)
                ),
        ];
    }

    public static (Core.Planning.Service? Service, ProblemHttpResult? Problem) Find(Plan? plan, string name)
    {
        if (plan is null)
            return (null, PlanApi.NoPlan());
        return plan.Services.FirstOrDefault(s => s.Name == name) is { } service
            ? (service, null)
            : (
                null,
                Problems.NotFound($"There is no service '{name}'.", $"The plan has {string.Join(", ", plan.Services.Select(s => s.Name))}")
            );
    }

    private static async Task<Results<Ok<List<ServiceView>>, ProblemHttpResult>> ListAsync(
        CurrentPlan current,
        Database database,
        ServiceSlots slots,
        ServiceThrottle throttle,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        await using var db = database.Read();
        return plan is null ? PlanApi.NoPlan() : TypedResults.Ok(await ViewsOfAsync(db, plan, slots, throttle, cancel));
    }

    private static ServiceView ViewOf(
        Core.Planning.Service service,
        ServiceSlots slots,
        ServiceThrottle throttle,
        int waiting,
        string? trouble
    )
    {
        var pause = throttle.PauseOf(service.Name);
        var warnings = new List<string>();
        var open = new List<string>();
        if (service.Mail?.Security is Security.None)
            open.Add("mail");
        if (service.Contacts?.IsUnprotected is true)
            open.Add("contacts");
        if (service.Calendars?.IsUnprotected is true)
            open.Add("calendars");
        if (open.Count > 0)
            warnings.Add($"Not protected: passwords and {string.Join(", ", open)} travel in the clear (security: none).");
        else if (service.Trust is Trust.Anyone)
            warnings.Add("Certificates are not verified: anyone on the way could pose as this service (trust: none).");
        var trust = service.Trust switch
        {
            Trust.Authorities a => a.File,
            Trust.Anyone => "none",
            _ => "system",
        };
        var (signIn, consent) = service.SignIn switch
        {
            SignIn.Password => (service.IsAtRest ? "none" : "password", null),
            SignIn.OnBehalf onBehalf => ($"on-behalf ({onBehalf.Admin})", null),
            SignIn.OAuth { Grant: OAuthGrant.DeviceCode or OAuthGrant.AuthorizationCode } oauth => (
                $"oauth ({KebabWord.Of(oauth.Grant)})",
                KebabWord.Of(oauth.Grant)
            ),
            SignIn.OAuth oauth => ($"oauth ({KebabWord.Of(oauth.Grant)})", null),
            _ => throw new InvalidOperationException($"Unknown sign-in {service.SignIn}."),
        };
        return new ServiceView(
            service.Name,
            service.Mail is { } mail
                ? new MailConnectionView(ContractWord.To<MailProtocolWord>(mail.Speaks), mail.Host, mail.Port, WordOf(mail.Security))
                : null,
            PlaceOf(service.Contacts),
            PlaceOf(service.Calendars),
            signIn,
            consent,
            trust,
            service.Rules is { } rules ? $"managesieve {rules.Host}:{rules.Port}" : null,
            new ServiceLimitsView(
                service.Limits.Connections,
                service.Limits.PerAccount,
                service.Limits.LargestMessage?.Count,
                service.Limits.BytesPerDay?.Count
            ),
            new ServiceUseView(
                slots.InUse(service.Name),
                waiting,
                pause?.Fault.What ?? trouble,
                pause?.Until.ToDateTimeOffset(),
                PaceText(service, slots, throttle)
            ),
            warnings,
            [.. service.Help.Select(h => new HelpView(h.Says, h.Remedy))],
            service.Parcels?.Folder,
            service.MailFiles is { } old ? $"{KebabWord.Of(old.Speaks)} {old.Pattern}" : null
        );
    }

    private static string? PlaceOf(CollectionConnection? connection) =>
        connection switch
        {
            CollectionConnection.Dav dav => dav.Url.ToString(),
            CollectionConnection.Files files => $"{KebabWord.Of(files.Speaks)} {files.Pattern}",
            _ => null,
        };

    private static SecurityWord WordOf(Security security) =>
        security switch
        {
            Security.Tls => SecurityWord.Tls,
            Security.StartTls => SecurityWord.Starttls,
            Security.None => SecurityWord.None,
        };

    /// <summary>What limits its use, by the plan or because the service asked for less; null: nothing does.</summary>
    private static string? PaceText(Core.Planning.Service service, ServiceSlots slots, ServiceThrottle throttle)
    {
        var limits = service.Limits;
        var words = new List<string>();
        if (limits.MessagesPerSecond is { } messages)
            words.Add($"at most {messages:0.##} messages/s");
        if (limits.BytesPerSecond is { } octets)
            words.Add($"at most {octets}/s");
        if (limits.MessagesPerSecondPerAccount is { } own)
            words.Add($"{own:0.##} messages/s an account");
        if (limits.BytesPerSecondPerAccount is { } ownOctets)
            words.Add($"{ownOctets}/s an account");
        if (throttle.RateLimiterOf(service).SlowedTo is { } slowed)
            words.Add($"asked for less: slowed to {slowed:0.#} messages/s, faster again by and by");
        if (slots.Withheld(service.Name) is > 0 and var withheld)
            words.Add($"found the connections too many: {withheld} fewer for a minute");
        return words.Count == 0 ? null : char.ToUpperInvariant(words[0][0]) + string.Join("; ", words)[1..];
    }

    private static async Task<Results<Ok<ServiceTrial>, ProblemHttpResult>> TryAsync(
        string name,
        ServiceTryRequest request,
        CurrentPlan current,
        Database database,
        AccountAccess access,
        ServiceTrials trials,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        var (service, problem) = Find(plan, name);
        if (problem is not null)
            return problem;
        if (request.Account is not { } account)
            return TypedResults.Ok(await trials.RunAsync(service!, null, false, cancel));
        try
        {
            if (await FindAsync(plan!, service!, account, database, access, cancel) is not { } found)
                return Problems.NotFound(
                    $"No roster has {account} at {name}.",
                    "Name an account of a roster, on the side where it is at this service"
                );
            return TypedResults.Ok(await trials.RunAsync(service!, found.Who, found.IsTo, cancel));
        }
        catch (FaultException e)
        {
            // Without a secret only the steps that need none can be tried; the reason is shown first.
            var open = await trials.RunAsync(service!, null, false, cancel);
            var fault = e.Fault.Advised(service!.Help);
            return TypedResults.Ok(
                open with
                {
                    Account = account,
                    Ok = false,
                    Problem = Problems.Of(fault),
                    Steps = [.. open.Steps, new TrialStep("mail", "sign in", false, fault.What, 0, fault.Remedy)],
                }
            );
        }
    }

    /// <summary>The credentials of an account, from a move that has this account at this service.</summary>
    private static async Task<(Credentials Who, bool IsTo)?> FindAsync(
        Plan plan,
        Core.Planning.Service service,
        string account,
        Database database,
        AccountAccess access,
        CancellationToken cancel
    )
    {
        var batches = plan.Batches.Select(b => (b.Name, Route: plan.Routes.First(r => r.Name == b.Route))).ToList();
        var asFrom = batches.Where(b => b.Route.From == service.Name).Select(b => b.Name).ToList();
        var asTo = batches.Where(b => b.Route.To == service.Name).Select(b => b.Name).ToList();
        await using var db = database.Read();
        if (await db.Moves.FirstOrDefaultAsync(m => asFrom.Contains(m.Batch) && m.FromAccount == account, cancel) is { } from)
            return (await access.FromAsync(MoveStates.PersonOf(from), service, service.SignInKind, cancel), false);
        if (await db.Moves.FirstOrDefaultAsync(m => asTo.Contains(m.Batch) && m.ToAccount == account, cancel) is not { } to)
            return null;
        var rules = await Decisions.RulesOfAsync(db, plan, to, cancel);
        return (await access.ToAsync(MoveStates.PersonOf(to), service, rules.Root, cancel), true);
    }

    private static async Task<Results<Ok<FoundSettings>, ProblemHttpResult>> DiscoverAsync(
        string address,
        INameServers names,
        CurrentPlan current,
        CancellationToken cancel
    )
    {
        var domain = address[(address.LastIndexOf('@') + 1)..].Trim();
        if (Uri.CheckHostName(domain) is not UriHostNameType.Dns || !domain.Contains('.', StringComparison.Ordinal))
            return Problems.Invalid($"'{address}' is not an address.", "Give one such as aoife.marsh@saltmarsh.example, or a domain");
        var reach = new ReachRule(((await current.GetAsync(cancel)).Plan?.Hosts ?? []).ToHashSet());
        var found = await new ServiceFinder(names, new Trust.System(), reach).FindAsync(domain, cancel);
        var best = found.FirstOrDefault(f => f is { Kind: "imap", Verified: true });
        var plan = best is null ? null : $"mail: {{speaks: imap, host: {best.Host}, port: {best.Port}, security: {best.Security}}}";
        return TypedResults.Ok(
            new FoundSettings(
                domain,
                [.. found.Select(f => new FoundSettingView(f.Kind, f.Host, f.Port, f.Security, f.Url, f.Source, f.Verified, f.Result))],
                plan
            )
        );
    }
}

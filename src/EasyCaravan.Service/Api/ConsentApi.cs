using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>Signing in at a service that wants a person's consent: with a code on another device, or in the browser.</summary>
internal static class ConsentApi
{
    public const string Callback = "/api/v1/consent/callback";

    private const string Of = "/api/v1/consent/of/";

    /// <summary>The most links that are made at once.</summary>
    private const int MostLinks = 10_000;

    public static void Map(RouteGroupBuilder open, RouteGroupBuilder api)
    {
        api.MapPost("/services/{name}/consent", BeginAsync)
            .WithSummary("Begins a consent: gives the address, and a code where one is typed, at which the account's owner consents");
        api.MapGet("/consents/{id}", StateAsync).WithSummary("How a consent that was begun stands");
        api.MapPost("/services/{name}/consent-links", LinksAsync)
            .WithSummary("Makes links to send to owners of accounts, who consent in their own browser; each is good for seven days");
        open.MapGet("/consent/of/{link}", OpenAsync).ExcludeFromDescription();
        // The browser comes from another site, so without the session; the state that it brings is the secret.
        open.MapGet("/consent/callback", CallbackAsync).ExcludeFromDescription();
    }

    private static async Task<Results<Ok<ConsentBegun>, ProblemHttpResult>> BeginAsync(
        string name,
        ConsentRequest request,
        CurrentPlan current,
        PendingConsents pending,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        var (service, problem) = ServiceApi.Find(plan, name);
        if (problem is not null)
            return problem;
        return await TryBeginAsync(service!, request.Account, context.User.Identity!.Name!, null, pending, context, cancel) is { } begun
            ? TypedResults.Ok(begun)
            : NotInPerson(name);
    }

    /// <param name="link">The link that the owner opened; null: it is begun in the console or by the client.</param>
    /// <returns>Null: nobody signs in at the service in person.</returns>
    private static async Task<ConsentBegun?> TryBeginAsync(
        Core.Planning.Service service,
        string account,
        string who,
        ConsentLink? link,
        PendingConsents pending,
        HttpContext context,
        CancellationToken cancel
    )
    {
        switch ((service.SignIn as SignIn.OAuth)?.Grant)
        {
            case OAuthGrant.DeviceCode:
                var (deviceId, device) = await pending.BeginDeviceAsync(service, account, who, link, cancel);
                return new ConsentBegun(deviceId, device.Device!.Where.ToString(), device.Device.UserCode, device.Ends);
            case OAuthGrant.AuthorizationCode:
                var redirect = At(context, Callback);
                var (id, begun) = pending.BeginCode(service, account, who, redirect, link);
                var where = AccessTokens.AuthorizeUrl(service, account, redirect, id, begun.Verifier);
                return new ConsentBegun(id, where.ToString(), null, begun.Ends);
            default:
                return null;
        }
    }

    private static ProblemHttpResult NotInPerson(string name) =>
        Problems.Refused(
            $"Nobody signs in at {name} in person.",
            "Only services whose sign-in has the grant device-code or authorization-code ask for it"
        );

    private static async Task<Results<Ok<ConsentState>, ProblemHttpResult>> StateAsync(
        string id,
        PendingConsents pending,
        CancellationToken cancel
    ) =>
        await pending.StateAsync(id, cancel) is { } state
            ? TypedResults.Ok(state)
            : Problems.NotFound("No such consent is under way.", "Begin it again");

    /// <summary>An address of ours as others reach it.</summary>
    private static Uri At(HttpContext context, string path) =>
        context.RequestServices.GetRequiredService<CaravanOptions>().PublicUrl is { } known
            ? new Uri(known, path)
            : new Uri($"{context.Request.Scheme}://{context.Request.Host}{path}");

    private static async Task<Results<Ok<List<ConsentLinkView>>, ProblemHttpResult>> LinksAsync(
        string name,
        ConsentLinksRequest request,
        CurrentPlan current,
        Database database,
        Consents consents,
        ConsentLinks links,
        Journal journal,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (plan, _) = await current.GetAsync(cancel);
        var (service, problem) = ServiceApi.Find(plan, name);
        if (problem is not null)
            return problem;
        if (service!.SignIn is not SignIn.OAuth { Grant: OAuthGrant.DeviceCode or OAuthGrant.AuthorizationCode })
            return NotInPerson(name);
        if (request.Batch is { } batch && plan!.Batches.All(b => b.Name != batch))
            return BatchApi.NoBatch(batch);
        var wanted = request.Accounts?.ToHashSet();
        var owners = await OwnersAsync(database, plan!, name, request.Batch, cancel);
        if (wanted?.FirstOrDefault(a => !owners.ContainsKey(a)) is { } unknown)
            return Problems.NotFound($"Nobody moves with the account {unknown} at {name}.", "Name accounts of the roster");
        var given = await consents.GivenAsync(name, cancel);
        var asked = owners.Where(o => wanted?.Contains(o.Key) ?? (!given.Contains(o.Key) || o.Value.IsStopped)).ToList();
        if (asked.Count > MostLinks)
            return Problems.Invalid($"{asked.Count} links are more than the {MostLinks} that are made at once.", "Name a batch");
        var who = context.User.Identity!.Name!;
        var made = new List<ConsentLinkView>(asked.Count);
        foreach (var (account, owner) in asked)
        {
            var (text, link) = links.Make(name, account, owner.Language ?? plan!.Notices?.Language ?? "en", who);
            made.Add(new ConsentLinkView(account, owner.Name, At(context, Of + text).ToString(), link.Ends));
        }
        if (made.Count > 0)
            await journal.WriteAsync(who, request.Batch, null, $"made {made.Count} links of consent at {name}", cancel);
        return TypedResults.Ok(made);
    }

    /// <param name="IsStopped">A move met that the consent is missing or was taken back.</param>
    private sealed record Owner(string Account, string Name, string? Language, bool IsStopped);

    /// <summary>Who moves with an account at the service, by account.</summary>
    private static async Task<Dictionary<string, Owner>> OwnersAsync(
        Database database,
        Plan plan,
        string service,
        string? batch,
        CancellationToken cancel
    )
    {
        var owners = new Dictionary<string, Owner>();
        await using var db = database.Read();
        foreach (var route in plan.Routes.Where(r => r.From == service || r.To == service))
        {
            var isFrom = route.From == service;
            var batches = plan.Batches.Where(b => b.Route == route.Name && b.Name == (batch ?? b.Name)).Select(b => b.Name).ToList();
            var found = db
                .Moves.Where(m => batches.Contains(m.Batch) && m.Stage != Stage.Withdrawn)
                .OrderBy(m => m.Id)
                .Select(m => new Owner(
                    isFrom ? m.FromAccount : m.ToAccount,
                    m.Name,
                    m.Language,
                    (m.Fault!.Service == service && m.Fault.Cause == Cause.ConsentMissing)
                        || m.Legs.Any(l => l.Fault!.Service == service && l.Fault.Cause == Cause.ConsentMissing)
                ));
            await foreach (var owner in found.AsAsyncEnumerable().WithCancellation(cancel))
                if (owner.IsStopped || !owners.ContainsKey(owner.Account))
                    owners[owner.Account] = owner;
        }
        return owners;
    }

    /// <summary>
    /// The owner of an account opened a link. Programs that look at letters may open it too: nothing but a talk is begun.
    /// </summary>
    private static async Task<IResult> OpenAsync(
        string link,
        CurrentPlan current,
        ConsentLinks links,
        Consents consents,
        PendingConsents pending,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (links.Open(link) is not { } opened)
            return ConsentPage.Over(context);
        var (account, language) = (opened.Account, opened.Language);
        if (await consents.GivenAtAsync(opened.Service, account, cancel) >= opened.Made)
            return ConsentPage.Given(context, account, opened.Service, language);
        if ((await current.GetAsync(cancel)).Plan?.Services.FirstOrDefault(s => s.Name == opened.Service) is not { } service)
            return ConsentPage.Over(context);
        try
        {
            if (await TryBeginAsync(service, account, opened.Who, opened, pending, context, cancel) is not { } begun)
                return ConsentPage.Over(context);
            if (begun.UserCode is not { } code)
                return Results.Redirect(begun.Where);
            _ = pending.FollowAsync(begun.Id);
            return ConsentPage.Code(context, new Uri(begun.Where), code, account, language);
        }
        catch (FaultException)
        {
            return ConsentPage.Refused(context, account, opened.Service, language);
        }
    }

    private static async Task<IResult> CallbackAsync(
        PendingConsents pending,
        HttpContext context,
        CancellationToken cancel,
        string? state = null,
        string? code = null,
        string? error = null
    )
    {
        if (state is null || await pending.CallbackAsync(state, code, error, cancel) is not { } ended)
            return ConsentPage.Unknown(context);
        if (ended.Pending.Link is { } link)
            return ended.State.State is ConsentWord.Given
                ? ConsentPage.Given(context, link.Account, link.Service, link.Language)
                : ConsentPage.Refused(context, link.Account, link.Service, link.Language);
        return Results.Redirect(
            $"/services?consent={KebabWord.Of(ended.State.State)}&account={Uri.EscapeDataString(ended.Pending.Account)}"
                + $"&at={Uri.EscapeDataString(ended.Pending.Service.Name)}"
        );
    }
}

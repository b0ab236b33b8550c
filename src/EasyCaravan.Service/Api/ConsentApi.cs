using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.SignIn;
using EasyCaravan.Service.Access;
using EasyCaravan.Service.Workers;
using Microsoft.AspNetCore.Http.HttpResults;

namespace EasyCaravan.Service.Api;

/// <summary>Signing in at a service that wants a person's consent: with a code on another device, or in the browser.</summary>
internal static class ConsentApi
{
    public const string Callback = "/api/v1/consent/callback";

    public static void Map(RouteGroupBuilder open, RouteGroupBuilder api)
    {
        api.MapPost("/services/{name}/consent", BeginAsync)
            .WithSummary("Begins a consent: gives the address, and a code where one is typed, at which the account's owner consents");
        api.MapGet("/consents/{id}", StateAsync).WithSummary("How a consent that was begun stands");
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
        var who = context.User.Identity!.Name!;
        switch ((service!.SignIn as SignIn.OAuth)?.Grant)
        {
            case OAuthGrant.DeviceCode:
                var (deviceId, device) = await pending.BeginDeviceAsync(service, request.Account, who, cancel);
                return TypedResults.Ok(new ConsentBegun(deviceId, device.Device!.Where.ToString(), device.Device.UserCode, device.Ends));
            case OAuthGrant.AuthorizationCode:
                var redirect = new Uri($"{context.Request.Scheme}://{context.Request.Host}{Callback}");
                var (id, begun) = pending.BeginCode(service, request.Account, who, redirect);
                return TypedResults.Ok(
                    new ConsentBegun(
                        id,
                        AccessTokens.AuthorizeUrl(service, request.Account, redirect, id, begun.Verifier).ToString(),
                        null,
                        begun.Ends
                    )
                );
            default:
                return Problems.Refused(
                    $"Nobody signs in at {name} in person.",
                    "Only services whose sign-in has the grant device-code or authorization-code ask for it"
                );
        }
    }

    private static async Task<Results<Ok<ConsentState>, ProblemHttpResult>> StateAsync(
        string id,
        PendingConsents pending,
        CancellationToken cancel
    ) =>
        await pending.StateAsync(id, cancel) is { } state
            ? TypedResults.Ok(state)
            : Problems.NotFound("No such consent is under way.", "Begin it again");

    private static async Task<IResult> CallbackAsync(
        PendingConsents pending,
        CancellationToken cancel,
        string? state = null,
        string? code = null,
        string? error = null
    )
    {
        if (state is null || await pending.CallbackAsync(state, code, error, cancel) is not { } ended)
            return Problems.NotFound("No such consent is under way.", "Begin it again in the console");
        return Results.Redirect(
            $"/services?consent={KebabWord.Of(ended.State.State)}&account={Uri.EscapeDataString(ended.Pending.Account)}"
                + $"&at={Uri.EscapeDataString(ended.Pending.Service.Name)}"
        );
    }
}

using EasyCaravan.Contract;
using EasyCaravan.Service.Hosting;
using EasyCaravan.Service.Live;
using EasyCaravan.Service.Workers;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Mvc;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Service.Api;

/// <summary>New logins and secrets for accounts, sealed at once; whoever was stopped for want of them goes on.</summary>
internal static class SecretApi
{
    private const int Most = 10_000;

    /// <summary>Longer than any password or token.</summary>
    private const int Longest = 16_384;

    public static void Map(RouteGroupBuilder api) =>
        api.MapPost("/batches/{batch}/secrets", SetAsync)
            .WithMetadata(new RequestSizeLimitAttribute(BodyLimits.Plan))
            .WithSummary("Sets logins and secrets of accounts: all of them or none. Moves that were stopped for want of them go on");

    private static async Task<Results<Ok<SecretsSet>, ProblemHttpResult>> SetAsync(
        string batch,
        SecretsRequest request,
        Database database,
        SetSecrets secrets,
        CurrentPlan current,
        ServiceThrottle throttle,
        WorkSignal signal,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if ((await current.GetAsync(cancel)).Plan is not { } plan || plan.Batches.FirstOrDefault(b => b.Name == batch) is not { } planned)
            return BatchApi.NoBatch(batch);
        if (request.Secrets.Count is 0 or > Most)
            return Problems.Invalid($"Between 1 and {Most} secrets can be set at once.", "Give one for each account");
        // Texts of secrets are never repeated in an answer: only whose they are.
        foreach (var given in request.Secrets)
            if (WrongWith(given) is { } wrong)
                return Problems.Invalid($"The secret of '{given.Who}' {wrong}.", "Give a secret, a login, or both; nothing was set");
        var (found, problem) = await Selection.ResolveAsync(database, batch, [.. request.Secrets.Select(s => s.Who)], cancel);
        if (found is not { } moves)
            return problem!;
        if (moves.Distinct().Count() < moves.Count)
            return Problems.Invalid("Somebody is named twice.", "Give one secret for each account; nothing was set");
        var route = plan.Routes.First(r => r.Name == planned.Route);
        var isFrom = request.Side is SideWord.From;
        var goesOn = await secrets.SetAsync(
            batch,
            isFrom,
            isFrom ? route.From : route.To,
            [.. request.Secrets.Zip(moves, (given, move) => new NewSecret(move, given.Login, given.Secret))],
            planned.Timetable,
            context.User.Identity!.Name!,
            cancel
        );
        if (goesOn.Count > 0)
            throttle.Forget();
        signal.Raise();
        foreach (var move in moves)
            live.Touch(move);
        await using var db = database.Read();
        return TypedResults.Ok(
            new SecretsSet(
                moves.Count,
                await db.Moves.Where(m => goesOn.Contains(m.Id)).OrderBy(m => m.Id).Select(m => m.FromAccount).ToListAsync(cancel)
            )
        );
    }

    private static string? WrongWith(SecretGiven given) =>
        given is { Secret: null, Login: null } ? "is missing"
        : given.Secret is "" or { Length: > Longest } || given.Login is "" or { Length: > Longest } ? "or the login is empty or too long"
        : (given.Secret + given.Login).AsSpan().ContainsAny('\0', '\r', '\n') ? "or the login holds a line end, which no service takes"
        : null;
}

using System.Text.RegularExpressions;
using EasyCaravan.Contract;
using EasyCaravan.Service.Live;
using EasyCaravan.Store;
using Microsoft.AspNetCore.Http.HttpResults;

namespace EasyCaravan.Service.Api;

/// <summary>Access tokens: made, listed and revoked.</summary>
internal static partial class TokenApi
{
    private const int LongestLife = 3650;

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/tokens", ListAsync).WithSummary("The access tokens that were made, the newest first, without the tokens themselves");
        api.MapPost("/tokens", CreateAsync).WithSummary("Makes an access token, which is shown this once");
        api.MapDelete("/tokens/{token}", RevokeAsync)
            .WithSummary("Revokes the token of this name: it and the sessions begun with it end at once");
    }

    private static async Task<Ok<List<TokenView>>> ListAsync(
        Tokens tokens,
        TimeProvider time,
        HttpContext context,
        CancellationToken cancel
    )
    {
        var (mine, now) = (context.User.Identity!.Name!, time.GetUtcNow());
        return TypedResults.Ok((await tokens.ListAsync(cancel)).ConvertAll(t => ViewOf(t, mine, now)));
    }

    private static TokenView ViewOf(KeptToken kept, string mine, DateTimeOffset now)
    {
        var row = kept.Row;
        var isGood = row.RevokedAt is null && !(At(row.EndsAt) <= now);
        return new TokenView(
            row.Name,
            DateTimeOffset.FromUnixTimeMilliseconds(row.CreatedAt),
            row.CreatedBy,
            At(row.EndsAt),
            At(row.UsedAt / 60_000 * 60_000),
            At(row.RevokedAt),
            isGood,
            isGood && row.Name == mine,
            isGood ? kept.Sessions : 0
        );
    }

    private static DateTimeOffset? At(long? time) => time is { } at ? DateTimeOffset.FromUnixTimeMilliseconds(at) : null;

    private static async Task<Results<Ok<TokenMade>, ProblemHttpResult>> CreateAsync(
        TokenRequest request,
        Tokens tokens,
        TimeProvider time,
        HttpContext context,
        CancellationToken cancel
    )
    {
        if (!Name().IsMatch(request.Name))
            return Problems.Invalid(
                "This is no name for a token.",
                "Give 1 to 60 letters, digits, dots, hyphens and underscores, such as nightly-report"
            );
        if (request.Days is < 1 or > LongestLife)
            return Problems.Invalid(
                $"A token cannot be good for {request.Days} days.",
                $"Give 1 to {LongestLife} days, or none for a token without an end"
            );
        var ends = request.Days is { } days ? time.GetUtcNow().AddDays(days) : (DateTimeOffset?)null;
        return await tokens.CreateAsync(request.Name, context.User.Identity!.Name!, ends, cancel) is { } token
            ? TypedResults.Ok(new TokenMade(request.Name, token, ends))
            : Problems.Refused(
                $"There is a token named {request.Name} already.",
                "Take another name, so that the journal can tell them apart, or revoke that one first"
            );
    }

    private static async Task<Results<NoContent, ProblemHttpResult>> RevokeAsync(
        string token,
        Tokens tokens,
        LiveHub live,
        HttpContext context,
        CancellationToken cancel
    )
    {
        switch (await tokens.RevokeAsync(token, context.User.Identity!.Name!, cancel))
        {
            case Revocation.NoSuchToken:
                return Problems.NotFound("There is no token of this name that is good.", "See the list of tokens");
            case Revocation.LastOne:
                return Problems.Refused(
                    "This is the last token that is good: without it nobody could sign in.",
                    "Make another first, see that it works, then revoke this one"
                );
            default:
                live.Recheck();
                return TypedResults.NoContent();
        }
    }

    [GeneratedRegex(@"\A[A-Za-z0-9._-]{1,60}\z")]
    private static partial Regex Name();
}

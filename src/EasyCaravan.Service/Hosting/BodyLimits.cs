using EasyCaravan.Service.Api;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.Metadata;

namespace EasyCaravan.Service.Hosting;

/// <summary>How much a request may bring: little before anybody has signed in, and after that as much as its route needs.</summary>
internal static class BodyLimits
{
    /// <summary>Octets before sign-in: a token has some 70.</summary>
    public const long BeforeSignIn = 4096;

    /// <summary>Octets where a route says nothing else: a list of 50,000 accounts fits.</summary>
    public const long Usual = 8 * 1024 * 1024;

    /// <summary>Octets of a plan with the rosters of 50,000 people, and more.</summary>
    public const long Plan = 128 * 1024 * 1024;

    public static async Task RunAsync(HttpContext context, RequestDelegate next)
    {
        var isSignedIn = context.User.Identity is { IsAuthenticated: true };
        var most = isSignedIn
            ? context.GetEndpoint()?.Metadata.GetMetadata<IRequestSizeLimitMetadata>()?.MaxRequestBodySize ?? Usual
            : BeforeSignIn;
        // Where a sign-in is needed and missing, that is what its caller has to know; the body is not read.
        var isRefused = !isSignedIn && context.GetEndpoint()?.Metadata.GetMetadata<IAuthorizeData>() is not null;
        if (context.Request.ContentLength > most && !isRefused)
        {
            await TooLarge(context, most).ExecuteAsync(context);
            return;
        }
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
            limit.MaxRequestBodySize = most;
        await next(context);
    }

    /// <summary>A body whose length was not told turned out too long.</summary>
    public static IResult TooLarge(HttpContext context) =>
        TooLarge(context, context.Features.Get<IHttpMaxRequestBodySizeFeature>()?.MaxRequestBodySize ?? Usual);

    private static IResult TooLarge(HttpContext context, long most)
    {
        // The rest is not read only to be thrown away.
        context.Response.Headers.Connection = "close";
        return Problems.TooLarge(
            $"At most {most:N0} octets are taken here.",
            context.User.Identity is { IsAuthenticated: true }
                ? "Send less at once: a roster as several batches, a file in pieces, a long list in several calls"
                : "Send a token with the request: more is taken from those who have signed in"
        );
    }
}

using System.Security.Cryptography;

namespace EasyCaravan.Service.Access;

/// <summary>
/// What browsers are told about our pages: nothing from elsewhere, nothing inline without this answer's nonce, no frames.
/// </summary>
internal static class PageSecurity
{
    private const string NonceKey = "csp-nonce";

    public static string NonceOf(HttpContext context)
    {
        if (context.Items[NonceKey] is string known)
            return known;
        var nonce = Convert.ToBase64String(RandomNumberGenerator.GetBytes(16));
        context.Items[NonceKey] = nonce;
        return nonce;
    }

    public static Task AddHeadersAsync(HttpContext context, RequestDelegate next)
    {
        // Only now: an answer that tells an error begins anew, without the headers that were there.
        context.Response.OnStarting(() =>
        {
            var headers = context.Response.Headers;
            headers.ContentSecurityPolicy =
                $"default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{NonceOf(context)}'; font-src 'self'; "
                + "img-src 'self' data:; connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'";
            headers.XContentTypeOptions = "nosniff";
            headers["Referrer-Policy"] = "no-referrer";
            headers["Cross-Origin-Opener-Policy"] = "same-origin";
            if (context.Request.Path.StartsWithSegments("/api") && headers.CacheControl.Count == 0)
                headers.CacheControl = "no-store";
            return Task.CompletedTask;
        });
        return next(context);
    }
}

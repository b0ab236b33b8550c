using EasyCaravan.Service.Access;

namespace EasyCaravan.Service.WebConsole;

/// <summary>Serves the web console: its files as built, and its one page for every address that is not the API's.</summary>
internal static class ConsolePages
{
    private const string NoncePlace = "__NONCE__";

    /// <summary>Before routing: the page answers every address that is not a file's.</summary>
    public static void UseFiles(WebApplication app) =>
        app.UseStaticFiles(
            new StaticFileOptions
            {
                OnPrepareResponse = file =>
                {
                    // Built files carry a digest in their names, so they never change.
                    if (file.Context.Request.Path.StartsWithSegments("/assets"))
                        file.Context.Response.Headers.CacheControl = "public, max-age=31536000, immutable";
                },
            }
        );

    public static void Map(WebApplication app)
    {
        app.MapFallback("/assets/{**file}", () => TypedResults.NotFound()).ExcludeFromDescription();
        // Account names in paths contain dots, so a dot does not mean that a file is requested.
        app.MapFallback("{**path}", PageAsync).ExcludeFromDescription();
    }

    private static async Task<IResult> PageAsync(HttpContext context, IWebHostEnvironment environment, CancellationToken cancel)
    {
        var page = environment.WebRootFileProvider.GetFileInfo("index.html");
        if (!page.Exists)
            return TypedResults.Text(
                "The console is not built. Run ./caravan at the root, which builds what is missing.",
                statusCode: StatusCodes.Status404NotFound
            );
        using var reader = new StreamReader(page.CreateReadStream());
        var html = (await reader.ReadToEndAsync(cancel)).Replace(NoncePlace, PageSecurity.NonceOf(context), StringComparison.Ordinal);
        context.Response.Headers.CacheControl = "no-store";
        return TypedResults.Text(html, "text/html; charset=utf-8");
    }
}

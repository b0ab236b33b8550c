using System.Net;
using EasyCaravan.Core.Formats;

namespace EasyCaravan.Service.Access;

/// <summary>The one page that owners of accounts see of us, in their language: what became of the link that they opened.</summary>
internal static class ConsentPage
{
    public static IResult Given(HttpContext context, string account, string service, string language) =>
        Answer(
            context,
            language,
            language switch
            {
                "de" => (
                    "Danke.",
                    $"Sie haben zugestimmt: {account} bei {service} kann umgezogen werden. Sie können dieses Fenster schließen."
                ),
                "fr" => (
                    "Merci.",
                    $"Vous avez donné votre accord : {account} chez {service} peut être transféré. Vous pouvez fermer cette fenêtre."
                ),
                _ => ("Thank you.", $"You have consented: {account} at {service} can be moved. You may close this window."),
            }
        );

    public static IResult Refused(HttpContext context, string account, string service, string language) =>
        Answer(
            context,
            language,
            language switch
            {
                "de" => (
                    "Es fehlt noch die Zustimmung.",
                    $"{service} hat sie für {account} nicht gemeldet. Öffnen Sie den Link noch einmal."
                ),
                "fr" => ("L'accord manque encore.", $"{service} ne l'a pas confirmé pour {account}. Ouvrez le lien encore une fois."),
                _ => ("Your consent is still missing.", $"{service} did not report it for {account}. Open the link once more."),
            }
        );

    /// <summary>A code to be typed at the service's own page (RFC 8628 §3.3).</summary>
    public static IResult Code(HttpContext context, Uri where, string code, string account, string language) =>
        Answer(
            context,
            language,
            language switch
            {
                "de" => ($"Ihr Code: {code}", $"Geben Sie ihn gleich auf der folgenden Seite ein, angemeldet als {account}."),
                "fr" => ($"Votre code : {code}", $"Saisissez-le tout de suite sur la page suivante, connecté en tant que {account}."),
                _ => ($"Your code: {code}", $"Type it now on the following page, signed in as {account}."),
            },
            where
        );

    /// <summary>In all three languages: nobody knows whose link it was.</summary>
    public static IResult Over(HttpContext context) =>
        Answer(
            context,
            "en",
            (
                "This link is no longer good.",
                "Ask whoever sent it for a new one. · Bitten Sie den Absender um einen neuen. · Demandez-en un nouveau à l'expéditeur."
            ),
            status: StatusCodes.Status404NotFound
        );

    /// <summary>A browser came back from a service with a consent that nobody here has begun, or that was begun before a restart.</summary>
    public static IResult Unknown(HttpContext context) =>
        Answer(
            context,
            "en",
            (
                "Please begin once more.",
                "Open the link again, or begin in the console. · Öffnen Sie den Link noch einmal. · Ouvrez le lien encore une fois."
            ),
            status: StatusCodes.Status404NotFound
        );

    private static string Encoded(string text) => WebUtility.HtmlEncode(VisibleText.Of(text));

    private static IResult Answer(
        HttpContext context,
        string language,
        (string Title, string Text) words,
        Uri? link = null,
        int status = StatusCodes.Status200OK
    )
    {
        var (title, text) = (Encoded(words.Title), Encoded(words.Text));
        var further = link is null
            ? ""
            : $"<p><a rel=\"noreferrer\" href=\"{WebUtility.HtmlEncode(link.ToString())}\">{WebUtility.HtmlEncode(link.Host)}</a></p>";
        return TypedResults.Text(
            $$"""
            <!doctype html>
            <html lang="{{language}}">
            <meta charset="utf-8">
            <meta name="viewport" content="width=device-width">
            <title>{{title}}</title>
            <style nonce="{{PageSecurity.NonceOf(context)}}">
              :root { color-scheme: light dark }
              body { font: 1.25rem/1.5 system-ui, sans-serif; max-width: 34rem; margin: 18vh auto; padding: 0 1.5rem }
              h1 { font-size: 2rem; line-height: 1.2 }
            </style>
            <h1>{{title}}</h1>
            <p>{{text}}</p>
            {{further}}
            </html>
            """,
            "text/html; charset=utf-8",
            statusCode: status
        );
    }
}

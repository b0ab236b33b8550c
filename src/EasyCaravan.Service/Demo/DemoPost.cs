using System.Net;
using System.Text;
using EasyCaravan.StandIns;
using MimeKit;

namespace EasyCaravan.Service.Demo;

/// <summary>The letters that the demonstration's service sent, on a page of their own: in place of everybody's mailbox.</summary>
internal sealed class DemoPost : IAsyncDisposable
{
    private const int MostShown = 200;

    private readonly StandInSmtp _smtp;
    private readonly LoopbackHttp _page;

    public DemoPost(StandInSmtp smtp)
    {
        _smtp = smtp;
        _page = new LoopbackHttp(AnswerAsync);
    }

    public Uri Address => _page.Address;

    public ValueTask DisposeAsync() => _page.DisposeAsync();

    private async Task AnswerAsync(HttpListenerContext context)
    {
        context.Response.ContentType = "text/html; charset=utf-8";
        context.Response.Headers["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'";
        await context.Response.OutputStream.WriteAsync(Encoding.UTF8.GetBytes(Draw()));
        context.Response.Close();
    }

    private string Draw()
    {
        var page = new StringBuilder(
            """
            <!doctype html><html lang="en"><meta charset="utf-8"><title>Letters of the demonstration</title>
            <style>
              body { max-width: 46em; margin: 2em auto; padding: 0 1em; font: 16px/1.5 Georgia, serif; background: #f6f3ee; color: #2a2622 }
              article { margin: 0 0 1em; padding: 1em 1.4em; background: #fffdf9; border: 1px solid #e2dbd0 }
              h2 { margin: 0; font-size: 1.1em } .whom { color: #6d645a } pre { white-space: pre-wrap; font: inherit; margin: .8em 0 0 }
            </style>
            <h1>Letters of the demonstration</h1>
            """
        );
        var mails = _smtp.Mails.Reverse().Take(MostShown).ToList();
        if (mails.Count == 0)
            page.Append("<p>Nothing was sent yet. Reload the page in a while.</p>");
        foreach (var mail in mails)
        {
            using var octets = new MemoryStream(mail.Octets);
            using var message = MimeMessage.Load(octets);
            page.Append("<article><h2>").Append(WebUtility.HtmlEncode(message.Subject)).Append("</h2><div class=whom>to ");
            page.Append(WebUtility.HtmlEncode(mail.To))
                .Append(System.Globalization.CultureInfo.InvariantCulture, $", {mail.At:HH:mm:ss} UTC");
            page.Append("</div><pre>").Append(WebUtility.HtmlEncode(message.TextBody)).Append("</pre></article>");
        }
        return page.ToString();
    }
}

using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>The waybill for paper, as the client writes it.</summary>
public sealed class WaybillPageTests
{
    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    [Fact]
    public async Task What_people_call_their_mail_stands_there_as_text_and_a_browser_prints_it()
    {
        await using var from = new StandInImap(new StandInManners());
        await using var to = new StandInImap(new StandInManners('.', LargestMessage: 100));
        from.AddAccount("aoife@saltmarsh.example", "s")
            .Find("INBOX")!
            .Add(
                [
                    .. "Message-ID: <1@saltmarsh.example>\r\nSubject: <script>alert('tide')</script>\r\n\r\n"u8,
                    .. new byte[200].Select(_ => (byte)'x'),
                ],
                [],
                DateTimeOffset.UtcNow
            );
        to.AddAccount("aoife@northquay.example", "s");
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(
            $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{from.Port}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{to.Port}}, security: none}
            routes:
              away: {from: lanternpost, to: northquay}
            batches:
              crew: {route: away, roster: crew.csv}
            """,
            (
                "crew.csv",
                "name,from_account,to_account,from_secret,to_secret\n"
                    + "\"Aoife <b>Marsh\",aoife@saltmarsh.example,aoife@northquay.example,s,s\n"
            )
        );
        await service.RunAsync("start", "crew");
        await service.UntilInStepAsync("crew");
        await service.RunAsync("left-behind", "crew", "--accept", "--because", "She has <i>it</i> elsewhere");

        var folder = Directory.CreateTempSubdirectory("caravan-page").FullName;
        var (html, pdf) = (Path.Combine(folder, "w.html"), Path.Combine(folder, "w.pdf"));
        Assert.Equal(0, (await service.RunAsync("waybill", "crew", "--page", html)).Code);
        var text = await File.ReadAllTextAsync(html, Cancel);
        Assert.Contains("The sums close.", text, StringComparison.Ordinal);
        Assert.Contains("&lt;script&gt;alert", text, StringComparison.Ordinal);
        Assert.Contains("Aoife &lt;b&gt;Marsh", text, StringComparison.Ordinal);
        Assert.DoesNotContain("<script", text, StringComparison.OrdinalIgnoreCase);
        Assert.DoesNotContain("<b>", text, StringComparison.OrdinalIgnoreCase);

        Assert.Equal(0, (await service.RunAsync("waybill", "crew", "--page", pdf, "--move", "aoife@saltmarsh.example")).Code);
        Assert.True((await File.ReadAllBytesAsync(pdf, Cancel)).AsSpan().StartsWith("%PDF-"u8));
        var wrong = await service.RunAsync("waybill", "crew", "--page", Path.Combine(folder, "w.txt"));
        Assert.Equal(2, wrong.Code);
        Assert.Contains(".html or .pdf", wrong.Error, StringComparison.Ordinal);
        Directory.Delete(folder, recursive: true);
    }
}

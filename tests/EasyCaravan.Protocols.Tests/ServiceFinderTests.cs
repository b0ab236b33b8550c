using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Discovery;

namespace EasyCaravan.Protocols.Tests;

public sealed class ServiceFinderTests
{
    private sealed class Names(Dictionary<string, (string, int)[]> records) : INameServers
    {
        public Task<IReadOnlyList<(string Host, int Port)>> FindServiceAsync(string name, CancellationToken cancel) =>
            Task.FromResult<IReadOnlyList<(string, int)>>(records.GetValueOrDefault(name, []));
    }

    [Fact]
    public async Task A_record_is_shown_with_its_source_and_nothing_is_trusted_that_TLS_does_not_verify()
    {
        // A listener that speaks no TLS stands for whoever a forged record leads to.
        var listener = new System.Net.Sockets.TcpListener(System.Net.IPAddress.Loopback, 0);
        listener.Start();
        var port = ((System.Net.IPEndPoint)listener.LocalEndpoint).Port;
        var serving = Task.Run(async () =>
        {
            using var client = await listener.AcceptTcpClientAsync();
            await client.GetStream().WriteAsync("* OK hello\r\n"u8.ToArray());
        });
        var found = await new ServiceFinder(
            new Names(new() { ["_imaps._tcp.saltmarsh.invalid"] = [("127.0.0.1", port)], ["_pop3s._tcp.saltmarsh.invalid"] = [("", 0)], ["_carddavs._tcp.saltmarsh.invalid"] = [("dav.saltmarsh.invalid", 443)] }),
            new Trust.System()).FindAsync("saltmarsh.invalid", CancellationToken.None);
        await serving;
        listener.Stop();
        var imap = Assert.Single(found, f => f.Kind == "imap");
        Assert.Equal(("SRV record _imaps._tcp.saltmarsh.invalid", false), (imap.Source, imap.Verified));
        Assert.Contains("does not speak TLS", imap.Result, StringComparison.Ordinal);
        Assert.Contains("another domain", imap.Result, StringComparison.Ordinal);
        Assert.Contains("has no such service", Assert.Single(found, f => f.Kind == "pop3").Result, StringComparison.Ordinal);
        Assert.DoesNotContain("another domain", Assert.Single(found, f => f.Kind == "carddav").Result, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Where_nothing_is_told_and_no_common_name_answers_nothing_is_found() =>
        Assert.Empty(await new ServiceFinder(new Names([]), new Trust.System()).FindAsync("saltmarsh.invalid", CancellationToken.None));
}

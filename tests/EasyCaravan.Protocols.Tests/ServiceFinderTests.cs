using System.Net;
using System.Net.Security;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Connecting;
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
        // A listener without TLS stands for the host to which a forged record points.
        var listener = new System.Net.Sockets.TcpListener(System.Net.IPAddress.Loopback, 0);
        listener.Start();
        var port = ((System.Net.IPEndPoint)listener.LocalEndpoint).Port;
        var serving = Task.Run(async () =>
        {
            using var client = await listener.AcceptTcpClientAsync();
            await client.GetStream().WriteAsync("* OK hello\r\n"u8.ToArray());
        });
        var found = await new ServiceFinder(
            new Names(
                new()
                {
                    ["_imaps._tcp.saltmarsh.invalid"] = [("127.0.0.1", port)],
                    ["_pop3s._tcp.saltmarsh.invalid"] = [("", 0)],
                    ["_carddavs._tcp.saltmarsh.invalid"] = [("dav.saltmarsh.invalid", 443)],
                }
            ),
            new Trust.System(),
            new ReachRule(new HashSet<string> { "127.0.0.1" })
        ).FindAsync("saltmarsh.invalid", CancellationToken.None);
        await serving;
        listener.Stop();
        var imap = Assert.Single(found, f => f.Kind == "imap");
        Assert.Equal(("SRV record _imaps._tcp.saltmarsh.invalid", false), (imap.Source, imap.Verified));
        Assert.Contains("does not speak TLS", imap.Result, StringComparison.Ordinal);
        Assert.Contains("another domain", imap.Result, StringComparison.Ordinal);
        Assert.Contains("has no such service", Assert.Single(found, f => f.Kind == "pop3").Result, StringComparison.Ordinal);
        Assert.DoesNotContain("another domain", Assert.Single(found, f => f.Kind == "carddav").Result, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(true, "carddav https://dav.saltmarsh.example/card, caldav https://localhost:PORT/.well-known/caldav")]
    [InlineData(false, "")]
    public async Task A_well_known_place_is_followed_one_step_and_only_where_its_certificate_holds(bool trusted, string expected)
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest("CN=localhost", key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, false, 0, true));
        var names = new SubjectAlternativeNameBuilder();
        names.AddDnsName("localhost");
        request.CertificateExtensions.Add(names.Build());
        using var certificate = request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(1));
        var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        var serving = ServeAsync(listener, certificate);
        var port = ((IPEndPoint)listener.LocalEndpoint).Port;
        Trust trust = trusted ? new Trust.Authorities(certificate.ExportCertificatePem(), "own.pem") : new Trust.System();
        var found = await new ServiceFinder(new Names([]), trust, new ReachRule(new HashSet<string> { "localhost" })).FindAsync(
            $"localhost:{port}",
            CancellationToken.None
        );
        listener.Stop();
        await serving;
        Assert.Equal(
            expected.Replace("PORT", $"{port}", StringComparison.Ordinal),
            string.Join(", ", found.Select(f => $"{f.Kind} {f.Url}"))
        );
    }

    private static async Task ServeAsync(TcpListener listener, X509Certificate2 certificate)
    {
        while (true)
        {
            try
            {
                using var client = await listener.AcceptTcpClientAsync();
                await using var tls = new SslStream(client.GetStream());
                await tls.AuthenticateAsServerAsync(certificate);
                using var reader = new StreamReader(tls);
                var asked = await reader.ReadLineAsync() ?? "";
                while (await reader.ReadLineAsync() is { Length: > 0 }) { }
                var answer =
                    asked.Contains("carddav", StringComparison.Ordinal) ? "301 Moved\r\nLocation: https://dav.saltmarsh.example/card"
                    : asked.Contains("caldav", StringComparison.Ordinal) ? "401 Who are you"
                    : "404 Not here";
                await tls.WriteAsync(
                    System.Text.Encoding.ASCII.GetBytes($"HTTP/1.1 {answer}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")
                );
            }
            catch (Exception e) when (e is SocketException or InvalidOperationException)
            {
                // Stopped.
                return;
            }
            catch (Exception e) when (e is IOException or System.Security.Authentication.AuthenticationException)
            {
                // The client does not trust this certificate.
            }
        }
    }

    [Fact]
    public async Task Where_nothing_is_told_and_no_common_name_answers_nothing_is_found() =>
        Assert.Empty(
            await new ServiceFinder(new Names([]), new Trust.System(), new ReachRule(new HashSet<string>())).FindAsync(
                "saltmarsh.invalid",
                CancellationToken.None
            )
        );

    [Theory]
    [InlineData("127.0.0.1", 993)]
    [InlineData("169.254.169.254", 993)]
    [InlineData("::1", 993)]
    [InlineData("::ffff:127.0.0.1", 993)]
    [InlineData("0.0.0.0", 993)]
    [InlineData("fe80::1", 993)]
    [InlineData("203.0.113.7", 22)]
    public async Task A_record_that_leads_to_this_machine_or_to_another_door_is_told_and_not_tried(string host, int port)
    {
        var records = new Dictionary<string, (string, int)[]> { ["_imaps._tcp.saltmarsh.invalid"] = [(host, port)] };
        var found = await new ServiceFinder(new Names(records), new Trust.System(), new ReachRule(new HashSet<string>())).FindAsync(
            "saltmarsh.invalid",
            CancellationToken.None
        );
        var imap = Assert.Single(found, f => f.Kind == "imap");
        Assert.False(imap.Verified);
        Assert.Matches("only a plan may lead there|not tried|no host that one can connect to", imap.Result);
    }

    [Fact]
    public async Task A_record_of_a_thousand_hosts_is_looked_at_in_part()
    {
        var records = new Dictionary<string, (string, int)[]>
        {
            ["_imaps._tcp.saltmarsh.invalid"] = [.. Enumerable.Range(0, 1000).Select(i => ($"10.1.{i / 250}.{i % 250}", 22))],
        };
        var found = await new ServiceFinder(new Names(records), new Trust.System(), new ReachRule(new HashSet<string>())).FindAsync(
            "saltmarsh.invalid",
            CancellationToken.None
        );
        Assert.Equal(3, found.Count(f => f.Kind == "imap"));
    }
}

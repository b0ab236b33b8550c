using System.Net;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using EasyCaravan.Contract;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Behind a proxy, and with TLS of its own.</summary>
public sealed class ProxyTests
{
    private static readonly IPNetwork s_proxy = IPNetwork.Parse("127.0.0.1/32");

    private static async Task<HttpResponseMessage> GuessAsync(HttpClient http, string from, string protocol = "https")
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "/api/v1/session")
        {
            Content = JsonContent.Create(new SessionRequest("a guess"), options: ContractJson.Options),
        };
        request.Headers.Add("X-Forwarded-For", from);
        request.Headers.Add("X-Forwarded-Proto", protocol);
        return await http.SendAsync(request);
    }

    private static async Task<HttpStatusCode> GuessOftenAsync(HttpClient http, Func<int, string> from)
    {
        var last = HttpStatusCode.OK;
        for (var i = 0; i < 12; i++)
            using (var answer = await GuessAsync(http, from(i)))
                last = answer.StatusCode;
        return last;
    }

    [Fact]
    public async Task One_caller_of_a_trusted_proxy_does_not_lock_out_the_others()
    {
        await using var service = await TestService.StartAsync(options: o => o with { TrustedProxies = [s_proxy] });
        using var http = new HttpClient { BaseAddress = service.Address };
        Assert.Equal(HttpStatusCode.TooManyRequests, await GuessOftenAsync(http, _ => "203.0.113.5"));
        using (var other = await GuessAsync(http, "203.0.113.6"))
            Assert.Equal(HttpStatusCode.Unauthorized, other.StatusCode);
        // What a caller writes before the proxy's own word counts for nothing.
        Assert.Equal(HttpStatusCode.TooManyRequests, await GuessOftenAsync(http, i => $"198.51.100.{i}, 203.0.113.7"));
        // Nor where the caller sits on the proxy's own machine.
        Assert.Equal(HttpStatusCode.TooManyRequests, await GuessOftenAsync(http, i => $"198.51.100.{i}, 127.0.0.1"));
        // One machine has many addresses of a network of 64 bits.
        Assert.Equal(HttpStatusCode.TooManyRequests, await GuessOftenAsync(http, i => $"2001:db8:1:2::{i + 1:x}"));
    }

    [Fact]
    public async Task Nobody_else_is_believed()
    {
        await using var service = await TestService.StartAsync();
        using var http = new HttpClient { BaseAddress = service.Address };
        Assert.Equal(HttpStatusCode.TooManyRequests, await GuessOftenAsync(http, i => $"203.0.113.{i}"));
    }

    [Theory]
    [InlineData(null, "http", false)]
    [InlineData(null, "https", true)]
    [InlineData("https://move.saltmarsh.example", "http", true)]
    public async Task Cookies_are_for_TLS_alone_where_people_come_over_TLS(string? publicUrl, string protocol, bool isSecure)
    {
        await using var service = await TestService.StartAsync(options: o =>
            o with
            {
                TrustedProxies = [s_proxy],
                PublicUrl = publicUrl is null ? null : new Uri(publicUrl),
            }
        );
        using var http = new HttpClient { BaseAddress = service.Address };
        using var request = new HttpRequestMessage(HttpMethod.Post, "/api/v1/session")
        {
            Content = JsonContent.Create(new SessionRequest(service.Token), options: ContractJson.Options),
        };
        request.Headers.Add("X-Forwarded-Proto", protocol);
        if (publicUrl is not null)
            request.Headers.Host = "move.saltmarsh.example";
        using var answer = await http.SendAsync(request);
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.All(answer.Headers.GetValues("Set-Cookie"), c =>
            Assert.Equal(isSecure, c.Contains("; secure", StringComparison.OrdinalIgnoreCase))
        );
    }

    [Fact]
    public async Task With_a_certificate_it_speaks_TLS_and_a_renewed_one_is_shown_without_a_new_start()
    {
        var folder = Directory.CreateTempSubdirectory("caravan-tls").FullName;
        var (file, key) = (Path.Combine(folder, "own.pem"), Path.Combine(folder, "own.key"));
        var first = Write(file, key);
        var clock = new TestClock(DateTimeOffset.UtcNow);
        await using var service = await TestService.StartAsync(options: o => new CaravanOptions(
            o.DataFolder,
            new Uri("https://127.0.0.1:0")
        )
        {
            Quiet = true,
            Time = clock,
            Certificate = (file, key),
        });
        Assert.Equal("https", service.Address.Scheme);
        Assert.Equal(first, await ShownAsync(service.Address));
        var second = Write(file, key);
        File.SetLastWriteTimeUtc(file, DateTime.UtcNow.AddMinutes(1));
        clock.Advance(TimeSpan.FromMinutes(2));
        Assert.Equal(second, await ShownAsync(service.Address));
        // A half-written one does not stop it.
        await File.WriteAllTextAsync(file, "-----BEGIN CERTIFICATE-----\n");
        File.SetLastWriteTimeUtc(file, DateTime.UtcNow.AddMinutes(2));
        clock.Advance(TimeSpan.FromMinutes(2));
        Assert.Equal(second, await ShownAsync(service.Address));
        var refused = await Assert.ThrowsAsync<DataFolderException>(() =>
            TestService.StartAsync(options: o => new CaravanOptions(o.DataFolder, new Uri("https://127.0.0.1:0"))
            {
                Quiet = true,
                Certificate = (file, key),
            })
        );
        Assert.Contains(file, refused.Message, StringComparison.Ordinal);
        Directory.Delete(folder, recursive: true);
    }

    private static string Write(string file, string keyFile)
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest("CN=127.0.0.1", key, HashAlgorithmName.SHA256);
        using var made = request.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-1), DateTimeOffset.UtcNow.AddDays(9));
        File.WriteAllText(file, made.ExportCertificatePem());
        File.WriteAllText(keyFile, key.ExportPkcs8PrivateKeyPem());
        return made.Thumbprint;
    }

    private static async Task<string> ShownAsync(Uri address)
    {
        var shown = "";
        using var http = new HttpClient(
            new HttpClientHandler
            {
                ServerCertificateCustomValidationCallback = (_, certificate, _, _) =>
                {
                    shown = certificate!.Thumbprint;
                    return true;
                },
            }
        )
        {
            BaseAddress = address,
        };
        using var answer = await http.GetAsync("/health/ready");
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        return shown;
    }
}

using System.Net;
using System.Net.Security;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.SignIn;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Which certificates prove a server, each shown by a real server over TLS.</summary>
public sealed class CertificateTests
{
    private const string ForServers = "1.3.6.1.5.5.7.3.1";
    private const string ForClients = "1.3.6.1.5.5.7.3.2";

    private sealed record Shown(X509Certificate2 Certificate, string AuthorityPem);

    private static Shown Make(
        string purpose = ForServers,
        string host = "localhost",
        int bits = 2048,
        HashAlgorithmName? hash = null,
        int days = 30,
        int authorityBits = 2048
    )
    {
        using var authorityKey = RSA.Create(authorityBits);
        var authority = new CertificateRequest("CN=Saltmarsh authority", authorityKey, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1);
        authority.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, false, 0, true));
        using var issuer = authority.CreateSelfSigned(DateTimeOffset.UtcNow.AddDays(-90), DateTimeOffset.UtcNow.AddDays(90));
        using var key = RSA.Create(bits);
        var request = new CertificateRequest($"CN={host}", key, HashAlgorithmName.SHA256, RSASignaturePadding.Pkcs1);
        var names = new SubjectAlternativeNameBuilder();
        names.AddDnsName(host);
        request.CertificateExtensions.Add(names.Build());
        request.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new Oid(purpose)], false));
        using var signed = request.Create(
            issuer.SubjectName,
            hash is null ? X509SignatureGenerator.CreateForRSA(authorityKey, RSASignaturePadding.Pkcs1) : new Sha1Generator(authorityKey),
            DateTimeOffset.UtcNow.AddDays(-60),
            DateTimeOffset.UtcNow.AddDays(days),
            [1, 2, 3, 4]
        );
        using var whole = signed.CopyWithPrivateKey(key);
        return new Shown(X509CertificateLoader.LoadPkcs12(whole.Export(X509ContentType.Pkcs12), null), issuer.ExportCertificatePem());
    }

    /// <summary>Signs with SHA-1, which the library's own no longer does.</summary>
    private sealed class Sha1Generator(RSA key) : X509SignatureGenerator
    {
        public override byte[] GetSignatureAlgorithmIdentifier(HashAlgorithmName hashAlgorithm) =>
            Convert.FromHexString("300D06092A864886F70D0101050500");

        public override byte[] SignData(byte[] data, HashAlgorithmName hashAlgorithm) =>
            key.SignData(data, HashAlgorithmName.SHA1, RSASignaturePadding.Pkcs1);

        protected override PublicKey BuildPublicKey() => new(key);
    }

    private static RawServer Serve(X509Certificate2 certificate, string answer) =>
        new(async stream =>
        {
            await using var tls = new SslStream(stream, leaveInnerStreamOpen: true);
            await tls.AuthenticateAsServerAsync(certificate);
            if (answer.StartsWith("HTTP", StringComparison.Ordinal))
                await tls.ReadAtLeastAsync(new byte[8], 8);
            await tls.WriteAsync(System.Text.Encoding.ASCII.GetBytes(answer));
        });

    private static OAuthClient ClientOf(int port) =>
        new(new Uri($"https://localhost:{port}/token"), null, null, "caravan", null, [], null, null, null, null);

    private static Service ServiceOf(int port, Trust trust) =>
        new(
            "lanternpost",
            new MailConnection(MailProtocol.Imap, "localhost", port, Security.Tls),
            new Core.Planning.SignIn.Password(null),
            trust,
            Limits.Default
        );

    private static async Task<string?> ObjectionAsync(Shown shown, Func<string, Trust> trust)
    {
        await using var server = Serve(shown.Certificate, "* OK hello\r\n");
        try
        {
            await using var stream = await ImapConnector.ConnectAsync(
                ServiceOf(server.Port, trust(shown.AuthorityPem)),
                null,
                TestContext.Current.CancellationToken
            );
            return null;
        }
        catch (FaultException e)
        {
            Assert.Equal((Cause.TlsUntrusted, FaultAction.AskPerson), (e.Fault.Cause, e.Fault.Action));
            return e.Fault.What;
        }
    }

    private static Trust ByAuthority(string pem) => new Trust.Authorities(pem, "own.pem");

    [Fact]
    public async Task One_that_its_authority_made_for_servers_is_taken() => Assert.Null(await ObjectionAsync(Make(), ByAuthority));

    [Fact]
    public async Task One_that_was_made_for_clients_proves_no_server() =>
        Assert.Contains("not made for servers", await ObjectionAsync(Make(purpose: ForClients), ByAuthority), StringComparison.Ordinal);

    /// <summary>Looked at by itself: the server's own library does not show such certificates any more.</summary>
    private static string? ObjectionTo(Shown shown)
    {
        var check = new CertificateCheck(ByAuthority(shown.AuthorityPem), "localhost");
        check.Judge(shown, shown.Certificate, null, SslPolicyErrors.RemoteCertificateChainErrors);
        return check.Objection;
    }

    [Fact]
    public void One_of_a_short_key_is_refused() => Assert.Contains("1024 bits", ObjectionTo(Make(bits: 1024)), StringComparison.Ordinal);

    [Fact]
    public void One_with_a_signature_that_can_be_forged_is_refused() => Assert.NotNull(ObjectionTo(Make(hash: HashAlgorithmName.SHA1)));

    [Fact]
    public async Task One_of_an_authority_with_a_short_key_is_refused() =>
        Assert.Contains("1024 bits", await ObjectionAsync(Make(authorityBits: 1024), ByAuthority), StringComparison.Ordinal);

    [Fact]
    public async Task One_for_another_host_or_past_its_end_is_refused()
    {
        Assert.Contains("not for localhost", await ObjectionAsync(Make(host: "other.example"), ByAuthority), StringComparison.Ordinal);
        Assert.Contains("ended on", await ObjectionAsync(Make(days: -1), ByAuthority), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Whom_the_machine_does_not_know_is_taken_where_the_plan_says_none() =>
        Assert.Null(await ObjectionAsync(Make(host: "other.example"), _ => new Trust.Anyone()));

    [Theory]
    [InlineData(true, Cause.TlsUntrusted)]
    [InlineData(false, Cause.ConsentMissing)]
    public async Task Trust_none_of_the_mail_servers_is_never_that_of_a_token_endpoint(bool none, Cause cause)
    {
        var shown = Make();
        const string Refused = "{\"error\": \"invalid_grant\", \"error_description\": \"not with a-refresh-token-of-ours\"}";
        await using var server = Serve(
            shown.Certificate,
            $"HTTP/1.1 400 No\r\nContent-Type: application/json\r\nContent-Length: {Refused.Length}\r\nConnection: close\r\n\r\n{Refused}"
        );
        var service = ServiceOf(993, none ? new Trust.Anyone() : ByAuthority(shown.AuthorityPem)) with
        {
            SignIn = new Core.Planning.SignIn.OAuth(OAuthGrant.RefreshToken, ClientOf(server.Port), null),
        };
        using var secrecy = Secrecy.Begin();
        Secrecy.Keep("a-refresh-token-of-ours");
        using var tokens = new AccessTokens(_ => "", (_, _, _) => Task.CompletedTask, TimeProvider.System);
        var who = new Credentials("aoife@saltmarsh.example", "aoife@saltmarsh.example", "a-refresh-token-of-ours");
        var fault = await Assert.ThrowsAsync<FaultException>(() => tokens.GetAsync(service, who, null, CancellationToken.None));
        Assert.Equal(cause, fault.Fault.Cause);
        Assert.DoesNotContain("a-refresh-token", fault.Fault.What, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_token_endpoint_of_old_TLS_is_named_and_not_tried_again()
    {
        await using var server = new RawServer(async stream =>
        {
            await stream.ReadAtLeastAsync(new byte[64], 64);
            await stream.WriteAsync(Convert.FromHexString("15030100020246"));
        });
        var service = ServiceOf(993, new Trust.System()) with
        {
            SignIn = new Core.Planning.SignIn.OAuth(OAuthGrant.RefreshToken, ClientOf(server.Port), null),
        };
        using var tokens = new AccessTokens(_ => "", (_, _, _) => Task.CompletedTask, TimeProvider.System);
        var fault = await Assert.ThrowsAsync<FaultException>(() =>
            tokens.GetAsync(service, new Credentials("a", "a", "refresh"), null, CancellationToken.None)
        );
        Assert.Equal((Cause.TlsTooOld, FaultAction.AskPerson), (fault.Fault.Cause, fault.Fault.Action));
    }
}

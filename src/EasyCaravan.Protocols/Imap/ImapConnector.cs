using System.Net;
using System.Net.Security;
using System.Net.Sockets;
using System.Security.Authentication;
using System.Security.Cryptography.X509Certificates;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Protocols.Imap;

/// <summary>One thing that was done to get in, for <c>service try</c>.</summary>
public sealed record ConnectStep(string Name, string Result);

/// <summary>Resolves, connects and protects a connection as the service's definition says.</summary>
public static class ImapConnector
{
    private static readonly TimeSpan s_connectPatience = TimeSpan.FromSeconds(20);

    /// <summary>A stream on which the server's greeting is the next thing to read.</summary>
    /// <exception cref="FaultException">It could not be had; the fault says at which step and why.</exception>
    public static async Task<Stream> ConnectAsync(Service service, Action<ConnectStep>? step, CancellationToken cancel)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_connectPatience);
        var mail = service.Mail;
        var addresses = await ResolveAsync(service, patience.Token);
        step?.Invoke(new ConnectStep("resolve", string.Join(", ", addresses.Select(a => a.ToString()))));
        Socket? socket = null;
        try
        {
            socket = await DialAsync(service, addresses, patience.Token);
            step?.Invoke(new ConnectStep("connect", $"{socket.RemoteEndPoint}"));
            Stream stream = new NetworkStream(socket, ownsSocket: true);
            switch (mail.Security)
            {
                case Security.Tls:
                    return await ProtectAsync(service, stream, step, patience.Token);
                case Security.StartTls:
                    var greeting = await UpgradeAsync(service, stream, patience.Token);
                    return new GreetingStream(greeting, await ProtectAsync(service, stream, step, patience.Token));
                default:
                    step?.Invoke(new ConnectStep("protect", "NOT PROTECTED: security is none, anyone on the way can read passwords and mail"));
                    return stream;
            }
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            socket?.Dispose();
            throw Failed(Cause.Unreachable, service, $"{mail.Host} port {mail.Port} did not answer within {s_connectPatience.TotalSeconds:0} s");
        }
        catch
        {
            socket?.Dispose();
            throw;
        }
    }

    private static async Task<IPAddress[]> ResolveAsync(Service service, CancellationToken cancel)
    {
        try
        {
            return await Dns.GetHostAddressesAsync(service.Mail.Host, cancel);
        }
        catch (SocketException e)
        {
            // A name that does not exist needs a person; a resolver that does not answer passes.
            var cause = e.SocketErrorCode is SocketError.HostNotFound or SocketError.NoData ? Cause.HostUnknown : Cause.Unreachable;
            throw Failed(cause, service, $"the host {service.Mail.Host} cannot be found", e);
        }
    }

    private static async Task<Socket> DialAsync(Service service, IPAddress[] addresses, CancellationToken cancel)
    {
        SocketException? last = null;
        foreach (var address in addresses)
        {
            var socket = new Socket(address.AddressFamily, SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
            try
            {
                await socket.ConnectAsync(new IPEndPoint(address, service.Mail.Port), cancel);
                return socket;
            }
            catch (SocketException e)
            {
                socket.Dispose();
                last = e;
            }
            catch
            {
                socket.Dispose();
                throw;
            }
        }
        throw Failed(Cause.Unreachable, service, $"{service.Mail.Host} port {service.Mail.Port} cannot be reached: {Said(last)}", last);
    }

    private static string Said(SocketException? e) => e?.SocketErrorCode switch
    {
        SocketError.ConnectionRefused => "the connection was refused",
        SocketError.HostUnreachable or SocketError.NetworkUnreachable => "there is no way to it",
        null => "it has no address",
        var other => other.ToString()!,
    };

    /// <summary>STARTTLS (RFC 9051 §6.2.1). Whatever came before it is forgotten, but for the greeting's own words.</summary>
    private static async Task<byte[]> UpgradeAsync(Service service, Stream stream, CancellationToken cancel)
    {
        var greeting = await PlainLineAsync(service, stream, cancel);
        if (!greeting.StartsWith("* OK", StringComparison.OrdinalIgnoreCase))
            throw Failed(Cause.ServiceBusy, service, $"the server did not greet: \"{greeting}\"");
        await stream.WriteAsync("S STARTTLS\r\n"u8.ToArray(), cancel);
        string line;
        do line = await PlainLineAsync(service, stream, cancel);
        while (line.StartsWith("* ", StringComparison.Ordinal));
        if (!line.StartsWith("S OK", StringComparison.OrdinalIgnoreCase))
            throw Failed(Cause.TlsNotOffered, service, $"the server refused STARTTLS: \"{line}\"");
        // Capabilities told before TLS must not be believed after it (RFC 9051 §11.1).
        return "* OK protected\r\n"u8.ToArray();
    }

    /// <summary>Octet by octet, so that nothing sent after the answer to STARTTLS is taken for protected (command injection).</summary>
    private static async Task<string> PlainLineAsync(Service service, Stream stream, CancellationToken cancel)
    {
        var line = new List<byte>();
        var octet = new byte[1];
        while (line.Count < 8192)
        {
            if (await stream.ReadAsync(octet, cancel) == 0) throw Failed(Cause.ConnectionLost, service, "the connection was closed before the greeting");
            if (octet[0] == '\n') return Encoding.Latin1.GetString([.. line]).TrimEnd('\r');
            line.Add(octet[0]);
        }
        throw Failed(Cause.ProtocolBroken, service, "what answers is not an IMAP server");
    }

    private static async Task<SslStream> ProtectAsync(Service service, Stream stream, Action<ConnectStep>? step, CancellationToken cancel)
    {
        var trial = new CertificateTrial(service);
        var tls = new SslStream(stream);
        try
        {
            await tls.AuthenticateAsClientAsync(
                new SslClientAuthenticationOptions
                {
                    TargetHost = service.Mail.Host,
                    EnabledSslProtocols = SslProtocols.Tls12 | SslProtocols.Tls13,
                    CertificateRevocationCheckMode = X509RevocationMode.NoCheck,
                    RemoteCertificateValidationCallback = trial.Judge,
                },
                cancel);
        }
        catch (Exception e) when (e is AuthenticationException or IOException)
        {
            await tls.DisposeAsync();
            if (trial.Objection is { } objection) throw Failed(Cause.TlsUntrusted, service, objection, e);
            throw Failed(Cause.TlsNotOffered, service, $"{service.Mail.Host} port {service.Mail.Port} does not speak TLS", e);
        }
        step?.Invoke(new ConnectStep("protect", $"{tls.SslProtocol}, {trial.Facts}"));
        return tls;
    }

    private static FaultException Failed(Cause cause, Service service, string what, Exception? inner = null) =>
        new(new Fault(cause, service.Name, what), Verdict.Close, inner);
}

/// <summary>Decides whether a server's certificate is believed, and keeps the reason in words.</summary>
internal sealed class CertificateTrial(Service service)
{
    public string? Objection { get; private set; }

    public string Facts { get; private set; } = "";

    public bool Judge(object sender, X509Certificate? certificate, X509Chain? chain, SslPolicyErrors errors)
    {
        if (certificate is not X509Certificate2 shown)
        {
            Objection = "the server showed no certificate";
            return false;
        }
        Facts = $"certificate of {shown.GetNameInfo(X509NameType.SimpleName, false)}, valid until {shown.NotAfter.ToUniversalTime():yyyy-MM-dd}";
        switch (service.Trust)
        {
            case Trust.Anyone:
                Facts += ", NOT VERIFIED: trust is none";
                return true;
            case Trust.Authorities authorities:
                return Verify(shown, errors, authorities, chain);
            default:
                if (errors is SslPolicyErrors.None) return true;
                Objection = Explain(shown, errors, chain);
                return false;
        }
    }

    private bool Verify(X509Certificate2 shown, SslPolicyErrors errors, Trust.Authorities authorities, X509Chain? sent)
    {
        using var own = new X509Chain();
        own.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        own.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        own.ChainPolicy.CustomTrustStore.ImportFromPem(authorities.Pem);
        foreach (var element in sent?.ChainElements ?? Enumerable.Empty<X509ChainElement>()) own.ChainPolicy.ExtraStore.Add(element.Certificate);
        if (own.Build(shown) && !errors.HasFlag(SslPolicyErrors.RemoteCertificateNameMismatch)) return true;
        Objection = Explain(shown, errors & SslPolicyErrors.RemoteCertificateNameMismatch, own);
        return false;
    }

    private string Explain(X509Certificate2 shown, SslPolicyErrors errors, X509Chain? chain)
    {
        if (shown.NotAfter < DateTime.Now) return $"the certificate of {service.Mail.Host} ended on {shown.NotAfter.ToUniversalTime():yyyy-MM-dd}";
        if (shown.NotBefore > DateTime.Now) return $"the certificate of {service.Mail.Host} begins on {shown.NotBefore.ToUniversalTime():yyyy-MM-dd}";
        if (errors.HasFlag(SslPolicyErrors.RemoteCertificateNameMismatch))
            return $"the certificate is for {shown.GetNameInfo(X509NameType.DnsName, false)}, not for {service.Mail.Host}";
        var status = chain?.ChainStatus.FirstOrDefault().Status;
        return $"the certificate of {service.Mail.Host} is not signed by an authority that is trusted ({status?.ToString() ?? "unknown issuer"}; issuer {shown.GetNameInfo(X509NameType.SimpleName, true)})";
    }
}

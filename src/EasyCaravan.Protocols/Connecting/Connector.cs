using System.Net;
using System.Net.Security;
using System.Net.Sockets;
using System.Security.Authentication;
using System.Security.Cryptography.X509Certificates;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Protocols.Connecting;

/// <summary>One step of connecting and signing in, reported by <c>service try</c>.</summary>
public sealed record ConnectStep(string Name, string Result);

/// <summary>Where a connection goes, and how it is protected on the way.</summary>
/// <param name="Whom">The service, as people know it.</param>
public sealed record Endpoint(string Whom, string Host, int Port, Security Security, Trust Trust)
{
    /// <summary>Where the host may lead; null: anywhere, as a plan names it.</summary>
    public ReachRule? Reach { get; init; }
}

/// <summary>
/// Asks a server, without encryption, to switch to TLS. Reads no octet after the server's consent, and returns the greeting for whoever
/// reads next.
/// </summary>
internal delegate Task<byte[]> Upgrade(StartTlsDialog talk, CancellationToken cancel);

/// <summary>Resolves, connects and protects a connection as the service's definition says.</summary>
public static class Connector
{
    private static readonly TimeSpan s_connectPatience = TimeSpan.FromSeconds(20);

    /// <summary>A stream on which the server's greeting is the next thing to read.</summary>
    /// <exception cref="FaultException">It could not be had; the fault says at which step and why.</exception>
    internal static async Task<Stream> ConnectAsync(Endpoint service, Upgrade upgrade, Action<ConnectStep>? step, CancellationToken cancel)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_connectPatience);
        var addresses = await ResolveAsync(service, patience.Token);
        step?.Invoke(new ConnectStep("resolve", string.Join(", ", addresses.Select(a => a.ToString()))));
        Socket? socket = null;
        try
        {
            socket = await DialAsync(service, addresses, patience.Token);
            step?.Invoke(new ConnectStep("connect", $"{socket.RemoteEndPoint}"));
            Stream stream = new NetworkStream(socket, ownsSocket: true);
            switch (service.Security)
            {
                case Security.Tls:
                    return await ProtectAsync(service, stream, step, patience.Token);
                case Security.StartTls:
                    var greeting = await upgrade(new StartTlsDialog(service, stream), patience.Token);
                    return new PrefixedStream(greeting, await ProtectAsync(service, stream, step, patience.Token));
                default:
                    step?.Invoke(
                        new ConnectStep("protect", "NOT PROTECTED: security is none, anyone on the way can read passwords and mail")
                    );
                    return stream;
            }
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            socket?.Dispose();
            throw Failed(
                Cause.Unreachable,
                service,
                $"{service.Host} port {service.Port} did not answer within {s_connectPatience.TotalSeconds:0} s"
            );
        }
        catch
        {
            socket?.Dispose();
            throw;
        }
    }

    private static async Task<IPAddress[]> ResolveAsync(Endpoint service, CancellationToken cancel)
    {
        try
        {
            var addresses = await Dns.GetHostAddressesAsync(service.Host, cancel);
            return service.Reach?.Of(service.Host, addresses) ?? addresses;
        }
        catch (SocketException e) when (e.SocketErrorCode is SocketError.AccessDenied)
        {
            throw Failed(
                Cause.NotPermitted,
                service,
                $"{service.Host} is this machine, or an address of its network alone: only a plan may lead there",
                e
            );
        }
        catch (ArgumentException e)
        {
            // Such as 0.0.0.0, which is nobody's address.
            throw Failed(Cause.HostUnknown, service, $"{service.Host} is no host that one can connect to", e);
        }
        catch (SocketException e)
        {
            // A name that does not exist needs a person; a resolver that does not answer is a temporary fault.
            var cause = e.SocketErrorCode is SocketError.HostNotFound or SocketError.NoData ? Cause.HostUnknown : Cause.Unreachable;
            throw Failed(cause, service, $"the host {service.Host} cannot be found", e);
        }
    }

    private static async Task<Socket> DialAsync(Endpoint service, IPAddress[] addresses, CancellationToken cancel)
    {
        SocketException? last = null;
        foreach (var address in addresses)
        {
            var socket = new Socket(address.AddressFamily, SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
            try
            {
                await socket.ConnectAsync(new IPEndPoint(address, service.Port), cancel);
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
        throw Failed(Cause.Unreachable, service, $"{service.Host} port {service.Port} cannot be reached: {Said(last)}", last);
    }

    private static string Said(SocketException? e) =>
        e?.SocketErrorCode switch
        {
            SocketError.ConnectionRefused => "the connection was refused",
            SocketError.HostUnreachable or SocketError.NetworkUnreachable => "there is no way to it",
            null => "it has no address",
            var other => other.ToString()!,
        };

    private static async Task<SslStream> ProtectAsync(Endpoint service, Stream stream, Action<ConnectStep>? step, CancellationToken cancel)
    {
        var trial = new CertificateCheck(service.Trust, service.Host);
        var start = new HandshakeStart();
        var tls = new SslStream(new HandshakeWitness(stream, start));
        try
        {
            await tls.AuthenticateAsClientAsync(
                new SslClientAuthenticationOptions
                {
                    TargetHost = service.Host,
                    EnabledSslProtocols = SslProtocols.Tls12 | SslProtocols.Tls13,
                    CertificateRevocationCheckMode = X509RevocationMode.NoCheck,
                    RemoteCertificateValidationCallback = trial.Judge,
                },
                cancel
            );
        }
        catch (Exception e) when (e is AuthenticationException or IOException)
        {
            await tls.DisposeAsync();
            if (trial.Objection is { } objection)
                throw Failed(Cause.TlsUntrusted, service, objection, e);
            var (cause, what) = start.Explain($"{service.Host} port {service.Port}", wasAsked: service.Security is Security.StartTls);
            throw Failed(cause, service, what, e);
        }
        step?.Invoke(new ConnectStep("protect", $"{tls.SslProtocol}, {trial.Facts}"));
        return tls;
    }

    internal static FaultException Failed(Cause cause, Endpoint service, string what, Exception? inner = null) =>
        new(new Fault(cause, service.Whom, what), Verdict.Close, inner);
}

/// <summary>The dialog before TLS, line by line.</summary>
internal sealed class StartTlsDialog(Endpoint service, Stream stream)
{
    public async Task SayAsync(string line, CancellationToken cancel) =>
        await stream.WriteAsync(System.Text.Encoding.ASCII.GetBytes(line + "\r\n"), cancel);

    /// <summary>Reads octet by octet, so that nothing sent after the answer to STARTTLS counts as protected (command injection).</summary>
    public async Task<string> HearAsync(CancellationToken cancel)
    {
        var line = new List<byte>();
        var octet = new byte[1];
        while (line.Count < 8192)
        {
            if (await stream.ReadAsync(octet, cancel) == 0)
                throw Connector.Failed(Cause.ConnectionLost, service, "the connection was closed before the greeting");
            if (octet[0] == '\n')
                return System.Text.Encoding.Latin1.GetString([.. line]).TrimEnd('\r');
            line.Add(octet[0]);
        }
        throw Connector.Failed(Cause.ProtocolBroken, service, "what answers does not speak the protocol of this port");
    }

    public FaultException Refused(Cause cause, string what) => Connector.Failed(cause, service, what);
}

using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.SignIn;
using MailKit;
using MailKit.Net.Pop3;
using MailKit.Security;

namespace EasyCaravan.Protocols.Pop3;

/// <summary>Connects and signs in. MailKit speaks the greeting, capabilities and SASL; after that the stream is ours alone.</summary>
internal static class Pop3SignIn
{
    /// <summary>For all of it, also where the server gives an octet now and then.</summary>
    private static readonly TimeSpan s_longest = TimeSpan.FromSeconds(150);

    public static Task<Stream> ConnectAsync(Service service, Action<ConnectStep>? step, CancellationToken cancel) =>
        Connector.ConnectAsync(
            new Endpoint(service.Name, service.Mail!.Host, service.Mail!.Port, service.Mail!.Security, service.Trust),
            UpgradeAsync,
            step,
            cancel
        );

    /// <summary>STLS (RFC 2595 §4).</summary>
    private static async Task<byte[]> UpgradeAsync(StartTlsDialog talk, CancellationToken cancel)
    {
        var greeting = await talk.HearAsync(cancel);
        if (!greeting.StartsWith("+OK", StringComparison.OrdinalIgnoreCase))
            throw talk.Refused(Cause.ServiceBusy, $"the server did not greet: \"{greeting}\"");
        await talk.SayAsync("STLS", cancel);
        var answer = await talk.HearAsync(cancel);
        if (!answer.StartsWith("+OK", StringComparison.OrdinalIgnoreCase))
            throw talk.Refused(Cause.TlsNotOffered, $"the server refused STLS: \"{answer}\"");
        return "+OK protected\r\n"u8.ToArray();
    }

    public static async Task<Pop3Capabilities> SignInAsync(
        Stream stream,
        Service service,
        Credentials who,
        AccessTokens? tokens,
        CancellationToken cancel
    )
    {
        // The last status line of the server.
        var said = "";
        using var lines = new ServerLines(line => said = line.StartsWith('+') || line.StartsWith('-') ? line : said);
        using var longest = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        longest.CancelAfter(s_longest);
        var watched = new SignInStream(stream);
        // Not disposed, because that would close the stream, which is used further.
#pragma warning disable CA2000
        var client = new Pop3Client(lines) { Timeout = 60_000 };
#pragma warning restore CA2000
        try
        {
            await client.ConnectAsync(watched, service.Mail!.Host, service.Mail!.Port, SecureSocketOptions.None, longest.Token);
            // RFC 6856 §2: without it the server would rewrite messages whose header is in UTF-8.
            if ((client.Capabilities & Pop3Capabilities.UTF8) != 0)
                await client.EnableUTF8Async(longest.Token);
            switch (service.SignIn)
            {
                case Core.Planning.SignIn.OAuth oauth:
                    var token = await tokens!.GetAsync(service, who, null, longest.Token);
                    var bearer =
                        oauth.Bearer is BearerMechanism.OAuthBearer
                        || (oauth.Bearer is null && client.AuthenticationMechanisms.Contains("OAUTHBEARER"));
                    await client.AuthenticateAsync(
                        bearer ? new SaslMechanismOAuthBearer(who.Login, token.Value) : new SaslMechanismOAuth2(who.Login, token.Value),
                        cancel
                    );
                    break;
                case Core.Planning.SignIn.OnBehalf { LoginPattern: null } onBehalf:
                    await client.AuthenticateAsync(
                        new SaslMechanismPlain(onBehalf.Admin, who.Secret) { AuthorizationId = who.Login },
                        cancel
                    );
                    break;
                default:
                    var login = (service.SignIn as Core.Planning.SignIn.OnBehalf)?.LoginFor(who.Login) ?? who.Login;
                    if (PasswordMechanism.Strongest(client.AuthenticationMechanisms, login, who.Secret) is { } mechanism)
                    {
                        await client.AuthenticateAsync(mechanism, longest.Token);
                        PasswordMechanism.RequireProof(mechanism, service);
                        break;
                    }
                    // USER and PASS alone: with APOP a refused password would be shown a second time.
                    client.Capabilities &= ~Pop3Capabilities.Apop;
                    client.AuthenticationMechanisms.Clear();
                    await client.AuthenticateAsync(login, who.Secret, longest.Token);
                    break;
            }
            return client.Capabilities;
        }
        catch (Exception e) when (e is AuthenticationException or Pop3CommandException)
        {
            // RFC 2449 §8, RFC 3206: the code in brackets tells whether a person is needed.
            var text = said.StartsWith("-ERR", StringComparison.OrdinalIgnoreCase) ? said[4..].Trim() : said;
            var cause =
                text.StartsWith("[IN-USE]", StringComparison.OrdinalIgnoreCase)
                || text.StartsWith("[SYS/TEMP]", StringComparison.OrdinalIgnoreCase)
                || text.StartsWith("[LOGIN-DELAY]", StringComparison.OrdinalIgnoreCase)
                    ? Cause.ServiceBusy
                    : SignInHints.CauseOf(new ImapResult("NO", null, text), service.SignIn);
            throw new FaultException(
                new Fault(cause, who.Account, $"{service.Name} refused the sign-in of {who.Login}: \"{text}\""),
                Verdict.Close,
                e
            );
        }
        catch (Exception e)
            when (e is Pop3ProtocolException or IOException or System.Net.Sockets.SocketException or ServiceNotConnectedException)
        {
            var isGarbage = watched.IsEndless || (e is Pop3ProtocolException && !watched.HasEnded);
            throw new FaultException(
                new Fault(
                    isGarbage ? Cause.ProtocolBroken : Cause.ConnectionLost,
                    service.Name,
                    isGarbage ? "what answers does not speak POP3 as it should" : "the connection was lost during sign-in"
                ),
                Verdict.Close,
                e
            );
        }
        catch (Exception e) when (e is TimeoutException or OperationCanceledException && !cancel.IsCancellationRequested)
        {
            throw new FaultException(
                new Fault(Cause.TimedOut, service.Name, "the server did not finish the sign-in in time"),
                Verdict.Close,
                e
            );
        }
    }
}

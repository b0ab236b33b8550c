using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.SignIn;
using MailKit.Net.Imap;
using MailKit.Security;

namespace EasyCaravan.Protocols.Imap;

/// <summary>What a server can do and how it names folders, learnt at sign-in.</summary>
/// <param name="Prefix">Of the person's own folders (RFC 2342), such as <c>INBOX.</c>; empty where there is none.</param>
/// <param name="OtherRoot">The prefix is another root than the person's own folders: the inbox is not in it.</param>
/// <param name="Foreign">Prefixes of other people's and shared folders, which are left alone.</param>
internal sealed record ImapTraits(
    ImapCapabilities Capabilities,
    char? Separator,
    string Prefix,
    bool OtherRoot,
    IReadOnlyList<string> Foreign,
    ByteCount? LargestMessage
)
{
    /// <summary>Names and headers are in UTF-8 (RFC 6855), because both sides agreed on it.</summary>
    public bool Utf8 { get; init; }

    public bool Can(ImapCapabilities capability) => (Capabilities & capability) != 0;

    /// <summary>One name of a folder as its octets go over the wire, a character for each.</summary>
    public string Encode(string name) => EncodeName(name, Utf8);

    /// <summary>A name that is not well formed stays as it is, so that it comes back the same.</summary>
    public string Decode(string raw)
    {
        if (!Utf8)
            return ModifiedUtf7.TryDecode(raw, out var name) ? name : raw;
        var decoded = Encoding.UTF8.GetString(Encoding.Latin1.GetBytes(raw));
        return EncodeName(decoded, true) == raw ? decoded : raw;
    }

    public static string EncodeName(string name, bool utf8) =>
        utf8 ? Encoding.Latin1.GetString(Encoding.UTF8.GetBytes(name)) : ModifiedUtf7.Encode(name);
}

/// <summary>
/// Signs in over a protected stream. MailKit speaks the greeting, capabilities, SASL and namespaces; after that the stream is ours
/// alone, as nothing else reads or writes it.
/// </summary>
internal static class ImapSignIn
{
    /// <summary>
    /// Milliseconds until a server that took the connection has to greet: one that is starting or ending may never do so.
    /// </summary>
    private const int GreetingPatience = 20_000;

    /// <summary>Milliseconds until it has to let us in or refuse.</summary>
    private const int SignInPatience = 60_000;

    /// <summary>For all of it, also where the server gives an octet now and then.</summary>
    private static readonly TimeSpan s_longest = TimeSpan.FromSeconds(150);

    /// <param name="tokens">Where access tokens come from; null where no service signs in with them.</param>
    public static async Task<ImapTraits> SignInAsync(
        Stream stream,
        Service service,
        Credentials who,
        AccessTokens? tokens,
        CancellationToken cancel
    )
    {
        var said = new LastAnswer();
        using var lines = new ServerLines(said.Hear);
        using var longest = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        longest.CancelAfter(s_longest);
        var watched = new SignInStream(stream);
        // Not disposed, because that would close the stream, which is used further.
#pragma warning disable CA2000
        var client = new ImapClient(lines) { Timeout = GreetingPatience };
#pragma warning restore CA2000
        try
        {
            await client.ConnectAsync(watched, service.Mail!.Host, service.Mail!.Port, SecureSocketOptions.None, longest.Token);
            // PREAUTH (RFC 9051 §7.1.4).
            if (client.IsAuthenticated)
                throw new FaultException(
                    new Fault(Cause.SignedInUnasked, service.Name, "the server says that somebody is signed in already"),
                    Verdict.Close
                );
            client.Timeout = SignInPatience;
            await AuthenticateAsync(client, said, service, who, tokens, longest.Token);
            // RFC 6855 §3: without it a server may rewrite messages with such headers, or show none at all.
            var utf8 = (client.Capabilities & (ImapCapabilities.UTF8Accept | ImapCapabilities.UTF8Only)) != 0;
            if (utf8)
                await client.EnableUTF8Async(longest.Token);
            string Encoded(string name) => ImapTraits.EncodeName(name, utf8);
            var own = client.PersonalNamespaces.FirstOrDefault();
            var separator = own?.DirectorySeparator ?? client.Inbox?.DirectorySeparator;
            var prefix = own?.Path is { Length: > 0 } path ? Encoded(path) : "";
            var all = client.PersonalNamespaces.Concat(client.OtherNamespaces).Concat(client.SharedNamespaces).ToList();
            if (who.Root is { } root)
            {
                var named = all.FirstOrDefault(n => Normal(n.Path) == Normal(root))
                    ?? throw new FaultException(
                        new Fault(
                            Cause.FolderRefused,
                            who.Account,
                            $"{service.Name} has no root '{root}' for this account; it has "
                                + $"{string.Join(", ", all.Select(n => $"'{n.Path}'"))}"
                        ),
                        Verdict.Close
                    );
                (prefix, separator) = (Encoded(named.Path), named.DirectorySeparator);
            }
            if (prefix.Length > 0 && separator is { } s && s != '\0' && !prefix.EndsWith(s))
                prefix += s;
            return new ImapTraits(
                client.Capabilities,
                separator is '\0' ? null : separator,
                prefix,
                who.Root is not null,
                [.. all.Select(n => Encoded(n.Path)).Where(p => p.Length > 0 && !prefix.StartsWith(p, StringComparison.Ordinal))],
                (client.Capabilities & ImapCapabilities.AppendLimit) != 0 && client.AppendLimit is { } most ? new ByteCount(most) : null
            )
            {
                Utf8 = utf8,
            };
        }
        catch (AuthenticationException e)
        {
            throw Refused(said, who, service, e);
        }
        catch (ImapCommandException e)
        {
            throw Refused(said, who, service, e);
        }
        catch (Exception e)
            when (e is ImapProtocolException or IOException or System.Net.Sockets.SocketException or MailKit.ServiceNotConnectedException)
        {
            var result = said.Result;
            if (result?.Status == "BYE")
                throw new FaultException(
                    new Fault(Cause.ServiceBusy, service.Name, $"the server closed the connection: {result.Text}", result.CodeName),
                    Verdict.Close,
                    e
                );
            var isGarbage = watched.IsEndless || (e is ImapProtocolException && !watched.HasEnded);
            throw new FaultException(
                new Fault(
                    isGarbage ? Cause.ProtocolBroken : Cause.ConnectionLost,
                    service.Name,
                    isGarbage ? "what answers does not speak IMAP as it should" : "the connection was lost during sign-in"
                ),
                Verdict.Close,
                e
            );
        }
        catch (TimeoutException e) when (client.Timeout == GreetingPatience)
        {
            throw new FaultException(
                new Fault(
                    Cause.Unreachable,
                    service.Name,
                    $"the server took the connection and did not greet within {GreetingPatience / 1000} s"
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

    /// <summary>Roots are named with or without their last separator.</summary>
    private static string Normal(string root) => root.TrimEnd('/', '.', '\\');

    private static async Task AuthenticateAsync(
        ImapClient client,
        LastAnswer said,
        Service service,
        Credentials who,
        AccessTokens? tokens,
        CancellationToken cancel
    )
    {
        switch (service.SignIn)
        {
            case Core.Planning.SignIn.OAuth oauth:
                var token = await tokens!.GetAsync(service, who, null, cancel);
                try
                {
                    await client.AuthenticateAsync(Bearer(client, oauth, service, who, token), cancel);
                }
                catch (AuthenticationException)
                    when (said.Result is { Status: "NO" }
                        && SignInHints.CauseOf(said.Result, oauth) is Cause.SignInRefused or Cause.AccountNotFound
                        && said.Bearer?.MissingScope(token) is null
                    )
                {
                    // Revoked or ended early: one with a later date may be had.
                    token = await tokens.GetAsync(service, who, token.Value, cancel);
                    await client.AuthenticateAsync(Bearer(client, oauth, service, who, token), cancel);
                }
                break;
            case Core.Planning.SignIn.OnBehalf { LoginPattern: null } onBehalf:
                if (!client.AuthenticationMechanisms.Contains("PLAIN"))
                    throw new FaultException(
                        new Fault(
                            Cause.NotOnBehalf,
                            service.Name,
                            "the server does not offer PLAIN, which signs an administrator in for others; if it takes both in the login, "
                                + "give login: a pattern"
                        ),
                        Verdict.Close
                    );
                await client.AuthenticateAsync(new SaslMechanismPlain(onBehalf.Admin, who.Secret) { AuthorizationId = who.Login }, cancel);
                break;
            default:
                var login = (service.SignIn as Core.Planning.SignIn.OnBehalf)?.LoginFor(who.Login) ?? who.Login;
                var mechanism = PasswordMechanism.Strongest(client.AuthenticationMechanisms, login, who.Secret);
                if (mechanism is null && (client.Capabilities & ImapCapabilities.LoginDisabled) != 0)
                    throw new FaultException(
                        new Fault(Cause.TlsNotOffered, service.Name, "the server takes no password over an unprotected connection"),
                        Verdict.Close
                    );
                if (mechanism is not null)
                {
                    await client.AuthenticateAsync(mechanism, cancel);
                    PasswordMechanism.RequireProof(mechanism, service);
                    break;
                }
                // The LOGIN command (RFC 9051 §6.2.3), where the server has no SASL mechanism that we have.
                client.AuthenticationMechanisms.Clear();
                await client.AuthenticateAsync(login, who.Secret, cancel);
                break;
        }
    }

    private static SaslMechanism Bearer(
        ImapClient client,
        Core.Planning.SignIn.OAuth signIn,
        Service service,
        Credentials who,
        AccessToken token
    )
    {
        var mechanism = signIn.Bearer
            ?? (client.AuthenticationMechanisms.Contains("OAUTHBEARER") ? BearerMechanism.OAuthBearer : BearerMechanism.XOAuth2);
        var name = mechanism is BearerMechanism.OAuthBearer ? "OAUTHBEARER" : "XOAUTH2";
        if (!client.AuthenticationMechanisms.Contains(name))
            throw new FaultException(
                new Fault(Cause.SignInRefused, service.Name, $"the server does not take access tokens ({name} is not offered)"),
                Verdict.Close
            );
        return mechanism is BearerMechanism.OAuthBearer
            ? new SaslMechanismOAuthBearer(who.Login, token.Value)
            : new SaslMechanismOAuth2(who.Login, token.Value);
    }

    private static FaultException Refused(LastAnswer said, Credentials who, Service service, Exception inner)
    {
        if ((inner as SaslException ?? inner.InnerException as SaslException) is { } sasl)
            return new FaultException(
                new Fault(Cause.SignInRefused, service.Name, $"the sign-in was broken off: {sasl.Message.TrimEnd('.')}"),
                Verdict.Close,
                inner
            );
        var result = said.Result ?? new ImapResult("NO", null, "");
        // A server that goes down in mid-sign-in has not judged the password: nobody is to be told that it is wrong.
        if (result.Status is not ("NO" or "BAD"))
            return new FaultException(
                new Fault(Cause.ServiceBusy, service.Name, $"the server ended the sign-in: {result.Text}", result.CodeName),
                Verdict.Close,
                inner
            );
        if (
            said.Bearer is { } bearer
            && bearer.Scope is { Length: > 0 } scope
            && bearer.Status?.Contains("scope", StringComparison.OrdinalIgnoreCase) == true
        )
            return new FaultException(
                new Fault(Cause.ScopeMissing, who.Account, $"{service.Name} wants the permission {scope}", result.CodeName),
                Verdict.Close,
                inner
            );
        var cause = SignInHints.CauseOf(result, service.SignIn);
        // A password that is wrong only in the form of its login looks like a wrong password: say which form was tried.
        var text = result.Text.Length > 0 ? $": \"{result.Text}\"" : "";
        var login = service.SignIn is Core.Planning.SignIn.OnBehalf onBehalf
            ? onBehalf.LoginPattern is null
                ? $"{who.Login} by {onBehalf.Admin}"
                : onBehalf.LoginFor(who.Login)
            : who.Login;
        return new FaultException(
            new Fault(cause, who.Account, $"{service.Name} refused the sign-in of {login}{text}", result.CodeName),
            Verdict.Close,
            inner
        );
    }

    /// <summary>What a server says about a token that it does not take (RFC 7628 §3.2.2).</summary>
    private sealed record BearerError(string? Status, string? Scope)
    {
        /// <summary>The first scope that the server wants and the token is known not to have.</summary>
        public string? MissingScope(AccessToken token) =>
            token.Scopes is { } granted
                ? Scope?.Split(' ', StringSplitOptions.RemoveEmptyEntries).FirstOrDefault(s => !granted.Contains(s))
                : null;
    }

    /// <summary>
    /// Keeps the last status line of the server: MailKit's exceptions leave out the response code. What we send is not looked at.
    /// </summary>
    private sealed class LastAnswer
    {
        private string _line = "";

        public BearerError? Bearer { get; private set; }

        public ImapResult? Result
        {
            get
            {
                var space = _line.IndexOf(' ', StringComparison.Ordinal);
                return space < 0 ? null : ImapResult.Parse(Encoding.UTF8.GetBytes(_line[(space + 1)..]));
            }
        }

        public void Hear(string line)
        {
            if (line.StartsWith("* BYE", StringComparison.Ordinal) || (line.Length > 0 && line[0] is not '*' and not '+'))
                _line = line;
            else if (line.StartsWith("+ ey", StringComparison.Ordinal))
                Bearer = ReadBearer(line[2..]);
        }

        private static BearerError? ReadBearer(string base64)
        {
            try
            {
                using var json = System.Text.Json.JsonDocument.Parse(Convert.FromBase64String(base64));
                string? Text(string name) => json.RootElement.TryGetProperty(name, out var value) ? value.ToString() : null;
                return new BearerError(Text("status"), Text("scope"));
            }
            catch (Exception e) when (e is FormatException or System.Text.Json.JsonException or InvalidOperationException)
            {
                // It says why in another way, or not at all: its refusal stands without.
                return null;
            }
        }
    }
}

using System.Net;
using System.Net.Sockets;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.SignIn;
using MailKit;
using MailKit.Net.Smtp;
using MailKit.Security;
using MimeKit;
using MimeKit.Text;

namespace EasyCaravan.Protocols.Smtp;

/// <summary>Sends letters over SMTP (RFC 5321, RFC 6409).</summary>
public sealed class SmtpSender : IMessageSender
{
    private static readonly TimeSpan s_patience = TimeSpan.FromMinutes(2);

    private readonly SmtpClient _client;
    private readonly HandoverStream _stream;
    private readonly string _host;

    private SmtpSender(SmtpClient client, HandoverStream stream, string host) => (_client, _stream, _host) = (client, stream, host);

    /// <exception cref="FaultException">It could not be had.</exception>
    public static Task<IMessageSender> OpenAsync(Notices notices, string? secret, CancellationToken cancel) =>
        OpenAsync(
            notices.Sending!,
            notices.Trust,
            (client, c) => notices.Login is { } login ? client.AuthenticateAsync(login.Login, secret!, c) : Task.CompletedTask,
            cancel
        );

    /// <summary>As somebody of a service, at the server by which its people send (RFC 6409).</summary>
    /// <exception cref="FaultException">It could not be had.</exception>
    public static Task<IMessageSender> OpenAsync(Service service, Credentials who, AccessTokens tokens, CancellationToken cancel) =>
        OpenAsync(
            service.Sending!,
            service.Trust,
            async (client, c) =>
            {
                // A relay that takes mail from this machine without asking who sends it.
                if (client.AuthenticationMechanisms.Count == 0)
                    return;
                if (await MechanismAsync(service, who, tokens, client.AuthenticationMechanisms, c) is { } mechanism)
                    await client.AuthenticateAsync(mechanism, c);
                else
                    throw new NotSupportedException("no known mechanism");
            },
            cancel
        );

    private static async Task<SaslMechanism?> MechanismAsync(
        Service service,
        Credentials who,
        AccessTokens tokens,
        IReadOnlySet<string> offered,
        CancellationToken cancel
    ) =>
        service.SignIn switch
        {
            Core.Planning.SignIn.OAuth => await TokenMechanismAsync(service, who, tokens, offered, cancel),
            // RFC 4616 §2: the administrator signs in and acts for the account.
            Core.Planning.SignIn.OnBehalf { LoginPattern: null } onBehalf => new SaslMechanismPlain(onBehalf.Admin, who.Secret)
            {
                AuthorizationId = who.Login,
            },
            Core.Planning.SignIn.OnBehalf onBehalf => PasswordMechanism.Strongest(offered, onBehalf.LoginFor(who.Login), who.Secret),
            _ => PasswordMechanism.Strongest(offered, who.Login, who.Secret),
        };

    private static async Task<SaslMechanism> TokenMechanismAsync(
        Service service,
        Credentials who,
        AccessTokens tokens,
        IReadOnlySet<string> offered,
        CancellationToken cancel
    )
    {
        var credential = new NetworkCredential(who.Login, (await tokens.GetAsync(service, who, null, cancel)).Value);
        return offered.Contains("OAUTHBEARER") ? new SaslMechanismOAuthBearer(credential) : new SaslMechanismOAuth2(credential);
    }

    private static async Task<IMessageSender> OpenAsync(
        SendingConnection sending,
        Trust trust,
        Func<SmtpClient, CancellationToken, Task> signInAsync,
        CancellationToken cancel
    )
    {
        var stream = new HandoverStream(await SmtpConnector.ConnectAsync(sending, trust, cancel));
        var client = new SmtpClient { Timeout = (int)s_patience.TotalMilliseconds };
        try
        {
            await client.ConnectAsync(stream, sending.Host, sending.Port, SecureSocketOptions.None, cancel);
            // Without BDAT (RFC 3030), which hands a letter over in a way that cannot be told from outside.
            client.Capabilities &= ~SmtpCapabilities.Chunking;
            await signInAsync(client, cancel);
            return new SmtpSender(client, stream, sending.Host);
        }
        catch (Exception e) when (e is not OperationCanceledException || !cancel.IsCancellationRequested)
        {
            client.Dispose();
            await stream.DisposeAsync();
            throw new FaultException(FaultOf(e, sending.Host), Verdict.Close, e);
        }
    }

    public async Task<LetterEnd> SendAsync(OutgoingLetter letter, Func<CancellationToken, Task<bool>> beforeData, CancellationToken cancel)
    {
        if (NoAddress(letter.To, letter.From, letter.ReplyTo) is { } refused)
            return refused;
        using var message = MessageOf(letter);
        return await SendAsync(letter.To, beforeData, c => _client.SendAsync(message, c), cancel);
    }

    public async Task<LetterEnd> SendOctetsAsync(string from, string to, ReadOnlyMemory<byte> message, CancellationToken cancel)
    {
        if (NoAddress(to, from, null) is { } refused)
            return refused;
        using var stream = new MemoryStream(message.ToArray(), writable: false);
        using var letter = await MimeMessage.LoadAsync(stream, cancel);
        MailboxAddress[] recipients = [MailboxAddress.Parse(to)];
        return await SendAsync(
            to,
            _ => Task.FromResult(true),
            c => _client.SendAsync(FormatOptions.Default, letter, MailboxAddress.Parse(from), recipients, c),
            cancel
        );
    }

    /// <summary>A login may look like an address and be none: that stops no other letter.</summary>
    private static LetterEnd.Refused? NoAddress(string to, string from, string? replyTo) =>
        new[] { to, from, replyTo }.FirstOrDefault(a => a is not null && !MailboxAddress.TryParse(a, out _)) is { } wrong
            ? new LetterEnd.Refused(new Fault(Cause.MessageRefused, to, $"'{wrong}' is no mail address"))
            : null;

    private async Task<LetterEnd> SendAsync(
        string to,
        Func<CancellationToken, Task<bool>> beforeData,
        Func<CancellationToken, Task<string>> sendAsync,
        CancellationToken cancel
    )
    {
        _stream.Reset();
        _stream.BeforeData = beforeData;
        try
        {
            return new LetterEnd.Taken(await sendAsync(cancel));
        }
        catch (SmtpCommandException e)
        {
            // RFC 5321 §4.2.1: 5 is for good, 4 for now.
            var isForGood = (int)e.StatusCode >= 500;
            var fault = FaultOf(e, _host);
            return isForGood ? new LetterEnd.Refused(fault with { Whom = to }) : new LetterEnd.NotNow(fault);
        }
        catch (Exception e) when (e is not OperationCanceledException || _stream.HasBegun)
        {
            var fault = FaultOf(e, _host);
            return _stream.HasEnded ? new LetterEnd.Unclear(fault) : new LetterEnd.NotNow(fault);
        }
    }

    private static MimeMessage MessageOf(OutgoingLetter letter)
    {
        var message = new MimeMessage { MessageId = letter.MessageId, Subject = letter.Letter.Subject };
        message.From.Add(MailboxAddress.Parse(letter.From));
        message.To.Add(MailboxAddress.Parse(letter.To));
        if (letter.ReplyTo is { } reply)
            message.ReplyTo.Add(MailboxAddress.Parse(reply));
        // RFC 3834 §5: no machine shall answer it.
        message.Headers.Add(HeaderId.AutoSubmitted, "auto-generated");
        message.Body = new MultipartAlternative(
            new TextPart(TextFormat.Plain) { Text = letter.Letter.Text },
            new TextPart(TextFormat.Html) { Text = letter.Letter.Html }
        );
        // RFC 3282 §2: the language that it is in.
        message.Body.Headers.Add(HeaderId.ContentLanguage, letter.Language);
        return message;
    }

    private static Fault FaultOf(Exception e, string host) =>
        e switch
        {
            FaultException fault => fault.Fault,
            AuthenticationException => new Fault(Cause.SignInRefused, host, $"the sending server does not let the sender in: {Said(e)}"),
            SmtpCommandException command => new Fault(
                (int)command.StatusCode >= 500 ? Cause.MessageRefused : Cause.ServiceBusy,
                host,
                $"the sending server answered {(int)command.StatusCode}: {Said(e)}"
            ),
            TimeoutException or OperationCanceledException => new Fault(Cause.TimedOut, host, "the sending server does not answer"),
            SmtpProtocolException => new Fault(
                Cause.ProtocolBroken,
                host,
                "the sending server broke off, or did not answer as the protocol has it"
            ),
            IOException or SocketException or ServiceNotConnectedException => new Fault(
                Cause.ConnectionLost,
                host,
                "the connection to the sending server was lost"
            ),
            NotSupportedException => new Fault(Cause.SignInRefused, host, "the sending server offers no sign-in that is known here"),
            _ => new Fault(Cause.Unexpected, host, $"a letter could not be sent ({e.GetType().Name})"),
        };

    private static string Said(Exception e) => new([.. e.Message.ReplaceLineEndings(" ").Where(c => !char.IsControl(c)).Take(300)]);

    public async ValueTask DisposeAsync()
    {
        try
        {
            if (_client.IsConnected)
                await _client.DisconnectAsync(true);
        }
        catch (Exception e) when (e is IOException or ProtocolException or CommandException or SocketException)
        {
            // A courtesy: what was sent stands.
        }
        _client.Dispose();
        await _stream.DisposeAsync();
    }
}

/// <inheritdoc/>
public sealed class SmtpSenders(AccessTokens tokens) : IMessageSenders
{
    public Task<IMessageSender> OpenAsync(Notices notices, string? secret, CancellationToken cancel) =>
        SmtpSender.OpenAsync(notices, secret, cancel);

    public Task<IMessageSender> OpenAsync(Service service, Credentials who, CancellationToken cancel) =>
        SmtpSender.OpenAsync(service, who, tokens, cancel);
}

using System.Net.Sockets;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
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
    public static async Task<IMessageSender> OpenAsync(Notices notices, string? secret, CancellationToken cancel)
    {
        var sending = notices.Sending!;
        var stream = new HandoverStream(await SmtpConnector.ConnectAsync(sending, notices.Trust, cancel));
        var client = new SmtpClient { Timeout = (int)s_patience.TotalMilliseconds };
        try
        {
            await client.ConnectAsync(stream, sending.Host, sending.Port, SecureSocketOptions.None, cancel);
            // Without BDAT (RFC 3030), which hands a letter over in a way that cannot be told from outside.
            client.Capabilities &= ~SmtpCapabilities.Chunking;
            if (notices.Login is { } login)
                await client.AuthenticateAsync(login.Login, secret!, cancel);
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
        _stream.Reset();
        _stream.BeforeData = beforeData;
        using var message = MessageOf(letter);
        try
        {
            return new LetterEnd.Taken(await _client.SendAsync(message, cancel));
        }
        catch (SmtpCommandException e)
        {
            // RFC 5321 §4.2.1: 5 is for good, 4 for now.
            var isForGood = (int)e.StatusCode >= 500;
            var fault = FaultOf(e, _host);
            return isForGood ? new LetterEnd.Refused(fault with { Whom = letter.To }) : new LetterEnd.NotNow(fault);
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
public sealed class SmtpSenders : IMessageSenders
{
    public Task<IMessageSender> OpenAsync(Notices notices, string? secret, CancellationToken cancel) =>
        SmtpSender.OpenAsync(notices, secret, cancel);
}

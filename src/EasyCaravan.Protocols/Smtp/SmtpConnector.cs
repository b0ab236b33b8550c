using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Connecting;

namespace EasyCaravan.Protocols.Smtp;

/// <summary>A connection on which an SMTP server's greeting is the next thing to read.</summary>
internal static class SmtpConnector
{
    public static Task<Stream> ConnectAsync(SendingConnection sending, Trust trust, CancellationToken cancel) =>
        Connector.ConnectAsync(new Endpoint(sending.Host, sending.Host, sending.Port, sending.Security, trust), UpgradeAsync, null, cancel);

    /// <summary>STARTTLS (RFC 3207). What was told before it is asked again after it (§4.2).</summary>
    private static async Task<byte[]> UpgradeAsync(StartTlsDialog talk, CancellationToken cancel)
    {
        if (await AnswerAsync(talk, cancel) is var greeting && !greeting.StartsWith("220", StringComparison.Ordinal))
            throw talk.Refused(Cause.ServiceBusy, $"the server did not greet: \"{greeting}\"");
        await talk.SayAsync("EHLO [127.0.0.1]", cancel);
        await AnswerAsync(talk, cancel);
        await talk.SayAsync("STARTTLS", cancel);
        if (await AnswerAsync(talk, cancel) is var answer && !answer.StartsWith("220", StringComparison.Ordinal))
            throw talk.Refused(Cause.TlsNotOffered, $"the server refused STARTTLS: \"{answer}\"");
        return "220 protected\r\n"u8.ToArray();
    }

    /// <summary>The last line of an answer: the others have a hyphen behind the number (RFC 5321 §4.2.1).</summary>
    private static async Task<string> AnswerAsync(StartTlsDialog talk, CancellationToken cancel)
    {
        string line;
        do line = await talk.HearAsync(cancel);
        while (line.Length > 3 && line[3] == '-');
        return line;
    }
}

using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Connecting;

namespace EasyCaravan.Protocols.Imap;

/// <summary>A connection on which an IMAP server's greeting is the next thing to read.</summary>
public static class ImapConnector
{
    /// <exception cref="FaultException">It could not be had; the fault says at which step and why.</exception>
    /// <param name="reach">Where its host may lead; null: anywhere, as a plan names it.</param>
    public static Task<Stream> ConnectAsync(
        Service service,
        Action<ConnectStep>? step,
        CancellationToken cancel,
        ReachRule? reach = null
    ) =>
        Connector.ConnectAsync(
            new Endpoint(service.Name, service.Mail!.Host, service.Mail!.Port, service.Mail!.Security, service.Trust) { Reach = reach },
            UpgradeAsync,
            step,
            cancel
        );

    /// <summary>STARTTLS (RFC 9051 §6.2.1). Everything received before it is discarded, except the text of the greeting.</summary>
    private static async Task<byte[]> UpgradeAsync(StartTlsDialog talk, CancellationToken cancel)
    {
        var greeting = await talk.HearAsync(cancel);
        // STARTTLS cannot be asked for any more, and whoever wrote this may have wanted just that (RFC 9051 §11.1).
        if (greeting.StartsWith("* PREAUTH", StringComparison.OrdinalIgnoreCase))
            throw talk.Refused(Cause.SignedInUnasked, "the server says that somebody is signed in already, before TLS");
        if (!greeting.StartsWith("* OK", StringComparison.OrdinalIgnoreCase))
            throw talk.Refused(Cause.ServiceBusy, $"the server did not greet: \"{greeting}\"");
        await talk.SayAsync("S STARTTLS", cancel);
        string line;
        do line = await talk.HearAsync(cancel);
        while (line.StartsWith("* ", StringComparison.Ordinal));
        if (!line.StartsWith("S OK", StringComparison.OrdinalIgnoreCase))
            throw talk.Refused(Cause.TlsNotOffered, $"the server refused STARTTLS: \"{line}\"");
        // Capabilities told before TLS must not be believed after it (RFC 9051 §11.1).
        return "* OK protected\r\n"u8.ToArray();
    }
}

using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;
using MailKit.Net.Imap;
using MailKit.Security;

namespace EasyCaravan.Protocols.Imap;

/// <summary>What a server can do and how it names folders, learnt at sign-in.</summary>
/// <param name="Prefix">Of the person's own folders (RFC 2342), such as <c>INBOX.</c>; empty where there is none.</param>
/// <param name="Foreign">Prefixes of other people's and shared folders, which are left alone.</param>
internal sealed record ImapTraits(ImapCapabilities Capabilities, char? Separator, string Prefix, IReadOnlyList<string> Foreign, long? LargestMessage)
{
    public bool Can(ImapCapabilities capability) => (Capabilities & capability) != 0;
}

/// <summary>
/// Signs in over a protected stream. MailKit speaks the greeting, capabilities, SASL and namespaces; after that the stream is ours
/// alone, as nothing else reads or writes it.
/// </summary>
internal static class ImapSignIn
{
    /// <summary>One mechanism, the best that both sides have: a wrong password tried with each in turn would lock the account.</summary>
    private static readonly string[] s_mechanisms = ["SCRAM-SHA-256", "SCRAM-SHA-1", "PLAIN", "LOGIN"];

    public static async Task<ImapTraits> SignInAsync(Stream stream, Service service, Credentials who, CancellationToken cancel)
    {
        using var said = new LastAnswer();
        // Not disposed: it would close the stream, which outlives it.
#pragma warning disable CA2000
        var client = new ImapClient(said) { Timeout = 60_000 };
#pragma warning restore CA2000
        try
        {
            await client.ConnectAsync(stream, service.Mail.Host, service.Mail.Port, SecureSocketOptions.None, cancel);
            var best = s_mechanisms.FirstOrDefault(client.AuthenticationMechanisms.Contains);
            client.AuthenticationMechanisms.RemoveWhere(m => m != best);
            if (best is null && (client.Capabilities & ImapCapabilities.LoginDisabled) != 0)
                throw new FaultException(new Fault(Cause.TlsNotOffered, service.Name, "the server takes no password over an unprotected connection"), Verdict.Close);
            await client.AuthenticateAsync(who.Login, who.Secret, cancel);
            var own = client.PersonalNamespaces.FirstOrDefault();
            var separator = own?.DirectorySeparator ?? client.Inbox?.DirectorySeparator;
            var prefix = own?.Path is { Length: > 0 } path ? ModifiedUtf7.Encode(path) : "";
            if (prefix.Length > 0 && separator is { } s && !prefix.EndsWith(s)) prefix += s;
            return new ImapTraits(
                client.Capabilities,
                separator is '\0' ? null : separator,
                prefix,
                [.. client.OtherNamespaces.Concat(client.SharedNamespaces).Select(n => ModifiedUtf7.Encode(n.Path)).Where(p => p.Length > 0)],
                (client.Capabilities & ImapCapabilities.AppendLimit) != 0 ? client.AppendLimit : null);
        }
        catch (AuthenticationException e)
        {
            throw Refused(said, who, service, e);
        }
        catch (ImapCommandException e)
        {
            throw Refused(said, who, service, e);
        }
        catch (Exception e) when (e is ImapProtocolException or IOException or System.Net.Sockets.SocketException or MailKit.ServiceNotConnectedException)
        {
            var result = said.Result;
            if (result?.Status == "BYE") throw new FaultException(new Fault(Cause.ServiceBusy, service.Name, $"the server closed the connection: {result.Text}", result.CodeName), Verdict.Close, e);
            throw new FaultException(new Fault(e is ImapProtocolException ? Cause.ProtocolBroken : Cause.ConnectionLost, service.Name, e is ImapProtocolException ? "what answers does not speak IMAP as it should" : "the connection was lost during sign-in"), Verdict.Close, e);
        }
        catch (TimeoutException e)
        {
            throw new FaultException(new Fault(Cause.TimedOut, service.Name, "the server did not finish the sign-in within 60 s"), Verdict.Close, e);
        }
    }

    private static FaultException Refused(LastAnswer said, Credentials who, Service service, Exception inner)
    {
        var result = said.Result ?? new ImapResult("NO", null, "");
        // A server that goes down in mid-sign-in has not judged the password: nobody is to be told that it is wrong.
        if (result.Status is not ("NO" or "BAD"))
            return new FaultException(new Fault(Cause.ServiceBusy, service.Name, $"the server ended the sign-in: {result.Text}", result.CodeName), Verdict.Close, inner);
        var fault = ImapCauses.Refused(result, who.Account, $"{service.Name} refused the sign-in of {who.Login}", Cause.SignInRefused);
        return new FaultException(fault, Verdict.Close, inner);
    }

    /// <summary>Keeps the last status line of the server: MailKit's exceptions leave out the response code. What we send is not looked at.</summary>
    private sealed class LastAnswer : MailKit.IProtocolLogger
    {
        private string _line = "";

        public MailKit.IAuthenticationSecretDetector? AuthenticationSecretDetector { get; set; }

        public ImapResult? Result
        {
            get
            {
                var space = _line.IndexOf(' ', StringComparison.Ordinal);
                return space < 0 ? null : ImapResult.Parse(System.Text.Encoding.UTF8.GetBytes(_line[(space + 1)..]));
            }
        }

        public void LogConnect(Uri uri) { }

        public void LogClient(byte[] buffer, int offset, int count) { }

        public void LogServer(byte[] buffer, int offset, int count)
        {
            foreach (var line in System.Text.Encoding.UTF8.GetString(buffer, offset, count).Split("\r\n"))
                if (line.StartsWith("* BYE", StringComparison.Ordinal) || (line.Length > 0 && line[0] is not '*' and not '+')) _line = line;
        }

        public void Dispose() { }
    }
}

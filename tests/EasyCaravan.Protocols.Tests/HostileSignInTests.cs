using System.Net.Sockets;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.ManageSieve;
using EasyCaravan.Protocols.Pop3;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Servers that mean no good, from the first octet to the end of the sign-in, over real sockets.</summary>
public sealed class HostileSignInTests
{
    private const string Secret = "Tr0ub4dour&tide";
    private const string Login = "aoife@saltmarsh.example";

    public enum Protocol
    {
        Imap,
        Pop3,
        Sieve,
    }

    private static Service ServiceOf(Protocol protocol, int port, Security security = Security.None) =>
        new(
            "lanternpost",
            new MailConnection(protocol is Protocol.Pop3 ? MailProtocol.Pop3 : MailProtocol.Imap, "127.0.0.1", port, security),
            new Core.Planning.SignIn.Password(null),
            new Trust.System(),
            Limits.Default
        )
        {
            Rules = new RulesConnection("127.0.0.1", port, security),
        };

    private static async Task SignInAsync(Protocol protocol, Service service)
    {
        var who = new Credentials(Login, Login, Secret);
        var cancel = TestContext.Current.CancellationToken;
        switch (protocol)
        {
            case Protocol.Imap:
                await using (var stream = await ImapConnector.ConnectAsync(service, null, cancel))
                    await ImapSignIn.SignInAsync(stream, service, who, null, cancel);
                break;
            case Protocol.Pop3:
                await using (var stream = await Pop3SignIn.ConnectAsync(service, null, cancel))
                    await Pop3SignIn.SignInAsync(stream, service, who, null, cancel);
                break;
            default:
                await using (await ManageSieveAccount.OpenAsync(service, who, null, null, cancel)) { }
                break;
        }
    }

    private static async Task<Fault> FaultOfAsync(Protocol protocol, RawServer server, Security security = Security.None)
    {
        using var secrecy = Secrecy.Begin();
        Secrecy.Keep(Secret, Login);
        var thrown = await Assert.ThrowsAsync<FaultException>(() => SignInAsync(protocol, ServiceOf(protocol, server.Port, security)));
        return thrown.Fault;
    }

    /// <summary>Refuses the sign-in, and sends back what it was sent.</summary>
    private static string AnswerOf(Protocol protocol, string line)
    {
        var tag = line.Split(' ')[0];
        var decoded = line;
        try
        {
            decoded = Encoding.UTF8.GetString(Convert.FromBase64String(line.Trim('"').Split(' ')[^1].Trim('"')));
        }
        catch (FormatException)
        {
            // It is no base64.
        }
        return protocol switch
        {
            Protocol.Imap when line.Contains("CAPABILITY", StringComparison.Ordinal) =>
                $"* CAPABILITY IMAP4rev1 SASL-IR AUTH=PLAIN\r\n{tag} OK done\r\n",
            Protocol.Imap => $"{tag} NO [AUTHENTICATIONFAILED] not with {line} nor {decoded.Replace('\0', ' ')}\r\n",
            Protocol.Pop3 when line == "CAPA" => "+OK\r\nSASL PLAIN\r\nUSER\r\n.\r\n",
            Protocol.Pop3 when line.StartsWith("AUTH", StringComparison.Ordinal) => "+ \r\n",
            Protocol.Pop3 => $"-ERR [AUTH] not with {line} nor {decoded.Replace('\0', ' ')}\r\n",
            _ => $"NO \"not with {line.Replace("\"", "", StringComparison.Ordinal)} nor {decoded.Replace('\0', ' ')}\"\r\n",
        };
    }

    private static string GreetingOf(Protocol protocol) =>
        protocol switch
        {
            Protocol.Imap => "* OK hello\r\n",
            Protocol.Pop3 => "+OK hello\r\n",
            _ => "\"IMPLEMENTATION\" \"x\"\r\n\"SASL\" \"PLAIN\"\r\n\"SIEVE\" \"fileinto\"\r\nOK\r\n",
        };

    /// <param name="piece">Octets of one write; 0: all at once.</param>
    /// <param name="most">Octets after which the connection ends.</param>
    private static async Task RefuseAsync(NetworkStream stream, Protocol protocol, int piece, int most)
    {
        async Task<bool> SayAsync(string text)
        {
            var octets = Encoding.UTF8.GetBytes(text);
            var left = octets.AsMemory(0, Math.Min(octets.Length, most));
            most -= left.Length;
            for (; left.Length > 0; left = left[Math.Min(left.Length, piece is 0 ? left.Length : piece)..])
                await stream.WriteAsync(left[..Math.Min(left.Length, piece is 0 ? left.Length : piece)]);
            return most > 0;
        }
        using var reader = new StreamReader(stream, leaveOpen: true);
        var goesOn = await SayAsync(GreetingOf(protocol));
        while (goesOn && await reader.ReadLineAsync() is { } line)
            goesOn = await SayAsync(AnswerOf(protocol, line));
    }

    [Theory]
    [InlineData(Protocol.Imap, 0)]
    [InlineData(Protocol.Imap, 1)]
    [InlineData(Protocol.Pop3, 0)]
    [InlineData(Protocol.Pop3, 1)]
    [InlineData(Protocol.Sieve, 0)]
    [InlineData(Protocol.Sieve, 1)]
    public async Task What_a_server_sends_back_of_the_secret_is_not_repeated(Protocol protocol, int piece)
    {
        await using var server = new RawServer(s => RefuseAsync(s, protocol, piece, int.MaxValue));
        var fault = await FaultOfAsync(protocol, server);
        Assert.Equal(Cause.SignInRefused, fault.Cause);
        Assert.Contains("not with", fault.What, StringComparison.Ordinal);
        Assert.DoesNotContain(Secret, fault.ToString(), StringComparison.Ordinal);
        Assert.DoesNotContain(
            Convert.ToBase64String(Encoding.UTF8.GetBytes($"\0{Login}\0{Secret}")),
            fault.ToString(),
            StringComparison.Ordinal
        );
    }

    [Theory]
    [InlineData(Protocol.Imap)]
    [InlineData(Protocol.Pop3)]
    [InlineData(Protocol.Sieve)]
    public async Task Cut_at_each_octet_it_is_a_lost_connection_or_a_refusal(Protocol protocol)
    {
        for (var most = 0; most < 150; most++)
        {
            var cut = most;
            await using var server = new RawServer(s => RefuseAsync(s, protocol, 0, cut));
            var fault = await FaultOfAsync(protocol, server);
            Assert.True(
                fault.Cause
                    is Cause.ConnectionLost
                        or Cause.SignInRefused
                        or Cause.ServiceBusy
                        or Cause.Unreachable
                        or Cause.ProtocolBroken
                        or Cause.TlsNotOffered,
                $"{most}: {fault.Cause} {fault.What}"
            );
        }
    }

    /// <summary>What has no end, and where it begins.</summary>
    public static TheoryData<Protocol, string, string> Endless() =>
        new()
        {
            { Protocol.Imap, "", "x" },
            { Protocol.Imap, "", "* OK more\r\n" },
            { Protocol.Imap, "* OK hello\r\n", "* CAPABILITY IMAP4rev1 " },
            { Protocol.Imap, "* OK hello\r\n", "* CAPABILITY IMAP4rev1 AUTH=PLAIN\r\n" },
            { Protocol.Imap, "* OK hello\r\n* LIST () {4294967295}\r\n", "y" },
            { Protocol.Imap, "* OK [CAPABILITY IMAP4rev1 ", "A" },
            { Protocol.Pop3, "", "x" },
            { Protocol.Pop3, "+OK hello\r\n+OK\r\n", "SASL PLAIN\r\n" },
            { Protocol.Pop3, "+OK hello\r\n+OK\r\nSASL ", "PLAIN " },
            { Protocol.Sieve, "", "x" },
            { Protocol.Sieve, "", "\"SASL\" \"PLAIN\"\r\n" },
            { Protocol.Sieve, "\"SASL\" {4294967295}\r\n", "z" },
            { Protocol.Sieve, "\"SASL\" {99999999999999999999}\r\n", "z" },
        };

    [Theory]
    [MemberData(nameof(Endless))]
    public async Task What_has_no_end_is_broken_off_and_not_kept(Protocol protocol, string first, string again)
    {
        RawServer? made = null;
        var octets = Encoding.ASCII.GetBytes(string.Concat(Enumerable.Repeat(again, 65_536 / again.Length)));
        await using var server = made = new RawServer(async stream =>
        {
            await stream.WriteAsync(Encoding.ASCII.GetBytes(first));
            await made!.WithoutEndAsync(stream, octets);
        });
        var fault = await FaultOfAsync(protocol, server);
        Assert.True(fault.Cause is Cause.ProtocolBroken or Cause.ServiceBusy, $"{fault.Cause} {fault.What}");
        // A few megabytes are on their way when the caller hangs up.
        Assert.InRange(server.Sent, 0, 32_000_000);
    }

    [Theory]
    [InlineData(Security.None)]
    [InlineData(Security.StartTls)]
    public async Task Who_is_signed_in_unasked_is_nobody_that_mail_is_read_from_or_written_to(Security security)
    {
        await using var server = new RawServer(async stream =>
        {
            await stream.WriteAsync("* PREAUTH [CAPABILITY IMAP4rev1] welcome back\r\n"u8.ToArray());
            using var reader = new StreamReader(stream, leaveOpen: true);
            while (await reader.ReadLineAsync() is { } line)
                await stream.WriteAsync(Encoding.ASCII.GetBytes($"{line.Split(' ')[0]} OK done\r\n"));
        });
        var fault = await FaultOfAsync(Protocol.Imap, server, security);
        Assert.Equal((Cause.SignedInUnasked, FaultAction.AskPerson), (fault.Cause, fault.Action));
    }

    [Theory]
    [InlineData(Protocol.Imap, "* OK hello\r\n", "S OK begin\r\n* CAPABILITY IMAP4rev1 AUTH=PLAIN\r\n")]
    [InlineData(Protocol.Pop3, "+OK hello\r\n", "+OK begin\r\n+OK so you are\r\n")]
    [InlineData(Protocol.Sieve, "\"STARTTLS\"\r\nOK\r\n", "OK\r\n\"SASL\" \"PLAIN\"\r\nOK\r\n")]
    public async Task Text_behind_the_consent_to_TLS_has_a_cause_of_its_own(Protocol protocol, string greeting, string consent)
    {
        await using var server = new RawServer(async stream =>
        {
            await stream.WriteAsync(Encoding.ASCII.GetBytes(greeting));
            using var reader = new StreamReader(stream, leaveOpen: true);
            await reader.ReadLineAsync();
            await stream.WriteAsync(Encoding.ASCII.GetBytes(consent));
        });
        var fault = await FaultOfAsync(protocol, server, Security.StartTls);
        Assert.Equal((Cause.TlsTampered, FaultAction.AskPerson), (fault.Cause, fault.Action));
    }

    /// <summary>Answers of servers that are too old: an alert (RFC 8446 §6.2), or a ServerHello of TLS 1.0 and of SSL 3.0.</summary>
    [Theory]
    [InlineData("15030100020246", Cause.TlsTooOld)]
    [InlineData("15030100020228", Cause.TlsTooOld)]
    [InlineData("15030300020247", Cause.TlsTooOld)]
    [InlineData("160301004a0200004603010000000000000000", Cause.TlsTooOld)]
    [InlineData("160300004a0200004603000000000000000000", Cause.TlsTooOld)]
    [InlineData("15030300020250", Cause.TlsNotOffered)]
    [InlineData("48545450", Cause.TlsNotOffered)]
    [InlineData("", Cause.ConnectionLost)]
    public async Task Why_TLS_cannot_begin_is_told(string answer, Cause cause)
    {
        await using var server = new RawServer(async stream =>
        {
            await stream.ReadAtLeastAsync(new byte[64], 64);
            await stream.WriteAsync(Convert.FromHexString(answer));
        });
        Assert.Equal(cause, (await FaultOfAsync(Protocol.Imap, server, Security.Tls)).Cause);
    }
}

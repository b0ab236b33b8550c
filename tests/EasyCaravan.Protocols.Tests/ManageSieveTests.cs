using System.Net;
using System.Net.Sockets;
using System.Text;
using EasyCaravan.Core.Crossing;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.ManageSieve;

namespace EasyCaravan.Protocols.Tests;

public sealed class ManageSieveTests
{
    private const string Greeting = "\"IMPLEMENTATION\" \"Test\"\r\n\"SASL\" \"PLAIN XOAUTH2\"\r\nOK \"ready\"\r\n";

    /// <summary>Answers each line of the client with the next of these, whole or an octet at a time, and keeps what was asked.</summary>
    private static async Task<(Task<string[]> Forwards, List<string> Asked)> RunAsync(bool slowly, params string[] answers)
    {
        var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        var asked = new List<string>();
        async Task ServeAsync()
        {
            using var client = await listener.AcceptTcpClientAsync();
            client.NoDelay = true;
            var stream = client.GetStream();
            using var reader = new StreamReader(stream);
            await SayAsync(stream, Greeting, slowly);
            foreach (var answer in answers)
            {
                if (await reader.ReadLineAsync() is not { } line)
                    break;
                asked.Add(line);
                await SayAsync(stream, answer, slowly);
            }
            listener.Stop();
        }
        var serving = ServeAsync();
        var service = new Service(
            "lanternpost",
            new MailConnection(MailProtocol.Imap, "h", 1, Security.None),
            new Core.Planning.SignIn.Password(null),
            new Trust.System(),
            Limits.Default
        )
        {
            Rules = new RulesConnection("127.0.0.1", ((IPEndPoint)listener.LocalEndpoint).Port, Security.None),
        };
        async Task<string[]> ReadAsync()
        {
            await using var rules = await ManageSieveAccount.OpenAsync(
                service,
                new Credentials("a", "a@x.example", "s"),
                null,
                null,
                CancellationToken.None
            );
            var (_, facts) = await new Forwarding(rules, "a").LookAsync(CancellationToken.None);
            await serving;
            return [.. facts.Addresses];
        }
        return (ReadAsync(), asked);
    }

    private static async Task SayAsync(NetworkStream stream, string text, bool slowly)
    {
        var octets = Encoding.UTF8.GetBytes(text);
        for (var i = 0; i < octets.Length; i += slowly ? 1 : octets.Length)
            await stream.WriteAsync(octets.AsMemory(i, slowly ? 1 : octets.Length));
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task The_active_scripts_redirects_are_read(bool slowly)
    {
        const string Script =
            "require \"copy\";\r\n# redirect \"no@x.example\"\r\n"
            + "if header :contains \"subject\" \"redirect \\\"x\\\"\" { redirect :copy \"é@x.example\"; }\r\n"
            + "/* redirect \"no@x.example\"; */ redirect \"two@x.example\";\r\n";
        var (forwards, asked) = await RunAsync(
            slowly,
            "OK\r\n",
            "\"old\"\r\n\"my \\\"rules\\\"\" ACTIVE\r\nOK\r\n",
            $"{{{Encoding.UTF8.GetByteCount(Script)}}}\r\n{Script}\r\nOK\r\n"
        );
        Assert.Equal(["é@x.example", "two@x.example"], await forwards);
        Assert.Equal("AUTHENTICATE \"PLAIN\" \"AGFAeC5leGFtcGxlAHM=\"", asked[0]);
        Assert.Equal("GETSCRIPT \"my \\\"rules\\\"\"", asked[2]);
    }

    [Fact]
    public async Task No_active_script_forwards_nowhere() =>
        Assert.Empty(await (await RunAsync(false, "OK\r\n", "\"old\"\r\nOK\r\n")).Forwards);

    [Theory]
    [InlineData(Cause.SignInRefused, "NO \"wrong\"\r\n")]
    [InlineData(Cause.ProtocolBroken, "OK\r\n", "\"a\" ACTIVE\r\nOK\r\n", "{99999999}\r\n")]
    [InlineData(Cause.NotPermitted, "OK\r\n", "NO \"not you\"\r\n")]
    [InlineData(Cause.ConnectionLost, "OK\r\n", "\"a\" ACTIVE\r\nOK\r\n", "{50}\r\nshort")]
    public async Task A_refusal_or_nonsense_is_a_named_cause(Cause cause, params string[] answers) =>
        Assert.Equal(
            cause,
            (await Assert.ThrowsAsync<FaultException>(async () => await (await RunAsync(false, answers)).Forwards)).Fault.Cause
        );
}

using System.Net;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;

namespace EasyCaravan.Protocols.Tests;

/// <summary>How a password is shown to an IMAP server: once, by the strongest way that both sides have.</summary>
public sealed class PasswordSignInTests
{
    private const string Secret = "marsh";

    /// <summary>What the client tried, by mechanism or command, in order.</summary>
    private readonly List<string> _tried = [];

    [Theory]
    [InlineData("AUTH=PLAIN AUTH=LOGIN", "PLAIN")]
    [InlineData("AUTH=LOGIN", "LOGIN")]
    [InlineData("AUTH=SCRAM-SHA-1 AUTH=PLAIN", "SCRAM-SHA-1")]
    [InlineData("AUTH=SCRAM-SHA-256 AUTH=SCRAM-SHA-1 AUTH=PLAIN", "SCRAM-SHA-256")]
    [InlineData("AUTH=SCRAM-SHA-256", "SCRAM-SHA-256")]
    [InlineData("", "LOGIN command")]
    public async Task After_a_refusal_no_other_way_is_tried(string offered, string tried)
    {
        var fault = await SignInAsync(offered, (_, _) => null);
        Assert.Equal(Cause.SignInRefused, fault!.Cause);
        Assert.Equal([tried], _tried);
    }

    [Fact]
    public async Task A_server_that_asks_for_minutes_of_work_is_left()
    {
        var began = System.Diagnostics.Stopwatch.StartNew();
        var fault = await SignInAsync("AUTH=SCRAM-SHA-256", (first, _) =>
            $"r={NonceOf(first)}x,s={Convert.ToBase64String("salt"u8)},i=20000000"
        );
        Assert.Equal(Cause.SignInRefused, fault!.Cause);
        Assert.Contains("20000000 iterations", fault.What, StringComparison.Ordinal);
        Assert.True(began.Elapsed < TimeSpan.FromSeconds(10), "twenty million iterations take longer");
    }

    [Theory]
    [InlineData(true, null)]
    [InlineData(false, Cause.SignInRefused)]
    public async Task A_server_has_to_show_that_it_knows_the_password_too(bool knows, Cause? cause)
    {
        var fault = await SignInAsync("AUTH=SCRAM-SHA-256", (first, final) =>
        {
            var challenge = $"r={NonceOf(first)}x,s={Convert.ToBase64String("salt"u8)},i=4096";
            return final is null ? challenge
                : knows ? $"v={ServerSignature(first, challenge, final)}"
                : "";
        });
        Assert.Equal(cause, fault?.Cause);
    }

    private static string NonceOf(string first) => first[(first.IndexOf("r=", StringComparison.Ordinal) + 2)..];

    /// <summary>RFC 5802 §3, worked out here by itself.</summary>
    private static string ServerSignature(string first, string challenge, string final)
    {
        var salted = Rfc2898DeriveBytes.Pbkdf2(Secret, "salt"u8, 4096, HashAlgorithmName.SHA256, 32);
        var message = $"{first[3..]},{challenge},{final[..final.LastIndexOf(",p=", StringComparison.Ordinal)]}";
        return Convert.ToBase64String(HMACSHA256.HashData(HMACSHA256.HashData(salted, "Server Key"u8), Encoding.UTF8.GetBytes(message)));
    }

    /// <param name="answer">
    /// Gets the client's first and, once it came, its final message; null refuses, an empty text lets the client in at once.
    /// </param>
    private async Task<Fault?> SignInAsync(string offered, Func<string, string?, string?> answer)
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        var serving = ServeAsync(listener, $"IMAP4rev1 SASL-IR {offered}".Trim(), answer);
        var service = new Service(
            "scripted",
            new MailConnection(MailProtocol.Imap, "127.0.0.1", ((IPEndPoint)listener.LocalEndpoint).Port, Security.None),
            new Core.Planning.SignIn.Password(null),
            new Trust.System(),
            Limits.Default
        );
        try
        {
            await using var account = await ImapMailAccount.OpenAsync(
                service,
                new Credentials("a@x.example", "a@x.example", Secret),
                null,
                null,
                null,
                CancellationToken.None
            );
            return null;
        }
        catch (FaultException e)
        {
            return e.Fault;
        }
        finally
        {
            listener.Stop();
            await serving;
        }
    }

    private async Task ServeAsync(TcpListener listener, string capabilities, Func<string, string?, string?> answer)
    {
        try
        {
            using var client = await listener.AcceptTcpClientAsync();
            using var reader = new StreamReader(client.GetStream());
            await using var writer = new StreamWriter(client.GetStream()) { AutoFlush = true, NewLine = "\r\n" };
            await writer.WriteLineAsync($"* OK [CAPABILITY {capabilities}] ready");
            while (await reader.ReadLineAsync() is { } line)
            {
                var words = line.Split(' ');
                if (words[1] == "LOGIN")
                {
                    _tried.Add("LOGIN command");
                    await writer.WriteLineAsync($"{words[0]} NO [AUTHENTICATIONFAILED] no");
                }
                else if (words[1] == "AUTHENTICATE")
                {
                    _tried.Add(words[2]);
                    await TalkAsync(reader, writer, words, answer);
                }
                else
                {
                    if (words[1] == "LIST")
                        await writer.WriteLineAsync("* LIST () \"/\" INBOX");
                    await writer.WriteLineAsync($"{words[0]} OK done");
                }
            }
        }
        catch (Exception e) when (e is IOException or SocketException or ObjectDisposedException)
        {
            // The client left.
        }
    }

    private static async Task TalkAsync(StreamReader reader, StreamWriter writer, string[] words, Func<string, string?, string?> answer)
    {
        static string Decode(string base64) => Encoding.UTF8.GetString(Convert.FromBase64String(base64));
        var first = words.Length > 3 ? Decode(words[3]) : "";
        string? final = null;
        while (answer(first, final) is { Length: > 0 } said)
        {
            await writer.WriteLineAsync($"+ {Convert.ToBase64String(Encoding.UTF8.GetBytes(said))}");
            if (await reader.ReadLineAsync() is not { } reply || reply == "*")
                break;
            if (reply.Length == 0 || final is not null)
            {
                await writer.WriteLineAsync($"{words[0]} OK in");
                return;
            }
            final = Decode(reply);
        }
        await writer.WriteLineAsync(
            final is not null && answer(first, final) == "" ? $"{words[0]} OK in" : $"{words[0]} NO [AUTHENTICATIONFAILED] no"
        );
    }
}

using System.Net;
using System.Net.Sockets;
using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;

namespace EasyCaravan.Protocols.Tests;

/// <summary>How a scripted server hands out its octets.</summary>
public enum Pieces
{
    Whole,
    OneByOne,
}

/// <summary>
/// A server that follows a script: each step waits for a line that begins so, then says its answer. It asserts what it is sent, octet by
/// octet, and can cut the connection at any octet of its answers.
/// </summary>
internal sealed class ScriptedServer : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly Task _run;
    private readonly List<string> _unexpected = [];
    private string _lastTag = "";

    /// <param name="capabilities">Beyond IMAP4rev1 and AUTH=PLAIN.</param>
    /// <param name="steps">
    /// What the client must send after signing in (tags are replaced by <c>T</c>), and the answer, in which <c>§</c> stands for the tag of
    /// the last command.
    /// </param>
    /// <param name="cutAfter">Octets of the answers after which the connection breaks; null: never.</param>
    public ScriptedServer(string capabilities, Pieces pieces, IEnumerable<(string Expect, string Answer)> steps, int? cutAfter = null)
    {
        _listener.Start();
        _run = RunAsync($"IMAP4rev1 AUTH=PLAIN {capabilities}".Trim(), pieces, [.. steps], cutAfter);
    }

    public Service Service =>
        new(
            "scripted",
            new MailConnection(MailProtocol.Imap, "127.0.0.1", ((IPEndPoint)_listener.LocalEndpoint).Port, Security.None),
            new Core.Planning.SignIn.Password(null),
            new Trust.System(),
            Limits.Default
        );

    /// <summary>Octets of answers given so far.</summary>
    public int Said { get; private set; }

    public async Task<IMailAccount> SignInAsync() =>
        await ImapMailAccount.OpenAsync(
            Service,
            new Credentials("a@x.example", "a@x.example", "secret"),
            null,
            null,
            null,
            CancellationToken.None
        );

    public async Task<List<string>> UnexpectedAsync()
    {
        await _run;
        return _unexpected;
    }

    public async ValueTask DisposeAsync()
    {
        _listener.Stop();
        await _run;
    }

    private async Task RunAsync(string capabilities, Pieces pieces, List<(string Expect, string Answer)> steps, int? cutAfter)
    {
        try
        {
            using var client = await _listener.AcceptTcpClientAsync();
            client.NoDelay = true;
            var stream = client.GetStream();
            await SayAsync(stream, $"* OK [CAPABILITY {capabilities}] ready\r\n", Pieces.Whole);
            while (await ReadLineAsync(stream) is { } line)
            {
                var space = line.IndexOf(' ', StringComparison.Ordinal);
                var (tag, command) = space < 0 ? ("", line) : (line[..space], line[(space + 1)..]);
                if (command.StartsWith("AUTHENTICATE PLAIN", StringComparison.Ordinal))
                {
                    if (!command.Contains(' ', StringComparison.Ordinal) || command == "AUTHENTICATE PLAIN")
                    {
                        await SayAsync(stream, "+ \r\n", Pieces.Whole);
                        await ReadLineAsync(stream);
                    }
                    await SayAsync(stream, $"{tag} OK [CAPABILITY {capabilities}] in\r\n", Pieces.Whole);
                    continue;
                }
                // Commands of the sign-in are not part of the script: the tags of those that are tested are shorter.
                if (steps.Count == 0 || (tag.Length > 4 && tag[1..].All(char.IsAsciiDigit)))
                {
                    if (command == "LOGOUT")
                        return;
                    if (command.StartsWith("LIST", StringComparison.Ordinal))
                        await SayAsync(
                            stream,
                            $"* LIST () \"/\" {(command.Contains("INBOX", StringComparison.Ordinal) ? "INBOX" : "\"\"")}\r\n",
                            Pieces.Whole
                        );
                    await SayAsync(stream, $"{tag} OK done\r\n", Pieces.Whole);
                    continue;
                }
                var (expect, answer) = steps[0];
                steps.RemoveAt(0);
                var sent = expect[0] is 'T' ? $"T {command}" : $"raw {line}";
                if (sent != expect)
                    _unexpected.Add($"expected '{expect}', got '{sent}'");
                if (cutAfter is { } cut && Said + answer.Length > cut)
                {
                    await SayAsync(stream, answer[..Math.Max(0, cut - Said)], pieces);
                    return;
                }
                Said += answer.Length;
                if (expect[0] is 'T')
                    _lastTag = tag;
                await SayAsync(stream, answer.Replace("§", _lastTag, StringComparison.Ordinal), pieces);
            }
        }
        catch (Exception e) when (e is IOException or SocketException or ObjectDisposedException)
        {
            // The client left.
        }
    }

    private static async Task SayAsync(NetworkStream stream, string text, Pieces pieces)
    {
        var octets = Encoding.Latin1.GetBytes(text);
        if (pieces is Pieces.Whole)
        {
            await stream.WriteAsync(octets);
            return;
        }
        for (var i = 0; i < octets.Length; i++)
            await stream.WriteAsync(octets.AsMemory(i, 1));
    }

    private static async Task<string?> ReadLineAsync(NetworkStream stream)
    {
        var line = new List<byte>();
        var octet = new byte[1];
        while (await stream.ReadAsync(octet) == 1)
        {
            if (octet[0] == '\n')
                return Encoding.Latin1.GetString([.. line]).TrimEnd('\r');
            line.Add(octet[0]);
        }
        return null;
    }
}

using System.Collections.Concurrent;
using System.Net.Security;
using System.Net.Sockets;
using System.Security.Cryptography.X509Certificates;
using System.Text;

namespace EasyCaravan.StandIns;

/// <summary>A message that a stand-in for sending has taken.</summary>
public sealed record StandInMail(string From, string To, byte[] Octets, DateTimeOffset At)
{
    public string Text => Encoding.UTF8.GetString(Octets);

    /// <summary>The value of a header field, unfolded and as it stands; null: it has none.</summary>
    public string? Header(string name)
    {
        var head = Text.Split("\r\n\r\n")[0]
            .Replace("\r\n ", " ", StringComparison.Ordinal)
            .Replace("\r\n\t", " ", StringComparison.Ordinal);
        return head.Split("\r\n")
            .FirstOrDefault(l => l.StartsWith($"{name}:", StringComparison.OrdinalIgnoreCase))
            ?[(name.Length + 1)..].Trim();
    }
}

/// <summary>How a stand-in for sending behaves.</summary>
public sealed record StandInSmtpManners
{
    /// <summary>TLS from the first octet with this certificate; null: none.</summary>
    public X509Certificate2? Certificate { get; init; }

    /// <summary>With what senders sign in; null: it takes mail from anybody.</summary>
    public (string Login, string Password)? SignIn { get; init; }

    /// <summary>Recipients that it does not know.</summary>
    public IReadOnlyCollection<string> Unknown { get; init; } = [];

    /// <summary>Answers every recipient that it is busy.</summary>
    public bool IsBusy { get; init; }

    /// <summary>Takes letters, and closes the connection before it says so.</summary>
    public bool LosesAnswers { get; init; }

    /// <summary>Closes the connection when it is to be given a letter.</summary>
    public bool LosesLetters { get; init; }
}

/// <summary>A small server for sending (RFC 5321) in memory, on loopback: for the demonstration and for faults on demand.</summary>
public sealed class StandInSmtp(StandInSmtpManners? manners = null) : StandInServer
{
    private readonly ConcurrentQueue<StandInMail> _mails = [];

    /// <summary>May change while it runs; the next command follows.</summary>
    public StandInSmtpManners Manners { get; set; } = manners ?? new StandInSmtpManners();

    /// <summary>In the order in which they came.</summary>
    public IReadOnlyCollection<StandInMail> Mails => _mails;

    /// <summary>Told of each mail before it is taken.</summary>
    public Action<StandInMail> Taking { get; set; } = _ => { };

    protected override async Task TalkAsync(TcpClient client, CancellationToken cancel)
    {
        Stream stream = client.GetStream();
        if (Manners.Certificate is { } certificate)
        {
            var tls = new SslStream(stream);
            await tls.AuthenticateAsServerAsync(certificate);
            stream = tls;
        }
        await using var own = stream;
        using var talk = new Talk(this, stream);
        await talk.RunAsync(cancel);
    }

    private sealed class Talk(StandInSmtp server, Stream stream) : IDisposable
    {
        private readonly StreamReader _reader = new(stream, Encoding.Latin1, leaveOpen: true);
        private string _from = "";
        private string _to = "";
        private bool _isSignedIn;

        public void Dispose() => _reader.Dispose();

        public async Task RunAsync(CancellationToken cancel)
        {
            await SayAsync("220 stand-in ESMTP", cancel);
            while (await _reader.ReadLineAsync(cancel) is { } line)
            {
                if (line.Equals("DATA", StringComparison.OrdinalIgnoreCase))
                {
                    if (server.Manners.LosesLetters)
                        return;
                    await SayAsync("354 go on", cancel);
                    if (!await TakeAsync(cancel))
                        return;
                    continue;
                }
                await SayAsync(await AnswerAsync(line, cancel), cancel);
                if (line.StartsWith("QUIT", StringComparison.OrdinalIgnoreCase))
                    return;
            }
        }

        private async Task<string> AnswerAsync(string line, CancellationToken cancel)
        {
            var manners = server.Manners;
            switch (line.Split(' ', ':')[0].ToUpperInvariant())
            {
                case "EHLO":
                    return manners.SignIn is null ? "250-stand-in\r\n250 8BITMIME" : "250-stand-in\r\n250-8BITMIME\r\n250 AUTH PLAIN";
                case "AUTH":
                    var sent = line.Split(' ');
                    if (sent.Length < 3)
                    {
                        await SayAsync("334 ", cancel);
                        sent = [.. sent, await _reader.ReadLineAsync(cancel) ?? ""];
                    }
                    var words = Encoding.UTF8.GetString(Convert.FromBase64String(sent[2])).Split('\0');
                    _isSignedIn = manners.SignIn is { } known && words.Length == 3 && (words[1], words[2]) == known;
                    return _isSignedIn ? "235 signed in" : "535 5.7.8 wrong login or password";
                case "MAIL" when manners.SignIn is not null && !_isSignedIn:
                    return "530 5.7.0 sign in first";
                case "MAIL":
                    _from = AddressIn(line);
                    return "250 fine";
                case "RCPT" when manners.IsBusy:
                    return "451 4.3.2 busy, come back later";
                case "RCPT" when manners.Unknown.Contains(AddressIn(line)):
                    return "550 5.1.1 nobody is called so here";
                case "RCPT":
                    _to = AddressIn(line);
                    return "250 fine";
                case "RSET" or "NOOP":
                    return "250 fine";
                case "QUIT":
                    return "221 good bye";
                default:
                    return "502 not known here";
            }
        }

        private static string AddressIn(string line) => line.Split('<', 2) is [_, var rest] ? rest.Split('>')[0] : "";

        /// <summary>False where the connection ends with it.</summary>
        private async Task<bool> TakeAsync(CancellationToken cancel)
        {
            var letter = new StringBuilder();
            while (await _reader.ReadLineAsync(cancel) is { } line)
            {
                if (line == ".")
                {
                    var mail = new StandInMail(_from, _to, Encoding.Latin1.GetBytes(letter.ToString()), DateTimeOffset.UtcNow);
                    server.Taking(mail);
                    server._mails.Enqueue(mail);
                    if (server.Manners.LosesAnswers)
                        return false;
                    await SayAsync($"250 taken as {server._mails.Count}", cancel);
                    return true;
                }
                // RFC 5321 §4.5.2: a dot at the beginning was doubled.
                letter.Append(line.StartsWith('.') ? line[1..] : line).Append("\r\n");
            }
            return false;
        }

        private Task SayAsync(string line, CancellationToken cancel) =>
            stream.WriteAsync(Encoding.Latin1.GetBytes(line + "\r\n"), cancel).AsTask();
    }
}

using System.Net;
using System.Net.Sockets;
using System.Text;

namespace EasyCaravan.Peers.Crossing;

/// <summary>A small SMTP client for tests alone: sends messages as they are, one session each.</summary>
public static class PlainSmtp
{
    /// <summary>Until the server has taken it; a server that is down is tried again.</summary>
    public static async Task SendAsync(int port, string from, IEnumerable<string> to, byte[] message, CancellationToken cancel)
    {
        while (true)
        {
            try
            {
                await TrySendAsync(port, from, to, message, cancel);
                return;
            }
            catch (Exception e) when (e is SocketException or IOException)
            {
                await Task.Delay(200, cancel);
            }
        }
    }

    private static async Task TrySendAsync(int port, string from, IEnumerable<string> to, byte[] message, CancellationToken cancel)
    {
        using var client = new TcpClient { NoDelay = true };
        await client.ConnectAsync(IPAddress.Loopback, port, cancel);
        using var reader = new StreamReader(client.GetStream(), Encoding.Latin1);
        async Task SayAsync(string? line, char expected)
        {
            if (line is not null)
                await client.GetStream().WriteAsync(Encoding.Latin1.GetBytes(line + "\r\n"), cancel);
            string answer;
            do answer = await reader.ReadLineAsync(cancel) ?? throw new IOException("The server ended the session.");
            while (answer.Length > 3 && answer[3] == '-');
            if (answer[0] != expected)
                throw new InvalidOperationException($"The server refused {line}: {answer}");
        }
        await SayAsync(null, '2');
        await SayAsync("EHLO outside.example", '2');
        await SayAsync($"MAIL FROM:<{from}>", '2');
        foreach (var recipient in to)
            await SayAsync($"RCPT TO:<{recipient}>", '2');
        await SayAsync("DATA", '3');
        var text = Encoding.Latin1.GetString(message).Replace("\r\n.", "\r\n..", StringComparison.Ordinal);
        await SayAsync(text + (text.EndsWith("\r\n", StringComparison.Ordinal) ? "." : "\r\n."), '2');
    }
}

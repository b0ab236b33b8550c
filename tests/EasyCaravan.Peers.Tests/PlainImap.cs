using System.Globalization;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.RegularExpressions;

namespace EasyCaravan.Peers;

/// <summary>One message as a server holds it.</summary>
public sealed record StoredMessage(uint Uid, string Flags, string Date, byte[] Octets);

/// <summary>
/// A small IMAP client for tests alone: plants mail and reads it back octet by octet. It shares no code with the product, so that what
/// it sees is an independent witness.
/// </summary>
public sealed partial class PlainImap : IDisposable
{
    private readonly TcpClient _client;
    private readonly BufferedStream _read;
    private readonly BufferedStream _write;
    private int _tag;

    private PlainImap(TcpClient client) =>
        (_client, _read, _write) = (
            client,
            new BufferedStream(client.GetStream(), 1 << 18),
            new BufferedStream(client.GetStream(), 1 << 18)
        );

    public static async Task<PlainImap> SignInAsync(int port, string user, string password)
    {
        var client = new TcpClient { NoDelay = true };
        await client.ConnectAsync(IPAddress.Loopback, port);
        var imap = new PlainImap(client);
        await imap.ReadLineAsync();
        await imap.RunAsync($"LOGIN \"{user}\" \"{password}\"");
        return imap;
    }

    /// <summary>Runs a command that must succeed; returns its untagged lines (literals inlined as Latin-1).</summary>
    public async Task<List<string>> RunAsync(string command)
    {
        var tag = $"p{++_tag}";
        await SendAsync($"{tag} {command}\r\n");
        return await AnswerAsync(tag);
    }

    /// <summary>Plants messages with MULTIAPPEND, a hundred at a time.</summary>
    /// <param name="folder">As the server writes it.</param>
    public async Task AppendAsync(string folder, IEnumerable<(string Flags, DateTimeOffset Date, byte[] Octets)> messages)
    {
        foreach (var chunk in messages.Chunk(100))
        {
            var tag = $"p{++_tag}";
            await SendAsync($"{tag} APPEND \"{folder}\"");
            foreach (var (flags, date, octets) in chunk)
            {
                await SendAsync($" ({flags}) {Written(date)} {{{octets.Length}+}}\r\n");
                await _write.WriteAsync(octets);
            }
            await SendAsync("\r\n");
            await AnswerAsync(tag);
        }
    }

    /// <summary>Plants messages as any server takes them: one at a time, each after its leave.</summary>
    /// <param name="utf8">As RFC 6855 §4 has it, for headers beyond ASCII.</param>
    public async Task AppendEachAsync(
        string folder,
        IEnumerable<(string Flags, DateTimeOffset Date, byte[] Octets)> messages,
        bool utf8 = false
    )
    {
        foreach (var (flags, date, octets) in messages)
        {
            var tag = $"p{++_tag}";
            await SendAsync($"{tag} APPEND \"{folder}\" ({flags}) {Written(date)} {(utf8 ? "UTF8 (~" : "")}{{{octets.Length}}}\r\n");
            await _write.FlushAsync();
            for (string line; !(line = await ReadLineAsync()).StartsWith('+'); )
                if (line.StartsWith(tag, StringComparison.Ordinal))
                    throw new InvalidOperationException($"The server refused: {line}");
            await _write.WriteAsync(octets);
            await SendAsync(utf8 ? ")\r\n" : "\r\n");
            await AnswerAsync(tag);
        }
    }

    private static string Written(DateTimeOffset date) =>
        $"\"{date.ToString("dd-MMM-yyyy HH:mm:ss ", CultureInfo.InvariantCulture)}"
        + $"{date.ToString("zzz", CultureInfo.InvariantCulture).Replace(":", "", StringComparison.Ordinal)}\"";

    public async Task<List<string>> ListFoldersAsync() =>
        [
            .. (await RunAsync("LIST \"\" \"*\""))
                .Where(l => !l.Contains("\\Noselect", StringComparison.OrdinalIgnoreCase))
                .Select(l => FolderName().Match(l).Groups[1].Value.Trim('"')),
        ];

    public async Task<List<StoredMessage>> ReadFolderAsync(string folder)
    {
        await RunAsync($"EXAMINE \"{folder}\"");
        var tag = $"p{++_tag}";
        await SendAsync($"{tag} UID FETCH 1:* (UID FLAGS INTERNALDATE BODY.PEEK[])\r\n");
        await _write.FlushAsync();
        var messages = new List<StoredMessage>();
        while (true)
        {
            var line = await ReadLineAsync();
            if (line.StartsWith(tag, StringComparison.Ordinal))
                return messages;
            if (!line.Contains(" FETCH ", StringComparison.Ordinal) || !line.EndsWith('}'))
                continue;
            var octets = await ReadOctetsAsync(int.Parse(line[(line.LastIndexOf('{') + 1)..^1], CultureInfo.InvariantCulture));
            await ReadLineAsync();
            var flags = string.Join(
                ' ',
                Flags()
                    .Match(line)
                    .Groups[1]
                    .Value.Split(' ', StringSplitOptions.RemoveEmptyEntries)
                    .Where(f => f != "\\Recent")
                    .Order(StringComparer.Ordinal)
            );
            messages.Add(
                new StoredMessage(
                    uint.Parse(Uid().Match(line).Groups[1].Value, CultureInfo.InvariantCulture),
                    flags,
                    Date().Match(line).Groups[1].Value,
                    octets
                )
            );
        }
    }

    public void Dispose()
    {
        _client.Dispose();
    }

    private async Task<List<string>> AnswerAsync(string tag)
    {
        await _write.FlushAsync();
        var lines = new List<string>();
        while (true)
        {
            var line = await ReadLineAsync();
            while (line.EndsWith('}') && line.LastIndexOf('{') is var open and >= 0)
                line +=
                    Encoding.Latin1.GetString(await ReadOctetsAsync(int.Parse(line[(open + 1)..^1], CultureInfo.InvariantCulture)))
                    + await ReadLineAsync();
            if (!line.StartsWith(tag + " ", StringComparison.Ordinal))
            {
                lines.Add(line);
                continue;
            }
            return line.StartsWith($"{tag} OK", StringComparison.Ordinal)
                ? lines
                : throw new InvalidOperationException($"The server refused: {line}");
        }
    }

    private ValueTask SendAsync(string text) => _write.WriteAsync(Encoding.Latin1.GetBytes(text));

    private async Task<byte[]> ReadOctetsAsync(int count)
    {
        var octets = new byte[count];
        await _read.ReadExactlyAsync(octets);
        return octets;
    }

    private async Task<string> ReadLineAsync()
    {
        var line = new List<byte>(100);
        var octet = new byte[1];
        while (true)
        {
            if (await _read.ReadAsync(octet) == 0)
                throw new IOException("The server closed the connection.");
            if (octet[0] == '\n')
                return Encoding.Latin1.GetString([.. line]).TrimEnd('\r');
            line.Add(octet[0]);
        }
    }

    [GeneratedRegex(@"^\* LIST \(.*?\) (?:""(?:\\.|[^""])*""|NIL) (.*)$")]
    private static partial Regex FolderName();

    [GeneratedRegex(@"FLAGS \((.*?)\)")]
    private static partial Regex Flags();

    [GeneratedRegex(@"UID (\d+)")]
    private static partial Regex Uid();

    [GeneratedRegex(@"INTERNALDATE ""(.*?)""")]
    private static partial Regex Date();
}

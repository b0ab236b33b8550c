using System.Globalization;
using System.Net;
using System.Net.Sockets;
using System.Text;

namespace EasyCaravan.Peers;

/// <summary>
/// A small ManageSieve client for tests alone: it shares no code with the product, so that what it sees is an independent witness.
/// </summary>
public sealed class PlainSieve : IDisposable
{
    private readonly TcpClient _client;
    private readonly BufferedStream _stream;

    private PlainSieve(TcpClient client) => (_client, _stream) = (client, new BufferedStream(client.GetStream()));

    public static async Task<PlainSieve> SignInAsync(int port, string user, string password)
    {
        var client = new TcpClient { NoDelay = true };
        await client.ConnectAsync(IPAddress.Loopback, port);
        var sieve = new PlainSieve(client);
        await sieve.AnswerAsync();
        var plain = Convert.ToBase64String(Encoding.UTF8.GetBytes($"\0{user}\0{password}"));
        await sieve.RunAsync($"AUTHENTICATE \"PLAIN\" \"{plain}\"");
        // Cyrus keeps whoever else signs in to the account waiting until a session has changed something, or ends.
        await sieve.PutAsync("witness", "keep;\r\n"u8.ToArray());
        await sieve.RemoveAsync("witness");
        return sieve;
    }

    public Task PutAsync(string name, byte[] script) => RunAsync($"PUTSCRIPT \"{name}\"", script);

    public Task ActivateAsync(string name) => RunAsync($"SETACTIVE \"{name}\"");

    public Task RemoveAsync(string name) => RunAsync($"DELETESCRIPT \"{name}\"");

    public async Task<byte[]> ReadAsync(string name) => (await RunAsync($"GETSCRIPT \"{name}\"")).Single().Octets;

    /// <summary>Each with a star before it where it is active.</summary>
    public async Task<string[]> ListAsync() =>
        [
            .. (await RunAsync("LISTSCRIPTS"))
                .Select(l => (l.After.Contains("ACTIVE", StringComparison.Ordinal) ? "*" : "") + Encoding.UTF8.GetString(l.Octets))
                .Order(StringComparer.Ordinal),
        ];

    private async Task<List<(byte[] Octets, string After)>> RunAsync(string command, byte[]? script = null)
    {
        await _stream.WriteAsync(Encoding.UTF8.GetBytes(script is null ? $"{command}\r\n" : $"{command} {{{script.Length}+}}\r\n"));
        if (script is not null)
            await _stream.WriteAsync((byte[])[.. script, (byte)'\r', (byte)'\n']);
        await _stream.FlushAsync();
        return await AnswerAsync();
    }

    private async Task<List<(byte[] Octets, string After)>> AnswerAsync()
    {
        var lines = new List<(byte[], string)>();
        while (true)
        {
            var line = await LineAsync();
            if (line.StartsWith("OK", StringComparison.OrdinalIgnoreCase))
                return lines;
            if (line.StartsWith("NO", StringComparison.OrdinalIgnoreCase) || line.StartsWith("BYE", StringComparison.OrdinalIgnoreCase))
                throw new InvalidOperationException(line);
            if (line.StartsWith('{'))
            {
                var octets = new byte[int.Parse(line.Trim('{', '}', '+'), CultureInfo.InvariantCulture)];
                await _stream.ReadExactlyAsync(octets);
                lines.Add((octets, await LineAsync()));
            }
            else if (line.StartsWith('"'))
            {
                var end = line.IndexOf('"', 1);
                lines.Add((Encoding.UTF8.GetBytes(line[1..end]), line[(end + 1)..]));
            }
        }
    }

    private async Task<string> LineAsync()
    {
        var line = new List<byte>();
        var octet = new byte[1];
        while (await _stream.ReadAsync(octet) > 0 && octet[0] != '\n')
            line.Add(octet[0]);
        return Encoding.UTF8.GetString([.. line]).TrimEnd('\r');
    }

    public void Dispose()
    {
        _stream.Dispose();
        _client.Dispose();
    }
}

using System.Net;
using System.Net.Sockets;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Pop3;

namespace EasyCaravan.Protocols.Tests;

/// <summary>POP3 servers that lack what is optional, or that make things up.</summary>
public sealed class Pop3AccountTests
{
    private const string First = "Message-ID: <1@saltmarsh.example>\r\nDate: Sat, 30 Mar 2019 23:59:58 -0130\r\n\r\nbody: one\r\n";

    [Theory]
    [InlineData("")]
    [InlineData("PIPELINING\r\n")]
    public async Task Without_TOP_headers_come_from_the_messages_themselves(string capability)
    {
        await using var server = new Server(capability, command => command switch
            {
                "UIDL" => "+OK\r\n1 a\r\n2 b\r\n3 c\r\n.\r\n",
                "LIST" => "+OK\r\n1 90\r\n2 8\r\n3 9\r\n.\r\n",
                "RETR 1" => $"+OK\r\n{First}.\r\n",
                "RETR 2" => "+OK\r\n\r\nbody\r\n.\r\n",
                _ => "-ERR not here\r\n",
            });
        await using var account = await server.SignInAsync();
        var headers = new List<ItemHeader>();
        await account.ReadHeadersAsync(FolderPath.Inbox, new NumberSet([1, 2, 3]), headers.Add, CancellationToken.None);
        Assert.Equal(
            [(1u, First[..First.IndexOf("body", StringComparison.Ordinal)]), (2u, "\r\n")],
            headers.Select(h => (h.Number, Encoding.Latin1.GetString(h.Header)))
        );
        var items = await account.ListItemsAsync(
            FolderPath.Inbox,
            new NumberSet([1]),
            new Dictionary<uint, Fault>(),
            CancellationToken.None
        );
        Assert.Equal(new DateTimeOffset(2019, 3, 30, 23, 59, 58, TimeSpan.FromMinutes(-90)), Assert.Single(items).Received);
    }

    [Theory]
    [InlineData("")]
    [InlineData("PIPELINING\r\n")]
    public async Task Cut_at_any_octet_it_is_a_lost_connection_and_whole_or_in_pieces_the_messages_come(string capability)
    {
        static string Answer(string command) =>
            command switch
            {
                "UIDL" => "+OK\r\n1 a\r\n2 b\r\n.\r\n",
                "LIST" => "+OK\r\n1 90\r\n2 8\r\n.\r\n",
                "TOP 1 0" => $"+OK\r\n{First[..First.IndexOf("body", StringComparison.Ordinal)]}.\r\n",
                "RETR 1" => $"+OK\r\n{First}..x\r\n.\r\n",
                "RETR 2" => "+OK\r\n\r\nbody\r\n.\r\n",
                _ => "-ERR not here\r\n",
            };
        static async Task<string> ReadAllAsync(Server server)
        {
            await using var account = await server.SignInAsync();
            var numbers = new NumberSet([1, 2]);
            Assert.Equal(2u, Assert.Single(await account.ListFoldersAsync(CancellationToken.None)).Cursor!.Count);
            Assert.Equal(
                2,
                (await account.ListItemsAsync(FolderPath.Inbox, numbers, new Dictionary<uint, Fault>(), CancellationToken.None)).Count
            );
            var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, numbers)], CancellationToken.None);
            var all = new MemoryStream();
            while (await reader.NextAsync(CancellationToken.None) is not null)
            while (await reader.ReadAsync(CancellationToken.None) is { Length: > 0 } piece)
                all.Write(piece.Span);
            return Encoding.Latin1.GetString(all.ToArray());
        }
        var said = 0;
        foreach (var inPieces in new[] { false, true })
        {
            await using var whole = new Server(capability, Answer, inPieces);
            Assert.Equal($"{First}.x\r\n\r\nbody\r\n", await ReadAllAsync(whole));
            said = whole.Said;
        }
        for (var cut = 0; cut < said; cut++)
        {
            await using var server = new Server(capability, Answer, cutAfter: cut);
            var fault = await Assert.ThrowsAsync<FaultException>(() => ReadAllAsync(server));
            Assert.Equal((Cause.ConnectionLost, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
        }
    }

    [Fact]
    public async Task A_list_without_end_is_cut_off()
    {
        var nonsense = string.Concat(Enumerable.Repeat("1 a\r\n", 1_000_001));
        await using var server = new Server("", command => command == "UIDL" ? $"+OK\r\n{nonsense}" : "-ERR no\r\n");
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() => account.ListFoldersAsync(CancellationToken.None));
        Assert.Equal((Cause.ProtocolBroken, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
    }

    /// <summary>Accepts every sign-in, and answers the commands after it as the test says.</summary>
    private sealed class Server : IAsyncDisposable, IItemNumbers
    {
        private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
        private readonly Task _run;

        /// <param name="inPieces">An octet at a time.</param>
        /// <param name="cutAfter">Octets of the answers after which the connection breaks.</param>
        public Server(string capability, Func<string, string> answer, bool inPieces = false, int cutAfter = int.MaxValue)
        {
            _listener.Start();
            _run = RunAsync(capability, answer, inPieces, cutAfter);
        }

        /// <summary>Octets of answers given so far.</summary>
        public int Said { get; private set; }

        public async Task<IMailAccount> SignInAsync()
        {
            var service = new Service(
                "lanternpost",
                new MailConnection(MailProtocol.Pop3, "127.0.0.1", ((IPEndPoint)_listener.LocalEndpoint).Port, Security.None),
                new Core.Planning.SignIn.Password(null),
                new Trust.System(),
                Limits.Default
            );
            return await Pop3MailAccount.OpenAsync(
                service,
                new Credentials("a@x.example", "a@x.example", "secret"),
                null,
                this,
                null,
                null,
                CancellationToken.None
            );
        }

        public Task<IReadOnlyList<uint>> NumberAsync(
            string service,
            string account,
            IReadOnlyList<string> names,
            CancellationToken cancel
        ) => Task.FromResult<IReadOnlyList<uint>>([.. names.Select((_, i) => (uint)i + 1)]);

        public async ValueTask DisposeAsync()
        {
            _listener.Stop();
            await _run;
        }

        private async Task RunAsync(string capability, Func<string, string> answer, bool inPieces, int cutAfter)
        {
            try
            {
                using var client = await _listener.AcceptTcpClientAsync();
                client.NoDelay = true;
                using var reader = new StreamReader(client.GetStream());
                await client.GetStream().WriteAsync("+OK ready\r\n"u8.ToArray());
                while (await reader.ReadLineAsync() is { } command)
                {
                    var way = command.Split(' ')[0] switch
                    {
                        "CAPA" => $"+OK\r\nUIDL\r\nUSER\r\n{capability}.\r\n",
                        "USER" or "PASS" or "STAT" or "QUIT" => "+OK 3 107\r\n",
                        _ => null,
                    };
                    var said = Encoding.Latin1.GetBytes(way ?? answer(command));
                    var length = way is null ? Math.Min(said.Length, cutAfter - Said) : said.Length;
                    var step = inPieces ? 1 : Math.Max(1, length);
                    for (var at = 0; at < length; at += step)
                        await client.GetStream().WriteAsync(said.AsMemory(at, step));
                    if (length < said.Length)
                        return;
                    if (way is null)
                        Said += length;
                }
            }
            catch (Exception e) when (e is IOException or SocketException or ObjectDisposedException)
            {
                // The client left.
            }
        }
    }
}

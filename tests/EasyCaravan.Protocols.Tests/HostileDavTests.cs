using System.Net;
using System.Net.Sockets;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Dav;

namespace EasyCaravan.Protocols.Tests;

/// <summary>The tests that measure the memory of this process run alone: other tests would be measured with them.</summary>
[CollectionDefinition(nameof(MeasuredMemory), DisableParallelization = true)]
public sealed class MeasuredMemory;

/// <summary>Servers of contacts and calendars that refuse, are in trouble, or mean harm: a named cause, and bounded memory.</summary>
[Collection(nameof(MeasuredMemory))]
public sealed class HostileDavTests : IAsyncDisposable
{
    private const string Collection = """
        <d:response><d:href>/home/book/</d:href><d:propstat><d:prop><d:resourcetype><d:collection/>
        <c:addressbook xmlns:c="urn:ietf:params:xml:ns:carddav"/></d:resourcetype><d:sync-token>t1</d:sync-token></d:prop>
        <d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>
        """;

    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly CancellationTokenSource _stop = new();
    private readonly Task _running;
    private Func<string, Stream, Task> _answers = (_, _) => Task.CompletedTask;

    public HostileDavTests()
    {
        _listener.Start();
        _running = RunAsync();
    }

    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    private Uri Address => new($"http://127.0.0.1:{((IPEndPoint)_listener.LocalEndpoint).Port}/home/");

    private static readonly CollectionState s_book = new(
        new Href("/home/book/"),
        new CollectionProperties("Book"),
        CollectionStanding.Own,
        new CollectionMark(new SyncToken("t1"), null)
    );

    [Theory]
    [InlineData("401 Unauthorized", "", "", Cause.SignInRefused)]
    [InlineData("401 Unauthorized", "", "<html><body>Use an app password</body></html>", Cause.AppPasswordNeeded)]
    [InlineData("403 Forbidden", "", "", Cause.NotPermitted)]
    [InlineData("404 Not Found", "", "", Cause.FolderRefused)]
    [InlineData("429 Too Many Requests", "Retry-After: 120\r\n", "", Cause.ServiceBusy)]
    [InlineData("503 Service Unavailable", "Retry-After: 120\r\n", "<p>Down for <b>maintenance</b></p>", Cause.ServiceBusy)]
    [InlineData("507 Insufficient Storage", "", "", Cause.NoRoom)]
    [InlineData("500 Internal Server Error", "", "<html><title>500</title><body><h1>Over quota</h1></body></html>", Cause.NoRoom)]
    [InlineData("207 Multi-Status", "", "<d:multistatus xmlns:d=\"DAV:\"><d:response>", Cause.ProtocolBroken)]
    [InlineData("207 Multi-Status", "", "<!DOCTYPE x [<!ENTITY a \"aaaa\">]><x>&a;</x>", Cause.ProtocolBroken)]
    [InlineData("207 Multi-Status", "", "<html>Hello</html>", Cause.ProtocolBroken)]
    public async Task What_a_list_is_answered_with_has_a_cause(string status, string headers, string body, Cause cause)
    {
        await using var account = await OpenAsync();
        _answers = (_, stream) => AnswerAsync(stream, status, headers, body);
        var fault = (await Assert.ThrowsAsync<FaultException>(() => account.ListAsync(Cancel))).Fault;
        Assert.Equal(cause, fault.Cause);
        Assert.DoesNotContain("<", fault.What, StringComparison.Ordinal);
        Assert.Equal(headers.Length > 0, fault.NotBefore is { } at && at > NodaTime.Instant.FromDateTimeOffset(DateTimeOffset.UtcNow));
    }

    [Fact]
    public async Task Another_host_gets_no_sign_in()
    {
        await using var account = await OpenAsync();
        _answers = (_, stream) =>
            AnswerAsync(
                stream,
                "207 Multi-Status",
                "",
                MultiStatus(Collection.Replace("/home/book/", "https://elsewhere.example/book/", StringComparison.Ordinal))
            );
        Assert.Equal(Cause.ProtocolBroken, (await Assert.ThrowsAsync<FaultException>(() => account.ListAsync(Cancel))).Fault.Cause);
        _answers = (_, stream) => AnswerAsync(stream, "301 Moved", "Location: https://elsewhere.example/\r\n", "");
        var moved = await Assert.ThrowsAsync<FaultException>(() => OpenAsync(known: false));
        Assert.Equal(
            (Cause.HostUnknown, true),
            (moved.Fault.Cause, moved.Fault.What.Contains("elsewhere.example", StringComparison.Ordinal))
        );
        _answers = (_, stream) => AnswerAsync(stream, "302 Found", "Location: /home/\r\n", "");
        Assert.Equal(Cause.ProtocolBroken, (await Assert.ThrowsAsync<FaultException>(() => OpenAsync(known: false))).Fault.Cause);
    }

    [Fact]
    public async Task A_list_without_end_is_given_up()
    {
        await using var account = await OpenAsync();
        var before = GC.GetTotalMemory(forceFullCollection: true);
        _answers = async (_, stream) =>
        {
            await WriteAsync(stream, "HTTP/1.1 207 Multi-Status\r\nConnection: close\r\n\r\n<d:multistatus xmlns:d=\"DAV:\">");
            for (var i = 0; ; i++)
                await WriteAsync(
                    stream,
                    string.Concat(
                        Enumerable
                            .Range(i * 1000, 1000)
                            .Select(n =>
                                $"<d:response><d:href>/home/book/{n}.vcf</d:href><d:propstat><d:prop><d:getetag>\"{n}\"</d:getetag>"
                                + "</d:prop></d:propstat></d:response>"
                            )
                    )
                );
        };
        var fault = (await Assert.ThrowsAsync<FaultException>(() => account.ReadChangesAsync(s_book, null, Cancel))).Fault;
        Assert.Equal((Cause.ProtocolBroken, true), (fault.Cause, fault.What.Contains("more than 250000 items", StringComparison.Ordinal)));
        Assert.InRange(GC.GetTotalMemory(forceFullCollection: true) - before, long.MinValue, 100_000_000);
    }

    [Fact]
    public async Task An_object_without_end_is_left_behind_and_the_others_come()
    {
        await using var account = await OpenAsync();
        _answers = async (head, stream) =>
        {
            if (!head.StartsWith("GET /home/book/large.vcf", StringComparison.Ordinal))
            {
                await AnswerAsync(
                    stream,
                    head.StartsWith("GET", StringComparison.Ordinal) ? "200 OK" : "501 Not Implemented",
                    "",
                    "BEGIN:VCARD\r\nEND:VCARD\r\n"
                );
                return;
            }
            await WriteAsync(stream, "HTTP/1.1 200 OK\r\nConnection: close\r\n\r\n");
            while (true)
                await WriteAsync(stream, new string('x', 64 * 1024));
        };
        var (read, unreadable) = (new List<string>(), new Dictionary<Href, Fault>());
        await account.ReadItemsAsync(
            s_book,
            [s_book.Href.Item("a.vcf"), s_book.Href.Item("large.vcf"), s_book.Href.Item("b.vcf")],
            (item, _) =>
            {
                read.Add(item.Href.Name);
                return ValueTask.CompletedTask;
            },
            unreadable,
            Cancel
        );
        Assert.Equal(["a.vcf", "b.vcf"], read);
        Assert.Equal(("large.vcf", Cause.ItemTooLarge), (unreadable.Single().Key.Name, unreadable.Single().Value.Cause));
    }

    [Theory]
    [InlineData(
        "403 Forbidden",
        "<d:error xmlns:d=\"DAV:\"><c:valid-address-data xmlns:c=\"urn:ietf:params:xml:ns:carddav\"/></d:error>",
        Cause.ItemRefused
    )]
    [InlineData("400 Bad Request", "Bad Request", Cause.ItemRefused)]
    [InlineData("413 Too Large", "", Cause.ItemTooLarge)]
    public async Task A_refused_item_stops_no_other(string status, string body, Cause cause)
    {
        await using var account = await OpenAsync();
        _answers = (_, stream) => AnswerAsync(stream, status, "", body);
        var write = await account.AddAsync(s_book.Href.Item("a.vcf"), "x"u8.ToArray(), Cancel);
        Assert.Equal(cause, Assert.IsType<ItemWrite.Refused>(write).Fault.Cause);
    }

    [Fact]
    public async Task A_UID_that_is_taken_and_a_condition_within_a_207_are_told_apart()
    {
        await using var account = await OpenAsync();
        _answers = (_, stream) =>
            AnswerAsync(
                stream,
                "403 Forbidden",
                "",
                "<d:error xmlns:d=\"DAV:\"><c:no-uid-conflict xmlns:c=\"urn:ietf:params:xml:ns:carddav\">"
                    + "<d:href>/home/other/b.vcf</d:href></c:no-uid-conflict></d:error>"
            );
        var taken = Assert.IsType<ItemWrite.UidTaken>(await account.AddAsync(s_book.Href.Item("a.vcf"), "x"u8.ToArray(), Cancel));
        Assert.Equal("/home/other/b.vcf", taken.Where.ToString());
        _answers = (_, stream) =>
            AnswerAsync(
                stream,
                "207 Multi-Status",
                "",
                MultiStatus(
                    "<d:response><d:href>/home/book/a.vcf</d:href><d:status>HTTP/1.1 412 Precondition Failed</d:status></d:response>"
                )
            );
        Assert.IsType<ItemWrite.NotAsExpected>(await account.AddAsync(s_book.Href.Item("a.vcf"), "x"u8.ToArray(), Cancel));
    }

    private async Task<DavCollectionAccount> OpenAsync(bool known = true)
    {
        var service = new Service("northquay", null, new Core.Planning.SignIn.Password(null), new Trust.System(), Limits.Default)
        {
            Contacts = new CollectionConnection.Dav(Address),
        };
        var home = new DavHome(null, [new Href("/home/")], [], false);
        return await DavCollectionAccount.OpenAsync(
            service,
            Kind.Contacts,
            new Credentials("a@saltmarsh.example", "a", "s"),
            null,
            known ? home : null,
            null,
            null,
            [new MemoryStream()],
            Cancel
        );
    }

    private static string MultiStatus(string responses) => $"<d:multistatus xmlns:d=\"DAV:\">{responses}</d:multistatus>";

    private static Task AnswerAsync(Stream stream, string status, string headers, string body) =>
        WriteAsync(
            stream,
            $"HTTP/1.1 {status}\r\n{headers}Content-Length: {Encoding.UTF8.GetByteCount(body)}\r\nConnection: close\r\n\r\n{body}"
        );

    private static async Task WriteAsync(Stream stream, string text) => await stream.WriteAsync(Encoding.UTF8.GetBytes(text));

    private async Task RunAsync()
    {
        try
        {
            while (true)
                _ = AnswerAsync(await _listener.AcceptTcpClientAsync(_stop.Token));
        }
        catch (Exception e) when (e is OperationCanceledException or SocketException or InvalidOperationException)
        {
            // The end: it was told to stop, or does not listen any more.
        }
    }

    private async Task AnswerAsync(TcpClient client)
    {
        using (client)
        {
            try
            {
                var stream = client.GetStream();
                var head = new List<byte>();
                var octet = new byte[1];
                while (
                    !Encoding.ASCII.GetString([.. head]).EndsWith("\r\n\r\n", StringComparison.Ordinal) && await stream.ReadAsync(octet) > 0
                )
                    head.Add(octet[0]);
                var text = Encoding.ASCII.GetString([.. head]);
                var length = text.Split("\r\n").FirstOrDefault(l => l.StartsWith("Content-Length:", StringComparison.Ordinal))?[15..];
                if (length is not null)
                    await stream.ReadExactlyAsync(new byte[int.Parse(length, System.Globalization.CultureInfo.InvariantCulture)]);
                await _answers(text, stream);
            }
            catch (IOException)
            {
                // The client had enough.
            }
        }
    }

    public async ValueTask DisposeAsync()
    {
        await _stop.CancelAsync();
        _listener.Stop();
        await _running;
        _stop.Dispose();
    }
}

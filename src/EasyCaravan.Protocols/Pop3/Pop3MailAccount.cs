using System.Globalization;
using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Lines;
using EasyCaravan.Protocols.SignIn;
using MailKit.Net.Pop3;

namespace EasyCaravan.Protocols.Pop3;

/// <summary>
/// One person's inbox over POP3 (RFC 1939): a from side only. There are no folders and no flags, and the date of receipt is the header's.
/// </summary>
public sealed class Pop3MailAccount : IMailAccount
{
    private static readonly TimeSpan s_patience = TimeSpan.FromMinutes(2);

    /// <summary>Commands that are sent before the first answer is read, when the server supports it (RFC 2449 §6.6).</summary>
    private const int Pipelined = 50;

    /// <summary>More messages than any inbox holds; a server that lists more would fill the memory.</summary>
    private const int MostMessages = 1_000_000;

    /// <summary>Octets of a header that are kept; the fields that identify a message come much earlier.</summary>
    private const int LongestHeader = 4 * 1024 * 1024;

    private readonly LineConnection _wire;
    private readonly Service _service;
    private readonly string _account;
    private readonly bool _pipelining;
    private readonly IItemNumbers _numbers;
    private readonly IDisposable? _slot;

    /// <summary>By our number: the place in this session, and the size that the server tells.</summary>
    private Dictionary<uint, (int Place, ByteCount Size)>? _items;
    private FolderCursor? _cursor;
    private Pop3MessageReader? _reader;

    private Pop3MailAccount(
        LineConnection wire,
        Service service,
        string account,
        Pop3Capabilities capabilities,
        IItemNumbers numbers,
        IDisposable? slot
    )
    {
        (_wire, _service, _account, _numbers, _slot) = (wire, service, account, numbers, slot);
        _pipelining = (capabilities & Pop3Capabilities.Pipelining) != 0;
    }

    public AccountTraits Traits { get; } = new(null, null);

    /// <param name="slot">Given back when the session ends, or does not come about.</param>
    /// <exception cref="FaultException">The fault tells at which step, and why.</exception>
    public static async Task<Pop3MailAccount> OpenAsync(
        Service service,
        Credentials who,
        AccessTokens? tokens,
        IItemNumbers numbers,
        Action<ConnectStep>? step,
        IDisposable? slot,
        CancellationToken cancel
    )
    {
        Stream? stream = null;
        try
        {
            stream = await Pop3SignIn.ConnectAsync(service, step, cancel);
            var capabilities = await Pop3SignIn.SignInAsync(stream, service, who, tokens, cancel);
            step?.Invoke(new ConnectStep("sign in", $"as {who.Login}"));
            return new Pop3MailAccount(
                new LineConnection(stream, who.Account, s_patience) { Service = service.Name },
                service,
                who.Account,
                capabilities,
                numbers,
                slot
            );
        }
        catch
        {
            if (stream is not null)
                await stream.DisposeAsync();
            slot?.Dispose();
            throw;
        }
    }

    /// <summary>A connection on which the server's greeting is the next thing to read.</summary>
    public static Task<Stream> ConnectAsync(Service service, Action<ConnectStep>? step, CancellationToken cancel) =>
        Pop3SignIn.ConnectAsync(service, step, cancel);

    /// <summary>What it can do and what that means for a move.</summary>
    public string Capabilities =>
        "the inbox alone, without flags; "
        + $"{(_pipelining ? "takes many commands at a time" : "takes commands one by one (slower from afar)")}";

    public async Task<IReadOnlyList<FolderState>> ListFoldersAsync(CancellationToken cancel)
    {
        await LookAsync(cancel);
        return [new FolderState(FolderPath.Inbox, SpecialUse.None, true, true, _cursor)];
    }

    public async Task<IReadOnlyList<FolderSeen>> VisitAsync(IReadOnlyList<FolderVisit> visits, CancellationToken cancel) =>
        visits.Any(v => v.Subscribe || v.Flags.Count > 0) ? throw ReadOnly()
        : visits.Count == 0 ? []
        : [new FolderSeen(new NumberSet((await LookAsync(cancel)).Keys), null, [])];

    public async Task<IReadOnlyList<ItemInfo>> ListItemsAsync(
        FolderPath path,
        NumberSet numbers,
        IDictionary<uint, Fault> unreadable,
        CancellationToken cancel
    )
    {
        var items = new List<ItemInfo>();
        await foreach (var (number, size, header) in ReadTopsAsync(numbers, cancel))
            items.Add(new ItemInfo(number, size, ReceivedDate.Of(header), FlagSet.Empty));
        return items;
    }

    public async Task ReadHeadersAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        Action<int, ItemHeader> take,
        CancellationToken cancel,
        HeaderLines lines = HeaderLines.Identity
    )
    {
        for (var folder = 0; folder < folders.Count; folder++)
            await foreach (var (number, size, header) in ReadTopsAsync(folders[folder].Numbers, cancel))
                take(folder, new ItemHeader(number, size, header));
    }

    public Task<NumberSet> ListNumbersSinceAsync(FolderPath path, DateTimeOffset since, CancellationToken cancel) =>
        throw new NotSupportedException("POP3 is a from side only.");

    /// <summary>POP3 has no search, and to read every header for one message would take too long.</summary>
    public Task<IReadOnlyList<(FolderPath Path, NumberSet Numbers)>> FindAsync(
        IReadOnlyList<FolderPath> folders,
        string messageId,
        CancellationToken cancel
    ) => Task.FromResult<IReadOnlyList<(FolderPath, NumberSet)>>([]);

    public Task ReadNamesAsync(FolderPath path, NumberSet numbers, Action<uint, string> take, CancellationToken cancel) =>
        Task.CompletedTask;

    /// <summary>There are no flags, and what is present is listed in one answer anyhow.</summary>
    public Task<IReadOnlyList<FolderChange?>> ReadChangesAsync(IReadOnlyList<ChangeQuery> folders, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<FolderChange?>>([.. folders.Select(_ => (FolderChange?)null)]);

    public async Task<IMessageReader> ReadMessagesAsync(
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> folders,
        CancellationToken cancel,
        bool withIndex = false
    )
    {
        var items = await LookAsync(cancel);
        if (_reader is not null)
            await _reader.DisposeAsync();
        // There is one folder, the inbox.
        var numbers = folders.Single().Numbers;
        return _reader = new Pop3MessageReader(
            _wire,
            [.. numbers.Where(items.ContainsKey).Select(n => (n, items[n].Place))],
            [.. numbers.Where(n => !items.ContainsKey(n)).Select(n => new ItemAt(0, n))]
        );
    }

    public Task<Room?> ReadRoomAsync(CancellationToken cancel) => Task.FromResult<Room?>(null);

    public Task<bool?> KeepsKeywordsAsync(CancellationToken cancel) => Task.FromResult<bool?>(null);

    public Task<IReadOnlyList<LackingRight>> ReadLackingRightsAsync(IReadOnlyList<FolderState> folders, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<LackingRight>>([]);

    public Task<IReadOnlyList<MadeFolder>> CreateFoldersAsync(IReadOnlyList<NewFolder> folders, CancellationToken cancel) =>
        throw ReadOnly();

    public Task<bool> RemoveFolderAsync(FolderPath path, CancellationToken cancel) => throw ReadOnly();

    public Task UnsubscribeAsync(FolderPath path, CancellationToken cancel) => throw ReadOnly();

    public Task<IMessageWriter> AddMessagesAsync(IReadOnlyList<FolderPath> folders, int batchSize, CancellationToken cancel) =>
        throw ReadOnly();

    public Task<IReadOnlyDictionary<uint, uint>?> MoveMessagesAsync(
        FolderPath path,
        NumberSet numbers,
        FolderPath to,
        CancellationToken cancel
    ) => throw ReadOnly();

    /// <summary>DELE (RFC 1939 §5). It takes effect when the session ends in order: a lost connection deletes nothing.</summary>
    public async Task<bool> RemoveMessagesAsync(FolderPath path, NumberSet numbers, CancellationToken cancel)
    {
        var items = await LookAsync(cancel);
        foreach (var some in numbers.Where(items.ContainsKey).Chunk(_pipelining ? Pipelined : 1))
        {
            foreach (var number in some)
                await _wire.WriteAsync($"DELE {items[number].Place}\r\n", cancel);
            await _wire.FlushAsync(cancel);
            foreach (var _ in some)
                if (!await Pop3Body.IsOkAsync(_wire, cancel))
                    throw _wire.Break(Cause.NotPermitted, "the server refused to delete a message that had been carried");
        }
        return true;
    }

    public async ValueTask DisposeAsync()
    {
        if (_reader is not null)
            await _reader.DisposeAsync();
        if (!_wire.IsBroken)
        {
            try
            {
                // Deletes what was marked, and frees the mailbox for its owner's own programs.
                await _wire.WriteAsync("QUIT\r\n", CancellationToken.None);
                await _wire.FlushAsync(CancellationToken.None);
                await _wire.ReadLineAsync(CancellationToken.None);
            }
            catch (FaultException)
            {
                // The connection was already lost.
            }
        }
        await _wire.DisposeAsync();
        _slot?.Dispose();
    }

    private static InvalidOperationException ReadOnly() => new("POP3 takes no mail: the plan cannot name it as a to side.");

    /// <summary>UIDL and LIST, once a session: the server shows the same messages until it ends (RFC 1939 §3).</summary>
    private async Task<Dictionary<uint, (int Place, ByteCount Size)>> LookAsync(CancellationToken cancel)
    {
        if (_items is not null)
            return _items;
        await _wire.WriteAsync(_pipelining ? "UIDL\r\nLIST\r\n" : "UIDL\r\n", cancel);
        var names = new List<(int Place, string Name)>();
        await MustAsync("its list of messages (UIDL)", cancel);
        await foreach (var (place, rest) in ReadListAsync(cancel))
            names.Add((place, rest));
        if (!_pipelining)
            await _wire.WriteAsync("LIST\r\n", cancel);
        await MustAsync("its list of sizes", cancel);
        var sizes = new Dictionary<int, ByteCount>();
        await foreach (var (place, rest) in ReadListAsync(cancel))
            sizes[place] = uint.TryParse(rest.Split(' ')[0], NumberStyles.None, CultureInfo.InvariantCulture, out var size)
                ? new ByteCount(size)
                : ByteCount.Zero;
        // RFC 1939 §7: the same message twice may have the same unique id; the second and third are told apart by their count.
        var counts = new Dictionary<string, int>();
        var unique = names
            .Select(n => (counts[n.Name] = counts.GetValueOrDefault(n.Name) + 1) is var nth and > 1 ? $"{n.Name} {nth}" : n.Name)
            .ToList();
        var numbers = await _numbers.NumberAsync(_service.Name, _account, unique, cancel);
        _items = names
            .Select((n, i) => (Number: numbers[i], n.Place))
            .ToDictionary(n => n.Number, n => (n.Place, sizes.GetValueOrDefault(n.Place)));
        // Only the set of messages can change, so the cursor is a digest of that set.
        var hash = new XxHash64();
        foreach (var name in unique.Order(StringComparer.Ordinal))
            hash.Append(Encoding.UTF8.GetBytes(name + "\n"));
        _cursor = new FolderCursor(1, numbers.Count == 0 ? 1 : numbers.Max() + 1, hash.GetCurrentHashAsUInt64(), (uint)names.Count);
        return _items;
    }

    private async IAsyncEnumerable<(int Place, string After)> ReadListAsync(
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancel
    )
    {
        var lines = 0;
        while (true)
        {
            var line = Encoding.UTF8.GetString((await _wire.ReadLineAsync(cancel)).Span);
            if (line == ".")
                yield break;
            if (++lines > MostMessages)
                throw _wire.Break(Cause.ProtocolBroken, $"the server lists more than {MostMessages} messages");
            var space = line.IndexOf(' ', StringComparison.Ordinal);
            if (space < 0 || !int.TryParse(line.AsSpan(0, space), NumberStyles.None, CultureInfo.InvariantCulture, out var place))
                throw _wire.Garbage(new FormatException($"'{line[..Math.Min(60, line.Length)]}' is no line of a list"));
            yield return (place, line[(space + 1)..].Trim());
        }
    }

    /// <summary>
    /// Headers by TOP (RFC 1939 §7), many under way where the server bears it. Not every server has TOP: where it is refused, by RETR.
    /// Messages that are not given at all are left out.
    /// </summary>
    private async IAsyncEnumerable<(uint Number, ByteCount Size, byte[] Header)> ReadTopsAsync(
        NumberSet numbers,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancel
    )
    {
        var items = await LookAsync(cancel);
        foreach (var some in numbers.Where(items.ContainsKey).Chunk(_pipelining ? Pipelined : 1))
        {
            foreach (var number in some)
                await _wire.WriteAsync($"TOP {items[number].Place} 0\r\n", cancel);
            await _wire.FlushAsync(cancel);
            var refused = new List<uint>();
            foreach (var number in some)
            {
                if (await ReadHeaderAsync(cancel) is { } header)
                    yield return (number, items[number].Size, header);
                else
                    refused.Add(number);
            }
            foreach (var number in refused)
            {
                await _wire.WriteAsync($"RETR {items[number].Place}\r\n", cancel);
                await _wire.FlushAsync(cancel);
                if (await ReadHeaderAsync(cancel) is { } header)
                    yield return (number, items[number].Size, header);
            }
        }
    }

    /// <summary>The header of the message that is answered with; null where the answer is a refusal.</summary>
    private async Task<byte[]?> ReadHeaderAsync(CancellationToken cancel)
    {
        if (!await Pop3Body.IsOkAsync(_wire, cancel))
            return null;
        var header = new MemoryStream();
        var body = new Pop3Body(_wire);
        // Up to the empty line that ends a header (RFC 5322 §2.1); the rest is skipped.
        var newlines = 1;
        while (await body.ReadAsync(cancel) is { Length: > 0 } piece)
        {
            var length = 0;
            for (; length < piece.Length && newlines < 2; length++)
                if (piece.Span[length] != '\r')
                    newlines = piece.Span[length] == '\n' ? newlines + 1 : 0;
            if (header.Length < LongestHeader)
                header.Write(piece.Span[..length]);
        }
        return header.ToArray();
    }

    private async Task MustAsync(string what, CancellationToken cancel)
    {
        await _wire.FlushAsync(cancel);
        var line = Encoding.UTF8.GetString((await _wire.ReadLineAsync(cancel)).Span);
        if (!line.StartsWith("+OK", StringComparison.OrdinalIgnoreCase))
            throw _wire.Break(Cause.ProtocolBroken, $"the server refused {what}: \"{line}\"");
    }
}

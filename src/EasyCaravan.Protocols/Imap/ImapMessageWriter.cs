using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.Lines;
using MailKit.Net.Imap;

namespace EasyCaravan.Protocols.Imap;

/// <summary>
/// Streams messages into folders: many to an APPEND where the server has MULTIAPPEND (RFC 3502), several APPENDs under way
/// otherwise; literals without waiting where it has LITERAL+ or LITERAL- (RFC 7888).
/// </summary>
internal sealed class ImapMessageWriter : IMessageWriter
{
    /// <summary>Octets after which an APPEND is ended, however few messages it holds.</summary>
    private const long LargestAppend = 8 * 1024 * 1024;

    /// <summary>Time after which an APPEND is ended, so that messages of a slow source are confirmed without delay.</summary>
    private const long LongestAppend = 1_000;

    /// <summary>APPENDs whose answer is awaited while the next is written.</summary>
    private readonly int _mostUnderWay;

    /// <summary>
    /// How many messages these APPENDs may hold; the number grows with each message that the server accepts. A pass that is told to stop
    /// waits for all of them, and the speed of a service is not known before its first answers.
    /// </summary>
    private int _mostMessages;

    private readonly ImapConnection _connection;
    private readonly IReadOnlyList<(string Name, FolderPath Path)> _folders;
    private readonly int _batchSize;
    private readonly bool _literalPlus;
    private readonly bool _literalMinus;
    private readonly ImapTraits _traits;
    private readonly List<Append> _underWay = [];
    private readonly List<AddReceipt> _receipts = [];
    private Append? _current;

    /// <summary>The tag of a command before the first APPEND whose answer is still to come.</summary>
    private string? _ready;

    /// <summary>The server refused the current APPEND before its octets were sent: they are read from the other side and dropped.</summary>
    private bool _dropping;

    /// <summary>The current message stands in parentheses that its end closes.</summary>
    private bool _inUtf8;

    /// <param name="ready">The tag of a command in the buffer that makes the folders ready; null when they are.</param>
    public ImapMessageWriter(
        ImapConnection connection,
        ImapTraits traits,
        IReadOnlyList<(string Name, FolderPath Path)> folders,
        int batchSize,
        string? ready
    )
    {
        (_connection, _traits, _folders, _ready) = (connection, traits, folders, ready);
        if (ready is not null)
            connection.ReadsByItself(ready);
        var multi = traits.Can(ImapCapabilities.MultiAppend);
        _batchSize = multi ? batchSize : 1;
        _literalPlus = traits.Can(ImapCapabilities.LiteralPlus);
        _literalMinus = traits.Can(ImapCapabilities.LiteralMinus);
        // Without LITERAL+ the wait for each continuation sets the pace, and answers are read with it.
        _mostUnderWay =
            multi ? 16
            : _literalPlus ? 32
            : 1;
        _mostMessages = multi ? 4 * batchSize : 8;
    }

    private LineConnection Wire => _connection.Wire;

    /// <summary>
    /// True when the limit of open APPENDs is reached, or when two are open and large or old: a slow service should confirm soon, so that
    /// little is uncertain after a lost connection.
    /// </summary>
    private bool IsFull =>
        _underWay.Count >= _mostUnderWay
        || _underWay.Sum(a => a.Numbers.Count) >= _mostMessages
        || (
            _underWay.Count >= 2
            && (Environment.TickCount64 - _underWay[0].Since >= 2 * LongestAppend || _underWay.Sum(a => a.Octets) >= 2 * LargestAppend)
        );

    private sealed class Append(string tag, int folder)
    {
        public string Tag { get; } = tag;

        public int Folder { get; } = folder;

        public List<uint> Numbers { get; } = [];

        public long Octets { get; set; }

        public long Since { get; } = Environment.TickCount64;
    }

    public async ValueTask BeginAsync(int folder, ItemInfo item, ByteCount size, ReadOnlyMemory<byte> first, CancellationToken cancel)
    {
        if (_current is not null && _current.Folder != folder)
            await EndAppendAsync(cancel);
        if (_current is null)
        {
            while (IsFull)
                await TakeAnswerAsync(cancel);
            _current = new Append(_connection.TagFor(ImapVerbs.Append), folder);
            _connection.IsMidCommand = true;
            await Wire.WriteAsync($"{_current.Tag} {AppendVerb.Begin(_folders[folder].Name)}", cancel);
        }
        _current.Numbers.Add(item.Number);
        _current.Octets += size.Count;
        // RFC 6855 §4: a header beyond ASCII is announced. RFC 3516 §4.4: NUL goes in a literal8 only.
        _inUtf8 = _traits.Utf8 && HasWideHeader(first.Span);
        var binary = _inUtf8 || (_traits.Can(ImapCapabilities.Binary) && first.Span.Contains((byte)0));
        var waitless = _literalPlus || (_literalMinus && size.Count <= 4096);
        await Wire.WriteAsync(AppendVerb.BeforeMessage(item, size, new LiteralForm(binary, _inUtf8, waitless)), cancel);
        if (!waitless)
            await AwaitLeaveAsync(cancel);
        await WriteAsync(first, cancel);
    }

    private static bool HasWideHeader(ReadOnlySpan<byte> start)
    {
        var end = start.IndexOf("\r\n\r\n"u8);
        return start[..(end < 0 ? start.Length : end)].ContainsAnyInRange((byte)0x80, (byte)0xff);
    }

    public ValueTask WriteAsync(ReadOnlyMemory<byte> piece, CancellationToken cancel) =>
        _dropping ? ValueTask.CompletedTask : Wire.WriteAsync(piece, cancel);

    public async ValueTask<IReadOnlyList<AddReceipt>> EndAsync(CancellationToken cancel)
    {
        if (_inUtf8 && !_dropping)
            await Wire.WriteAsync(")", cancel);
        if (_dropping)
        {
            // The refusal ended the command.
            _dropping = false;
            _current = null;
        }
        else if (
            _current!.Numbers.Count >= _batchSize
            || _current.Octets >= LargestAppend
            || Environment.TickCount64 - _current.Since >= LongestAppend
        )
        {
            await EndAppendAsync(cancel);
        }
        return TakeReceipts();
    }

    public async ValueTask<IReadOnlyList<AddReceipt>> FinishAsync(CancellationToken cancel)
    {
        if (_current is not null)
            await EndAppendAsync(cancel);
        while (_underWay.Count > 0 || _ready is not null)
            await TakeAnswerAsync(cancel);
        return TakeReceipts();
    }

    private async ValueTask EndAppendAsync(CancellationToken cancel)
    {
        await Wire.WriteAsync("\r\n", cancel);
        _connection.IsMidCommand = false;
        await Wire.FlushAsync(cancel);
        _underWay.Add(_current!);
        _current = null;
    }

    /// <summary>Waits for the server's continuation to send a literal; answers to earlier APPENDs may come first.</summary>
    private async ValueTask AwaitLeaveAsync(CancellationToken cancel)
    {
        await Wire.FlushAsync(cancel);
        while (true)
        {
            var response = await _connection.ReadResponseAsync(cancel);
            if (response.IsContinuation)
                return;
            if (response.IsUntagged)
                continue;
            if (response.IsTagged(_current!.Tag))
            {
                // Refused before this message's octets: all that were in the command with it share the refusal.
                Refuse(_current, ImapResult.Parse(response.Text.Span[(_current.Tag.Length + 1)..]));
                _dropping = true;
                _connection.IsMidCommand = false;
                return;
            }
            Settle(response);
        }
    }

    private async ValueTask TakeAnswerAsync(CancellationToken cancel)
    {
        await Wire.FlushAsync(cancel);
        ImapResponse response;
        do response = await _connection.ReadResponseAsync(cancel);
        while (response.IsUntagged);
        Settle(response);
    }

    /// <summary>Takes the answer to one of the APPENDs under way, or to what made ready for them.</summary>
    private void Settle(ImapResponse response)
    {
        if (_ready is not null && response.IsTagged(_ready))
        {
            // Where it was refused, the APPEND will be too, and says why.
            _ready = null;
            return;
        }
        var append = _underWay.Find(a => response.IsTagged(a.Tag))
            ?? throw Wire.Garbage(new FormatException($"'{response}' answers nothing that was asked"));
        _underWay.Remove(append);
        var result = ImapResult.Parse(response.Text.Span[(append.Tag.Length + 1)..]);
        if (!result.IsOk)
        {
            Refuse(append, result);
            return;
        }
        _mostMessages += append.Numbers.Count;
        var landed = ReadLanded(result, append.Numbers.Count);
        for (var i = 0; i < append.Numbers.Count; i++)
            _receipts.Add(new AddReceipt(append.Folder, append.Numbers[i], landed?[i], null, append.Numbers.Count));
    }

    private void Refuse(Append append, ImapResult result)
    {
        var fault = ImapCauses.Refused(
            result,
            Wire,
            $"the new side did not take a message into '{_folders[append.Folder].Path}'",
            Cause.MessageRefused
        );
        foreach (var number in append.Numbers)
            _receipts.Add(new AddReceipt(append.Folder, number, null, fault, append.Numbers.Count));
    }

    private List<ItemKey>? ReadLanded(ImapResult result, int count)
    {
        try
        {
            return AppendVerb.ReadAppendUid(result, count);
        }
        catch (FormatException e)
        {
            throw Wire.Garbage(e);
        }
    }

    private List<AddReceipt> TakeReceipts()
    {
        if (_receipts.Count == 0)
            return [];
        var receipts = _receipts.ToList();
        _receipts.Clear();
        return receipts;
    }
}

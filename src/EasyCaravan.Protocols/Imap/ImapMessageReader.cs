using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Verbs;
using EasyCaravan.Protocols.Imap.Wire;
using EasyCaravan.Protocols.Lines;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Streams messages off folders: a FETCH of many, the next one already asked for, literals handed on as they come.</summary>
internal sealed class ImapMessageReader : IMessageReader
{
    /// <summary>Messages in one FETCH. So many at least are asked for ahead, so that the server never waits for us.</summary>
    private const int Step = 500;

    /// <summary>Commands whose answers are awaited, where folders are small.</summary>
    private const int MostUnderWay = 50;

    private const string NoEnd = "a message's octets are not followed by the end of their response";

    /// <summary>What may stand beside a body, asked for or not (RFC 9051 §7.5.2; RFC 7162, RFC 8474, RFC 8514).</summary>
    private static readonly HashSet<string> s_items = new(
        ["UID", "FLAGS", "MODSEQ", "INTERNALDATE", "RFC822.SIZE", "ENVELOPE", "EMAILID", "THREADID", "SAVEDATE"],
        StringComparer.OrdinalIgnoreCase
    );

    /// <summary>The opening of a folder, or a FETCH from it.</summary>
    private sealed record Asked(string Tag, int Folder, NumberSet Numbers, FolderOpening? Opening = null);

    private readonly ImapConnection _connection;
    private readonly ImapFolders _folders;
    private readonly IReadOnlyList<(FolderPath Path, NumberSet Numbers)> _wanted;
    private readonly IEnumerator<(int Folder, NumberSet Numbers)> _steps;
    private readonly List<Asked> _underWay = [];
    private readonly Queue<(int Folder, NumberSet Numbers)> _again = [];
    private readonly Dictionary<string, FlagSet>? _flagSets;
    private readonly HashSet<ItemAt> _given = [];
    private readonly List<ItemAt> _gone = [];
    private readonly Dictionary<ItemAt, Fault> _unreadable = [];

    /// <summary>
    /// The folder that the last command asked for, and the one that the server has open: what it tells is of that one (RFC 9051 §6.3.2).
    /// </summary>
    private int? _askedFolder,
        _openFolder;

    /// <summary>Messages that are asked for.</summary>
    private long _ahead;

    private long _left;
    private byte[]? _inline;

    /// <summary>The current message, and what its response says of it, before or after its octets.</summary>
    private MessageStart _current;
    private DateTimeOffset? _received;
    private FlagSet? _flags;

    /// <summary>The current message came as a string within its line, so that nothing of it is left to read.</summary>
    private bool _whole;
    private bool _inBody;

    /// <summary>The server leaves open which message it gives: each is asked for by itself.</summary>
    private bool _oneByOne;

    /// <summary>
    /// The server refused what is not about one message. What is under way is read to its end before it is told, so that the connection can
    /// be used on.
    /// </summary>
    private Fault? _refused;

    /// <param name="flagSets">Where flags and dates are wanted too: sets of flags that were met before.</param>
    public ImapMessageReader(
        ImapConnection connection,
        ImapFolders folders,
        IReadOnlyList<(FolderPath Path, NumberSet Numbers)> wanted,
        Dictionary<string, FlagSet>? flagSets
    )
    {
        (_connection, _folders, _wanted, _flagSets) = (connection, folders, wanted, flagSets);
        _steps = wanted.SelectMany((w, folder) => ImapSyntax.Lines(w.Numbers, Step).Select(numbers => (folder, numbers))).GetEnumerator();
    }

    public ItemInfo? Index =>
        _inBody || _received is not { } received || _flags is null ? null : new ItemInfo(_current.Number, _current.Size, received, _flags);

    public IReadOnlyCollection<ItemAt> Gone => _gone;

    public IReadOnlyDictionary<ItemAt, Fault> Unreadable => _unreadable;

    private LineConnection Wire => _connection.Wire;

    public async ValueTask<MessageStart?> NextAsync(CancellationToken cancel)
    {
        try
        {
            if (_inBody)
            {
                if (_inline is null)
                    await PassOverAsync(_left, cancel);
                (_inline, _left) = (null, 0);
                await EndBodyAsync(cancel);
            }
            while (true)
            {
                if (_refused is null)
                    await AskAsync(cancel);
                if (_underWay.Count == 0)
                    return _refused is null ? null : throw new FaultException(_refused, Verdict.Keep);
                var line = await Wire.ReadLineAsync(cancel);
                if (await ReadBodyStartAsync(line, cancel) is { } message)
                    return message;
            }
        }
        catch (FormatException e)
        {
            throw Wire.Garbage(e);
        }
    }

    public async ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel)
    {
        if (_inline is { } whole)
        {
            _inline = null;
            _left = 0;
            return whole;
        }
        if (_left == 0)
        {
            // Whoever has taken all octets learns here whether they were all: a message cut short must not be handed over as whole.
            if (_inBody)
                await EndBodyAsync(cancel);
            return default;
        }
        var piece = await Wire.ReadSomeAsync(_left, cancel);
        _left -= piece.Length;
        return piece;
    }

    /// <summary>Keeps enough under way. A folder is opened in the same breath as its first FETCH leaves.</summary>
    private async ValueTask AskAsync(CancellationToken cancel)
    {
        while (_oneByOne ? _underWay.Count == 0 : _underWay.Count < 2 || (_underWay.Count < MostUnderWay && _ahead < Step))
        {
            if (!_again.TryDequeue(out var next) && !_steps.MoveNext())
                break;
            var (folder, numbers) = next.Numbers is null ? _steps.Current : next;
            if (folder != _askedFolder)
                await AskToOpenAsync(folder, cancel);
            var tag = _connection.TagFor(ImapVerbs.Fetch);
            await Wire.WriteAsync(
                $"{tag} {FetchVerb.Of(numbers, _flagSets is null ? FetchVerb.Body : FetchVerb.BodyWithIndex)}\r\n",
                cancel
            );
            _underWay.Add(new Asked(tag, folder, numbers));
            _ahead += numbers.Count;
        }
        await Wire.FlushAsync(cancel);
    }

    private async ValueTask AskToOpenAsync(int folder, CancellationToken cancel)
    {
        var path = _wanted[folder].Path;
        if (_askedFolder is null && _folders.IsOpen(path))
            _openFolder = folder;
        else
        {
            var opening = await _folders.PutOpenAsync(path, writable: false, cancel);
            _connection.ReadsByItself(opening.Tag);
            _underWay.Add(new Asked(opening.Tag, folder, new NumberSet(), opening));
        }
        _askedFolder = folder;
    }

    /// <summary>Takes one line. The start of a body makes it the current message; anything else is dealt with here.</summary>
    private async ValueTask<MessageStart?> ReadBodyStartAsync(ReadOnlyMemory<byte> line, CancellationToken cancel)
    {
        var response = _connection.NoteFarewell(new ImapResponse(line, []));
        if (!response.IsUntagged)
        {
            End(response);
            return null;
        }
        if (_underWay is [{ Opening: { } opening }, ..])
            opening.Take(response);
        var length = ImapSyntax.LiteralLength(line.Span);
        (_received, _flags) = (null, null);
        var (number, inline, isBody) = ReadFetch(line.Span, length);
        if (!isBody)
        {
            if (length is not null)
                await SkipAsync(length, cancel);
            return null;
        }
        // Quirk (a server that tells the UID after the octets): with one message asked for, it is known all the same.
        number ??= _underWay is [{ Numbers: { Count: 1 } only }] ? only.First() : null;
        if (number is null)
            _oneByOne = true;
        if (
            _refused is not null
            || number is not { } known
            || !_underWay.Any(a => a.Folder == _openFolder && a.Numbers.Contains(known))
            || _openFolder is not { } open
            || !_given.Add(new ItemAt(open, known))
        )
        {
            // Of nobody knows which message, asked for by nobody, or given twice: the octets are passed over.
            await SkipAsync(length, cancel);
            return null;
        }
        _inBody = true;
        _whole = inline is not null;
        _inline = inline;
        _left = length ?? inline!.Length;
        return _current = new MessageStart(open, known, new ByteCount(_left));
    }

    /// <summary>Whether the line starts or holds a body, and of which message, if the line says.</summary>
    private (uint? Number, byte[]? Inline, bool IsBody) ReadFetch(ReadOnlySpan<byte> line, long? literal)
    {
        var tokens = new ImapTokens(line, []);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (tokens.AtEnd || tokens.Rest[0] is < (byte)'0' or > (byte)'9')
            return default;
        tokens.Number();
        tokens.SkipSpaces();
        if (!tokens.TryWord("FETCH"u8))
            return default;
        tokens.SkipSpaces();
        tokens.Take('(');
        uint? number = null;
        byte[]? inline = null;
        var isBody = false;
        while (!tokens.TryTake(')'))
        {
            var name = tokens.Atom();
            tokens.SkipSpaces();
            if (Ascii.EqualsIgnoreCase(name, "UID"u8))
                number = tokens.Number32();
            else if (Ascii.EqualsIgnoreCase(name, "BODY[]"u8))
            {
                isBody = true;
                if (literal is not null)
                    return (number, null, true);
                inline = tokens.String() ?? [];
            }
            else
                TakeItem(name, ref tokens);
            tokens.SkipSpaces();
        }
        return (number, inline, isBody);
    }

    /// <summary>
    /// Ends the command that this tag answers. A server may work on two FETCHes at a time and end either first (RFC 9051 §5.5).
    /// </summary>
    private void End(ImapResponse response)
    {
        var ended = _underWay.FindIndex(a => response.IsTagged(a.Tag));
        if (ended < 0)
            throw new FormatException("a line answers nothing that was asked");
        var asked = _underWay[ended];
        _underWay.RemoveAt(ended);
        _ahead -= asked.Numbers.Count;
        var result = ImapResult.Parse(response.Text.Span[(asked.Tag.Length + 1)..]);
        if (asked.Opening is { } opening)
        {
            // What was asked of the folder after it is answered by nobody now.
            if (_folders.Conclude(opening, result))
                _openFolder = asked.Folder;
            else
                _refused ??= _folders.RefusalOf(opening);
            return;
        }
        if (_refused is not null)
            return;
        var absent = asked.Numbers.Select(n => new ItemAt(asked.Folder, n)).Where(i => !_given.Remove(i)).ToList();
        if (absent.Count == 0)
            return;
        var fault = result.IsOk
            ? null
            : ImapCauses.Refused(result, Wire, "the old side does not give out this message", Cause.MessageUnreadable);
        if (asked.Numbers.Count > 1 && (_oneByOne || (fault is not null && fault.Action is not FaultAction.AskPerson)))
        {
            foreach (var item in absent)
                _again.Enqueue((item.Folder, new NumberSet([item.Number])));
        }
        else if (fault is null)
        {
            _gone.AddRange(absent);
        }
        else if (fault.Action is FaultAction.SkipItem)
        {
            _unreadable[absent[0]] = fault;
        }
        else
        {
            _refused = fault;
        }
    }

    private async ValueTask PassOverAsync(long octets, CancellationToken cancel)
    {
        while (octets > 0)
            octets -= (await Wire.ReadSomeAsync(octets, cancel)).Length;
    }

    /// <summary>What stands between the octets and the end of the response: more items, or the closing parenthesis alone.</summary>
    private async ValueTask EndBodyAsync(CancellationToken cancel)
    {
        _inBody = false;
        if (_whole)
            return;
        try
        {
            await EndLineAsync(cancel);
        }
        catch (FormatException e)
        {
            throw Wire.Garbage(e);
        }
    }

    /// <summary>Passes over a literal, if the line had one, and the rest of its response.</summary>
    private async ValueTask SkipAsync(long? literal, CancellationToken cancel)
    {
        if (literal is not { } octets)
            return;
        await PassOverAsync(octets, cancel);
        await EndLineAsync(cancel);
    }

    private async ValueTask EndLineAsync(CancellationToken cancel)
    {
        var line = await Wire.ReadLineAsync(cancel);
        if (ImapSyntax.LiteralLength(line.Span) is null)
            CheckItems(line.Span);
        while (ImapSyntax.LiteralLength(line.Span) is { } more)
        {
            await PassOverAsync(more, cancel);
            line = await Wire.ReadLineAsync(cancel);
        }
        if (line.Span is not [.., (byte)')'])
            throw new FormatException(NoEnd);
    }

    /// <summary>A literal that was told shorter than it is leaves text here that is no list of items.</summary>
    private void CheckItems(ReadOnlySpan<byte> rest)
    {
        if (rest is not [(byte)' ' or (byte)')', ..])
            throw new FormatException(NoEnd);
        var tokens = new ImapTokens(rest, []);
        tokens.SkipSpaces();
        while (!tokens.TryTake(')'))
        {
            var name = tokens.Atom();
            if (!s_items.Contains(Encoding.ASCII.GetString(name)))
                throw new FormatException(NoEnd);
            tokens.SkipSpaces();
            TakeItem(name, ref tokens);
            tokens.SkipSpaces();
        }
        if (!tokens.AtEnd)
            throw new FormatException(NoEnd);
    }

    /// <summary>An item that stands beside a body.</summary>
    private void TakeItem(ReadOnlySpan<byte> name, ref ImapTokens tokens)
    {
        if (_flagSets is not null && Ascii.EqualsIgnoreCase(name, "FLAGS"u8))
            _flags = FetchRow.ReadFlags(ref tokens, _flagSets);
        else if (_flagSets is not null && Ascii.EqualsIgnoreCase(name, "INTERNALDATE"u8))
            _received = ImapSyntax.ReadDate(tokens.String());
        else
            tokens.SkipValue();
    }
}

using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap.Wire;

namespace EasyCaravan.Protocols.Imap;

/// <summary>Streams messages off one folder: a FETCH of many, the next one already asked for, literals handed on as they come.</summary>
internal sealed class ImapMessageReader : IMessageReader
{
    /// <summary>Messages in one FETCH.</summary>
    private const int Step = 500;

    private readonly ImapConnection _connection;
    private readonly IEnumerator<NumberSet> _steps;
    private readonly List<(string Tag, NumberSet Asked)> _underWay = [];
    private readonly Queue<NumberSet> _again = [];
    private readonly HashSet<uint> _given = [];
    private readonly List<uint> _gone = [];
    private readonly Dictionary<uint, Fault> _unreadable = [];

    private long _left;
    private byte[]? _inline;

    /// <summary>The current message came as a string within its line, so that nothing of it is left to read.</summary>
    private bool _whole;
    private bool _inBody;

    /// <summary>The server leaves open which message it gives: each is asked for by itself.</summary>
    private bool _oneByOne;

    public ImapMessageReader(ImapConnection connection, NumberSet numbers)
    {
        _connection = connection;
        _steps = ImapWords.Lines(numbers, Step).GetEnumerator();
    }

    public IReadOnlyCollection<uint> Gone => _gone;

    public IReadOnlyDictionary<uint, Fault> Unreadable => _unreadable;

    private ImapWire Wire => _connection.Wire;

    public async ValueTask<(uint Number, long Size)?> NextAsync(CancellationToken cancel)
    {
        try
        {
            if (_inBody) await EndBodyAsync(cancel);
            while (true)
            {
                await AskAsync(cancel);
                if (_underWay.Count == 0) return null;
                var line = await Wire.ReadLineAsync(cancel);
                if (await ReadBodyStartAsync(line, cancel) is { } message) return message;
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
        if (_left == 0) return default;
        var piece = await Wire.ReadSomeAsync(_left, cancel);
        _left -= piece.Length;
        return piece;
    }

    /// <summary>Keeps two FETCHes under way, so that the server never waits for us.</summary>
    private async ValueTask AskAsync(CancellationToken cancel)
    {
        while (_underWay.Count < (_oneByOne ? 1 : 2))
        {
            var next = _again.TryDequeue(out var again) ? again : _steps.MoveNext() ? _steps.Current : null;
            if (next is null) break;
            var tag = _connection.NextTag();
            await Wire.WriteAsync($"{tag} UID FETCH {next} (UID BODY.PEEK[])\r\n", cancel);
            _underWay.Add((tag, next));
            await Wire.FlushAsync(cancel);
        }
    }

    /// <summary>Takes one line. The start of a body makes it the current message; anything else is dealt with here.</summary>
    private async ValueTask<(uint Number, long Size)?> ReadBodyStartAsync(ReadOnlyMemory<byte> line, CancellationToken cancel)
    {
        var response = Wire.Check(new ImapResponse(line, []));
        if (!response.IsUntagged)
        {
            EndStep(response);
            return null;
        }
        var length = ImapWire.LiteralLength(line.Span);
        var (number, inline, isBody) = ReadFetch(line.Span, length);
        if (!isBody)
        {
            if (length is not null) await SkipAsync(length, cancel);
            return null;
        }
        // Quirk (a server that tells the UID after the octets): with one message asked for, it is known all the same.
        number ??= _underWay is [{ Asked: { Count: 1 } only }] ? only.First() : null;
        if (number is null) _oneByOne = true;
        if (number is not { } known || !_underWay.Any(u => u.Asked.Contains(known)) || !_given.Add(known))
        {
            // Of nobody knows which message, asked for by nobody, or given twice: the octets are passed over.
            await SkipAsync(length, cancel);
            return null;
        }
        _inBody = true;
        _whole = inline is not null;
        _inline = inline;
        _left = length ?? inline!.Length;
        return (known, _left);
    }

    /// <summary>Whether the line starts or holds a body, and of which message, if the line says.</summary>
    private static (uint? Number, byte[]? Inline, bool IsBody) ReadFetch(ReadOnlySpan<byte> line, long? literal)
    {
        var tokens = new ImapTokens(line, []);
        tokens.Take('*');
        tokens.SkipSpaces();
        if (tokens.AtEnd || tokens.Rest[0] is < (byte)'0' or > (byte)'9') return default;
        tokens.Number();
        tokens.SkipSpaces();
        if (!tokens.TryWord("FETCH"u8)) return default;
        tokens.SkipSpaces();
        tokens.Take('(');
        uint? number = null;
        byte[]? inline = null;
        var isBody = false;
        while (!tokens.TryTake(')'))
        {
            var name = tokens.Atom();
            tokens.SkipSpaces();
            if (Ascii.EqualsIgnoreCase(name, "UID"u8)) number = tokens.Number32();
            else if (Ascii.EqualsIgnoreCase(name, "BODY[]"u8))
            {
                isBody = true;
                if (literal is not null) return (number, null, true);
                inline = tokens.String() ?? [];
            }
            else tokens.SkipValue();
            tokens.SkipSpaces();
        }
        return (number, inline, isBody);
    }

    /// <summary>Ends the FETCH that this tag answers. A server may work on both at a time and end either first (RFC 9051 §5.5).</summary>
    private void EndStep(ImapResponse response)
    {
        var ended = _underWay.FindIndex(u => response.IsTagged(u.Tag));
        if (ended < 0) throw new FormatException("a line answers nothing that was asked");
        var (tag, asked) = _underWay[ended];
        _underWay.RemoveAt(ended);
        var result = ImapResult.Parse(response.Text.Span[(tag.Length + 1)..]);
        var absent = asked.Where(n => !_given.Remove(n)).ToList();
        if (absent.Count == 0) return;
        if (asked.Count > 1 && (_oneByOne || !result.IsOk))
        {
            foreach (var number in absent) _again.Enqueue(new NumberSet([number]));
        }
        else if (result.IsOk)
        {
            _gone.AddRange(absent);
        }
        else
        {
            var fault = ImapCauses.Refused(result, Wire, "the old side does not give out this message", Cause.MessageUnreadable);
            if (fault.Turn is not Turn.NextItem) throw new FaultException(fault, Verdict.Keep);
            _unreadable[absent[0]] = fault;
        }
    }

    /// <summary>What stands between the octets and the end of the response: more items, or the closing parenthesis alone.</summary>
    private async ValueTask EndBodyAsync(CancellationToken cancel)
    {
        if (!_whole) await SkipAsync(_left, cancel);
        _inBody = false;
        _inline = null;
        _left = 0;
    }

    /// <summary>Passes over the rest of a literal, if the line had one, and of its response.</summary>
    private async ValueTask SkipAsync(long? literal, CancellationToken cancel)
    {
        if (literal is not { } octets) return;
        while (octets > 0) octets -= (await Wire.ReadSomeAsync(octets, cancel)).Length;
        await EndLineAsync(cancel);
    }

    private async ValueTask EndLineAsync(CancellationToken cancel)
    {
        var line = await Wire.ReadLineAsync(cancel);
        while (ImapWire.LiteralLength(line.Span) is { } more)
        {
            for (var left = more; left > 0;) left -= (await Wire.ReadSomeAsync(left, cancel)).Length;
            line = await Wire.ReadLineAsync(cancel);
        }
        if (line.Span is not [.., (byte)')']) throw new FormatException("a message's octets are not followed by the end of their response");
    }
}

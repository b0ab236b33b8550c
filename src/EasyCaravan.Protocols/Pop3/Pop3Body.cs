using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Lines;

namespace EasyCaravan.Protocols.Pop3;

/// <summary>
/// A multi-line answer (RFC 1939 §3): the dot that is put before lines which begin with one is taken off; every other octet stays, whatever
/// the line ends.
/// </summary>
internal sealed class Pop3Body(LineConnection wire)
{
    private const int Piece = 64 * 1024;

    private readonly byte[] _piece = new byte[Piece];
    private State _state = State.LineStart;

    private enum State
    {
        LineStart,
        Within,
        Cr,
        Dot,
        DotCr,
        Ended,
    }

    public static async Task<bool> IsOkAsync(LineConnection wire, CancellationToken cancel)
    {
        var line = await wire.ReadLineAsync(cancel);
        if (line.Span.StartsWith("+OK"u8))
            return true;
        if (line.Span.StartsWith("-ERR"u8))
            return false;
        throw wire.Garbage(new FormatException("an answer begins neither with +OK nor with -ERR"));
    }

    /// <summary>The next octets; empty at the end. Valid until the next call.</summary>
    public async ValueTask<ReadOnlyMemory<byte>> ReadAsync(CancellationToken cancel)
    {
        var length = 0;
        while (length == 0 && _state is not State.Ended)
        {
            // Two octets may be held back from the piece before: a dot, or a dot and a carriage return that began no end.
            var octets = await wire.ReadSomeAsync(Piece - 2, cancel);
            length = Take(octets.Span, out var used);
            wire.Unread(octets.Length - used);
        }
        return _piece.AsMemory(0, length);
    }

    private int Take(ReadOnlySpan<byte> octets, out int used)
    {
        var length = 0;
        for (used = 0; used < octets.Length && _state is not State.Ended; used++)
        {
            var octet = octets[used];
            switch (_state)
            {
                case State.LineStart when octet == '.':
                    _state = State.Dot;
                    continue;
                case State.Dot when octet == '\r':
                    _state = State.DotCr;
                    continue;
                // A server that ends lines without a carriage return ends the answer so too.
                case State.Dot or State.DotCr when octet == '\n':
                    _state = State.Ended;
                    continue;
                case State.DotCr:
                    // ".\r" and then something else: the dot was stuffed, the carriage return is the message's own.
                    _piece[length++] = (byte)'\r';
                    break;
            }
            _piece[length++] = octet;
            _state = octet switch
            {
                (byte)'\r' => State.Cr,
                (byte)'\n' when _state is State.Cr => State.LineStart,
                _ => State.Within,
            };
        }
        return length;
    }
}

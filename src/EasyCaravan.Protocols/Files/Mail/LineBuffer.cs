namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>A line, or a part of one that is longer than the buffer.</summary>
/// <param name="Octets">With the line end, where it is there.</param>
/// <param name="IsStart">They are the first of their line.</param>
internal readonly ref struct LinePart(ReadOnlySpan<byte> octets, bool isStart)
{
    public ReadOnlySpan<byte> Octets { get; } = octets;

    public bool IsStart { get; } = isStart;

    public bool IsEnd => Octets is [.., (byte)'\n'];

    /// <summary>The line ends with LF alone, as files of Unix do; on the way to a server CR comes before it.</summary>
    public bool IsBare => IsEnd && Octets is not [.., (byte)'\r', _];

    public bool IsBlank => IsStart && Octets is [(byte)'\n'] or [(byte)'\r', (byte)'\n'];

    /// <summary>Without the line end.</summary>
    public ReadOnlySpan<byte> Text => IsEnd ? Octets[..^(IsBare ? 1 : 2)] : Octets;
}

/// <summary>Reads lines through a buffer of fixed size: a line without an end fills no memory.</summary>
internal sealed class LineBuffer(Stream octets, long length = long.MaxValue)
{
    private readonly byte[] _buffer = new byte[64 * 1024];
    private int _begin;
    private int _end;
    private long _left = length;
    private bool _isStart = true;

    /// <summary>Of the part that comes next.</summary>
    public long At { get; private set; }

    /// <returns>False at the end. The part is valid until the next call.</returns>
    public bool TryRead(out LinePart part)
    {
        while (true)
        {
            var held = _buffer.AsSpan(_begin, _end - _begin);
            var newline = held.IndexOf((byte)'\n');
            // A CR at the end of a full buffer waits for its LF.
            if (newline >= 0 || (held.Length == _buffer.Length))
            {
                var whole =
                    newline >= 0 ? newline + 1
                    : held[^1] == '\r' ? held.Length - 1
                    : held.Length;
                return Take(whole, out part);
            }
            if (_begin > 0)
            {
                held.CopyTo(_buffer);
                (_begin, _end) = (0, held.Length);
            }
            var read = _left == 0 ? 0 : octets.Read(_buffer, _end, (int)Math.Min(_buffer.Length - _end, _left));
            if (read == 0)
                return Take(_end, out part) && !part.Octets.IsEmpty;
            _end += read;
            _left -= read;
        }
    }

    /// <summary>What comes next, without taking it; fewer octets where less is left. What was read before is no longer valid.</summary>
    public ReadOnlySpan<byte> Peek(int count)
    {
        if (_end - _begin < count)
        {
            _buffer.AsSpan(_begin, _end - _begin).CopyTo(_buffer);
            (_begin, _end) = (0, _end - _begin);
            int read;
            while (_end < count && _left > 0 && (read = octets.Read(_buffer, _end, (int)Math.Min(_buffer.Length - _end, _left))) > 0)
            {
                _end += read;
                _left -= read;
            }
        }
        return _buffer.AsSpan(_begin, Math.Min(count, _end - _begin));
    }

    private bool Take(int count, out LinePart part)
    {
        part = new LinePart(_buffer.AsSpan(_begin, count), _isStart);
        _isStart = part.IsEnd;
        _begin += count;
        At += count;
        return true;
    }
}

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// What in a message's octets a service is likely to alter when it stores them: 8-bit octets in the header, NUL, line ends that are not
/// CRLF, and a last line without an end. Found while the octets pass by.
/// </summary>
internal struct PeculiarOctets
{
    private bool _isInBody;
    private int _newlines;
    private long _lineFeeds,
        _returns;
    private byte _last;

    public bool HasWideHeader { get; private set; }

    public bool HasNul { get; private set; }

    /// <summary>Line feeds and carriage returns do not come in pairs.</summary>
    public readonly bool HasBareLineEnd => _lineFeeds != _returns;

    /// <summary>The last line has no end.</summary>
    public readonly bool HasOpenEnd => _last != (byte)'\n';

    public void Take(ReadOnlySpan<byte> piece)
    {
        if (!_isInBody)
            TakeHeader(piece);
        HasNul = HasNul || piece.Contains((byte)0);
        _lineFeeds += piece.Count((byte)'\n');
        _returns += piece.Count((byte)'\r');
        if (!piece.IsEmpty)
            _last = piece[^1];
    }

    private void TakeHeader(ReadOnlySpan<byte> piece)
    {
        var end = 0;
        while (end < piece.Length && !_isInBody)
        {
            var b = piece[end++];
            if (b == '\r')
                continue;
            _newlines = b == '\n' ? _newlines + 1 : 0;
            _isInBody = _newlines == 2;
            if (_newlines > 0)
                continue;
            // To the end of the line at once.
            var line = piece[end..].IndexOf((byte)'\n');
            var rest = line < 0 ? piece[(end - 1)..] : piece[(end - 1)..(end + line)];
            HasWideHeader = HasWideHeader || rest.ContainsAnyInRange((byte)0x80, (byte)0xFF);
            end += line < 0 ? piece.Length - end : line;
        }
    }
}

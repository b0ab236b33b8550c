using System.Text;

namespace EasyCaravan.Core.Formats.Sieve;

/// <summary>Cuts a script into tokens (RFC 5228 §8.1): white space and comments fall away.</summary>
/// <param name="octets">The script, one character for each octet, so that places are places among its octets.</param>
internal sealed class SieveLexer(string octets)
{
    private int _at;

    public SieveToken Next()
    {
        SkipSpace();
        if (_at >= octets.Length)
            return new SieveToken(SieveTokenKind.End, "", octets.Length, octets.Length);
        var start = _at;
        var c = octets[_at];
        if ("{}[](),;".Contains(c, StringComparison.Ordinal))
            return new SieveToken(SieveTokenKind.Mark, octets[_at++].ToString(), start, _at);
        if (c == '"')
            return new SieveToken(SieveTokenKind.Text, ReadQuoted(), start, _at);
        if (c == ':')
        {
            _at++;
            return new SieveToken(SieveTokenKind.Tag, ReadWord(), start, _at);
        }
        if (char.IsAsciiDigit(c))
            return new SieveToken(SieveTokenKind.Number, ReadNumber(), start, _at);
        var word = ReadWord();
        // A multi-line text begins with the word "text:" (RFC 5228 §2.4.2).
        if (word.Equals("text", StringComparison.OrdinalIgnoreCase) && _at < octets.Length && octets[_at] == ':')
            return new SieveToken(SieveTokenKind.Text, ReadLines(), start, _at);
        return new SieveToken(SieveTokenKind.Identifier, word, start, _at);
    }

    /// <summary>The line, from 1, on which an octet stands.</summary>
    public int LineOf(int place) => octets.AsSpan(0, Math.Min(place, octets.Length)).Count('\n') + 1;

    private SieveException Wrong(int place, string what) => new(LineOf(place), what);

    private void SkipSpace()
    {
        while (_at < octets.Length)
        {
            var c = octets[_at];
            if (c is ' ' or '\t' or '\r' or '\n')
            {
                _at++;
            }
            else if (c == '#')
            {
                var end = octets.IndexOf('\n', _at);
                _at = end < 0 ? octets.Length : end + 1;
            }
            else if (c == '/' && _at + 1 < octets.Length && octets[_at + 1] == '*')
            {
                var end = octets.IndexOf("*/", _at + 2, StringComparison.Ordinal);
                if (end < 0)
                    throw Wrong(_at, "a comment has no end");
                _at = end + 2;
            }
            else
            {
                return;
            }
        }
    }

    private string ReadWord()
    {
        var start = _at;
        while (_at < octets.Length && (char.IsAsciiLetterOrDigit(octets[_at]) || octets[_at] == '_'))
            _at++;
        return _at > start ? octets[start.._at] : throw Wrong(start, $"\"{octets[start]}\" does not belong here");
    }

    /// <summary>With its quantifier: K, M or G.</summary>
    private string ReadNumber()
    {
        var start = _at;
        while (_at < octets.Length && char.IsAsciiDigit(octets[_at]))
            _at++;
        if (_at < octets.Length && octets[_at] is 'K' or 'M' or 'G' or 'k' or 'm' or 'g')
            _at++;
        return octets[start.._at];
    }

    private string ReadQuoted()
    {
        var (start, value) = (_at++, new StringBuilder());
        while (_at < octets.Length && octets[_at] != '"')
        {
            // A backslash makes the next character stand for itself, whatever it is (RFC 5228 §2.4.2).
            if (octets[_at] == '\\' && _at + 1 < octets.Length)
                _at++;
            value.Append(octets[_at++]);
        }
        if (_at >= octets.Length)
            throw Wrong(start, "a text has no end");
        _at++;
        return Decoded(value);
    }

    private string ReadLines()
    {
        var start = _at++;
        // Behind the colon there may be blanks and a comment, then the line ends.
        var end = octets.IndexOf('\n', _at);
        if (end < 0)
            throw Wrong(start, "a text has no end");
        var rest = octets.AsSpan(_at, end - _at).Trim(" \t\r");
        if (rest.Length > 0 && rest[0] != '#')
            throw Wrong(start, "a text of several lines begins on the line after \"text:\"");
        _at = end + 1;
        var value = new StringBuilder();
        while (_at < octets.Length)
        {
            end = octets.IndexOf('\n', _at);
            var next = end < 0 ? octets.Length : end + 1;
            var line = octets.AsSpan(_at, next - _at);
            _at = next;
            if (line.TrimEnd("\r\n") is ".")
                return Decoded(value);
            value.Append(line.StartsWith("..") ? line[1..] : line);
        }
        throw Wrong(start, "a text has no end");
    }

    private static string Decoded(StringBuilder octets) => Encoding.UTF8.GetString(Encoding.Latin1.GetBytes(octets.ToString()));
}

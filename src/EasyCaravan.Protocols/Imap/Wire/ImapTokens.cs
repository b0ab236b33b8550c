using System.Buffers.Text;
using System.Text;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Protocols.Imap.Wire;

/// <summary>Walks one response of a server (RFC 9051 §9). Malformed input is a <see cref="FormatException"/>, never a guess.</summary>
internal ref struct ImapTokens
{
    /// <summary>Octets of one message that are still believed: 1 TiB.</summary>
    private const long MostOctets = 1L << 40;

    private readonly IReadOnlyList<byte[]> _literals;
    private ReadOnlySpan<byte> _rest;
    private int _literal;

    public ImapTokens(ReadOnlySpan<byte> text, IReadOnlyList<byte[]> literals)
    {
        _rest = text;
        _literals = literals;
    }

    public ImapTokens(ImapResponse response)
        : this(response.Text.Span, response.Literals) { }

    public readonly bool AtEnd => _rest.IsEmpty;

    public readonly ReadOnlySpan<byte> Rest => _rest;

    public bool TryTake(char character)
    {
        if (_rest.IsEmpty || _rest[0] != character)
            return false;
        _rest = _rest[1..];
        return true;
    }

    public void Take(char character)
    {
        if (!TryTake(character))
            throw new FormatException(
                $"'{character}' was expected before '{Encoding.Latin1.GetString(_rest[..Math.Min(40, _rest.Length)])}'"
            );
    }

    public void SkipSpaces()
    {
        while (TryTake(' ')) { }
    }

    /// <summary>Up to a blank, a parenthesis or the end; a section in brackets belongs to it (<c>BODY[HEADER.FIELDS (DATE)]</c>).</summary>
    public ReadOnlySpan<byte> Atom()
    {
        var length = 0;
        var brackets = 0;
        while (length < _rest.Length)
        {
            var b = _rest[length];
            if (b == '[')
                brackets++;
            else if (b == ']')
                brackets = Math.Max(0, brackets - 1);
            else if (brackets == 0 && b is (byte)' ' or (byte)'(' or (byte)')' && brackets == 0)
                break;
            length++;
        }
        if (length == 0)
            throw new FormatException("a word was expected");
        var atom = _rest[..length];
        _rest = _rest[length..];
        return atom;
    }

    public bool TryWord(ReadOnlySpan<byte> word)
    {
        var before = _rest;
        if (!_rest.IsEmpty && _rest[0] is not ((byte)' ' or (byte)'(' or (byte)')') && Ascii.EqualsIgnoreCase(Atom(), word))
            return true;
        _rest = before;
        return false;
    }

    /// <summary>
    /// Takes the star of an untagged response with this word after it, and the blanks that follow; takes nothing of any other.
    /// </summary>
    public bool TryUntagged(ReadOnlySpan<byte> word)
    {
        var before = _rest;
        if (TryTake('*'))
        {
            SkipSpaces();
            if (TryWord(word))
            {
                SkipSpaces();
                return true;
            }
        }
        _rest = before;
        return false;
    }

    public ulong Number()
    {
        if (!Utf8Parser.TryParse(_rest, out ulong number, out var used))
            throw new FormatException("a number was expected");
        _rest = _rest[used..];
        return number;
    }

    /// <summary>nz-number and number of the grammar: 32 bits without sign.</summary>
    public uint Number32()
    {
        var number = Number();
        return number <= uint.MaxValue ? (uint)number : throw new FormatException($"the number {number} does not fit 32 bits");
    }

    /// <summary>A size or count (number64 of RFC 9051 §9): 63 bits without sign.</summary>
    public long Number63()
    {
        var number = Number();
        return number <= long.MaxValue ? (long)number : throw new FormatException($"the number {number} does not fit 63 bits");
    }

    /// <summary>The size of one message; null where it is larger than any message can be, so that sums of sizes stay in bounds.</summary>
    public ByteCount? MessageSize() => Number63() is var octets and <= MostOctets ? new ByteCount(octets) : null;

    /// <summary>A quoted string, a literal or an atom; null for NIL.</summary>
    public byte[]? String()
    {
        if (TryTake('"'))
        {
            var octets = new List<byte>();
            while (true)
            {
                if (_rest.IsEmpty)
                    throw new FormatException("a quoted string has no end");
                var b = _rest[0];
                _rest = _rest[1..];
                if (b == '"')
                    return [.. octets];
                if (b == '\\')
                {
                    if (_rest.IsEmpty)
                        throw new FormatException("a quoted string has no end");
                    b = _rest[0];
                    _rest = _rest[1..];
                }
                octets.Add(b);
            }
        }
        if (!_rest.IsEmpty && (_rest[0] == '{' || _rest.StartsWith("~{"u8)))
        {
            _rest = _rest[(_rest.IndexOf((byte)'}') + 1)..];
            return _literal < _literals.Count ? _literals[_literal++] : throw new FormatException("a literal is missing");
        }
        var atom = Atom();
        return Ascii.EqualsIgnoreCase(atom, "NIL"u8) ? null : atom.ToArray();
    }

    /// <summary>Passes over a value of any shape, lists within lists included.</summary>
    public void SkipValue()
    {
        var depth = 0;
        do
        {
            SkipSpaces();
            if (TryTake('('))
                depth++;
            else if (TryTake(')'))
                depth--;
            else
                String();
        } while (depth > 0);
        if (depth < 0)
            throw new FormatException("a parenthesis closes nothing");
    }
}

using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>
/// The octets of a message as they are on the way to a server (RFC 5322 §2.1): with CR before each LF, without programs' marks and quoting.
/// </summary>
internal sealed class MessageStream(Stream octets, MailEntry entry, MessageForm form) : ForwardReadStream
{
    private readonly LineBuffer _lines = new(octets, entry.Raw);
    private readonly MessageFields? _fields = form.IsMbox ? new MessageFields() : null;
    private readonly byte[] _out = new byte[64 * 1024 + 2];
    private int _begin;
    private int _end;
    private bool _inHead = true;

    public override long Length => entry.Size;

    public override int Read(Span<byte> buffer)
    {
        var done = 0;
        while (done < buffer.Length)
        {
            if (_begin == _end && !Fill())
                break;
            var count = Math.Min(_end - _begin, buffer.Length - done);
            _out.AsSpan(_begin, count).CopyTo(buffer[done..]);
            _begin += count;
            done += count;
        }
        return done;
    }

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            octets.Dispose();
        base.Dispose(disposing);
    }

    /// <summary>Takes lines until the buffer could not hold another.</summary>
    private bool Fill()
    {
        (_begin, _end) = (0, 0);
        while (_end == 0 && _lines.TryRead(out var part))
        {
            var text = part.Text;
            if (form.IsMbox && IsLeftOut(part, ref text))
                continue;
            text.CopyTo(_out);
            _end = text.Length;
            if (part.IsEnd)
            {
                (_out[_end], _out[_end + 1]) = ((byte)'\r', (byte)'\n');
                _end += 2;
            }
        }
        return _end > 0;
    }

    private bool IsLeftOut(LinePart part, ref ReadOnlySpan<byte> text)
    {
        if (_inHead)
        {
            if (part.IsBlank)
                _inHead = false;
            else if (part.IsStart)
                _fields!.Take(part.Octets);
            return _inHead && (_fields!.Use is FieldUse.Mark || (_fields.Use is FieldUse.Length && entry.HasLength));
        }
        if (part.IsStart && form.Unquoting.TakesFrom(text))
            text = text[1..];
        return false;
    }
}

/// <summary>How messages stand in a file.</summary>
internal readonly record struct MessageForm(bool IsMbox, Unquoting Unquoting);

internal static class UnquotingExtensions
{
    /// <summary>The leading angle bracket of this line was put there by the file's writer.</summary>
    public static bool TakesFrom(this Unquoting unquoting, ReadOnlySpan<byte> line) =>
        QuotedLines.BracketsOf(line) switch
        {
            0 => false,
            1 => unquoting is Unquoting.Once or Unquoting.Every
                || (unquoting is Unquoting.OnceDated && FromLine.Parse(line[1..]) is not null),
            _ => unquoting is Unquoting.Every,
        };
}

using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>
/// Finds the messages of an mbox in one reading. Where lengths are told, which of the lines that begin with "From " stand between messages
/// is decided afterwards: a length counts if one of these lines, or the file's end, comes right after it.
/// </summary>
internal static class MboxScan
{
    /// <summary>More than any mailbox holds; a file that claims more would fill the memory.</summary>
    private const int MostMessages = 1_000_000;

    /// <summary>Octets of a field's name, with its colon.</summary>
    private const int LongestName = 100;

    /// <exception cref="InvalidDataException">It is no mbox.</exception>
    public static MboxContents Run(Stream octets, MboxDialect? said, DateTimeOffset fileTime, CancellationToken cancel)
    {
        var segments = new Reading(octets, fileTime, cancel).All();
        return new MboxContents(segments, said);
    }

    private sealed class Reading(Stream octets, DateTimeOffset fileTime, CancellationToken cancel)
    {
        private readonly LineBuffer _lines = new(octets);
        private readonly LinePrint _print = new();
        private readonly LinePrint _whole = new();
        private readonly List<MboxSegment> _segments = [];
        private MboxSegment? _now;
        private MessageFields _fields = new();
        private bool _inHead;
        private bool _afterBlank = true;
        private long _claimedEnd = -1;

        public List<MboxSegment> All()
        {
            var at = 0L;
            while (_lines.TryRead(out var part))
            {
                Take(part, at);
                at = _lines.At;
            }
            Close(at);
            return _segments;
        }

        private void Take(LinePart part, long at)
        {
            if (part is { IsStart: true, IsEnd: true } && FromLine.Parse(part.Octets) is { } line)
            {
                // The line is needed after what follows it was looked at.
                part = new LinePart(part.Octets.ToArray(), isStart: true);
                var isOdd = !BeginsLikeHeader(_lines.Peek(LongestName));
                if (!IsBoundary(at, isOdd))
                {
                    TakeLine(part, at);
                    return;
                }
                Close(at);
                cancel.ThrowIfCancellationRequested();
                if (_segments.Count == MostMessages)
                    throw new InvalidDataException($"it holds more than {MostMessages:N0} messages; divide it");
                _now = new MboxSegment
                {
                    LineAt = at,
                    Start = at + part.Octets.Length,
                    Line = line,
                    LineBare = part.IsBare ? 1 : 0,
                    IsOdd = isOdd,
                };
                (_fields, _inHead, _afterBlank) = (new MessageFields(), true, false);
                // A part of the message before keeps its line.
                _whole.Take(part);
                return;
            }
            TakeLine(part, at);
        }

        private void TakeLine(LinePart part, long at)
        {
            if (_now is null)
            {
                if (!part.IsBlank)
                    throw new InvalidDataException("it does not begin with a line \"From …\" that bears a date, so that it is no mbox");
                return;
            }
            _whole.Take(part);
            if (part.IsBare)
                _now.Bare++;
            _now.LineEnd = part.Octets.Length - part.Text.Length;
            if (_inHead)
                TakeHead(part, at);
            else
                TakeBody(part);
            if (part.IsStart)
                _afterBlank = part.IsBlank;
        }

        /// <summary>
        /// A line with a date after an empty line, or where a length ends, behind which a line end may stand. Some programs leave the empty
        /// line out after a message without a line end: there a header has to follow.
        /// </summary>
        private bool IsBoundary(long at, bool isOdd) =>
            _afterBlank || (_claimedEnd >= 0 && at - _claimedEnd is >= 0 and <= 2) || (!isOdd && _now is not null);

        /// <summary>A field (RFC 5322 §2.2), the line of an older delivery, or nothing: a message may be empty.</summary>
        private static bool BeginsLikeHeader(ReadOnlySpan<byte> octets)
        {
            if (octets.IsEmpty || octets[0] is (byte)'\n' or (byte)'\r' || octets.StartsWith(">From "u8))
                return true;
            var colon = octets.IndexOf((byte)':');
            return colon > 0 && octets[..colon].TrimEnd((byte)' ').IndexOfAnyExceptInRange((byte)'!', (byte)'~') < 0;
        }

        private void TakeHead(LinePart part, long at)
        {
            if (part.IsBlank)
            {
                _fields.End();
                _inHead = false;
                _now!.BodyAt = at + part.Octets.Length;
                if (_fields.ContentLength is { } length && _claimedEnd < at)
                    _claimedEnd = _now.BodyAt + length;
                _print.Take(part);
                return;
            }
            if (part.IsStart)
            {
                _fields.Take(part.Octets);
                _now!.Head += QuotedLines.Of(part.Octets);
            }
            var written = part.Octets.Length + (part.IsBare ? 1 : 0);
            if (_fields.Use is FieldUse.Mark)
                _now!.MarkOctets += written;
            else if (_fields.Use is FieldUse.Length)
                _now!.LengthOctets += written;
            else
                _print.Take(part);
        }

        private void TakeBody(LinePart part)
        {
            _print.Take(part);
            if (part.IsStart)
                _now!.Body += QuotedLines.Of(part.Octets);
            _now!.Blank = part.IsBlank ? part.Octets.Length : 0;
        }

        private void Close(long at)
        {
            if (_now is not { } done)
                return;
            _fields.End();
            done.End = at;
            if (_inHead)
                done.BodyAt = at;
            done.Length = _fields.ContentLength;
            (done.Flags, done.IsMarked, done.IsInternalData) = (_fields.Flags, _fields.IsMarked, _fields.IsInternalData);
            (done.Date, done.DateSource) = MessageDate.Of(MessageDate.Of(done.Line, _fields), _fields, fileTime);
            (done.Print, done.WholePrint) = (_print.End(), _whole.End());
            _segments.Add(done);
            _now = null;
        }
    }
}

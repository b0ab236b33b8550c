using System.Buffers.Binary;
using System.IO.Hashing;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>What an mbox holds, once its dialect is known.</summary>
internal sealed class MboxContents
{
    public MboxContents(List<MboxSegment> segments, MboxDialect? said)
    {
        var groups = Join(segments, said);
        Unquoting = UnquotingOf(groups, said);
        Messages = [.. groups.Where(g => !g.First.IsInternalData).Select(EntryOf)];
    }

    public List<MailEntry> Messages { get; }

    /// <summary>How lines of messages that begin with an angle bracket and "From " are to be read.</summary>
    public Unquoting Unquoting { get; }

    /// <summary>What cannot be told for certain, as sentences without a full stop, and for how many messages.</summary>
    public List<(string What, long Messages)> Unclear { get; } = [];

    /// <summary>Something in it is marked as read or as not read.</summary>
    public bool IsMarked { get; private set; }

    private sealed record Group(MboxSegment First, long End, bool HasLength, int Blank, bool BlankIsBare, QuotedLines Quoted, long Bare)
    {
        public UInt128 Print { get; init; }
    }

    private List<Group> Join(List<MboxSegment> segments, MboxDialect? said)
    {
        var groups = new List<Group>();
        var end = segments.Count > 0 ? segments[^1].End : 0;
        var places = segments.Select((s, i) => (s.LineAt, i)).ToDictionary(p => p.LineAt, p => p.i);
        long untrue = 0;
        for (var i = 0; i < segments.Count; )
        {
            var first = segments[i];
            var (next, stop) =
                said is MboxDialect.Mboxo or MboxDialect.Mboxrd || first.Length is not { } length
                    ? (-1, 0)
                    : AfterLength(first.BodyAt, length, end, places, segments);
            var hasLength = next > i;
            if (!hasLength)
            {
                untrue += first.Length is null ? 0 : 1;
                next = i + 1;
            }
            groups.Add(GroupOf(segments, i, next, hasLength, stop));
            i = next;
        }
        IsMarked = segments.Any(s => s.IsMarked);
        if (groups.Count(g => g.First.IsOdd) is > 0 and var odd)
            Unclear.Add(("a line \"From …\" with a date is followed by no header; a message is taken to begin there", odd));
        if (untrue > 0 && said is not (MboxDialect.Mboxo or MboxDialect.Mboxrd))
            Unclear.Add(("their header tells a length at which no message ends; they end where the next one begins", untrue));
        return groups;
    }

    /// <summary>A line end that separates two messages may stand between: LF, or CR and LF.</summary>
    private static (int Next, long Stop) AfterLength(
        long bodyAt,
        long length,
        long end,
        Dictionary<long, int> places,
        List<MboxSegment> segments
    )
    {
        if (length > end - bodyAt)
            return (-1, 0);
        var stop = bodyAt + length;
        for (var blank = 0; blank <= 2; blank++)
        {
            var next = stop + blank == end ? segments.Count : places.GetValueOrDefault(stop + blank, -1);
            if (next >= 0 && (blank == 0 || segments[next - 1].LineEnd == blank))
                return (next, stop);
        }
        return (-1, 0);
    }

    private static Group GroupOf(List<MboxSegment> segments, int from, int to, bool hasLength, long stop)
    {
        var (first, last) = (segments[from], segments[to - 1]);
        var (quoted, bare) = (first.Body, first.Bare);
        for (var i = from + 1; i < to; i++)
        {
            quoted += segments[i].Head + segments[i].Body + new QuotedLines(1, 0, 0, 0);
            bare += segments[i].Bare + segments[i].LineBare;
        }
        var blank =
            hasLength ? (int)(last.End - stop)
            : last.End - last.Blank >= last.BodyAt ? last.Blank
            : 0;
        var blankIsBare = blank > 0 && last.LineEnd == 1;
        return new Group(first, last.End - blank, hasLength, blank, blankIsBare, quoted, bare)
        {
            Print = PrintOf(segments.GetRange(from, to - from)),
        };
    }

    private static UInt128 PrintOf(List<MboxSegment> segments)
    {
        if (segments.Count == 1)
            return segments[0].Print;
        var hash = new XxHash128();
        Span<byte> print = stackalloc byte[16];
        for (var i = 0; i < segments.Count; i++)
        {
            BinaryPrimitives.WriteUInt128BigEndian(print, i == 0 ? segments[i].Print : segments[i].WholePrint);
            hash.Append(print);
        }
        return hash.GetCurrentHashAsUInt128();
    }

    private Unquoting UnquotingOf(List<Group> groups, MboxDialect? said)
    {
        switch (said)
        {
            case MboxDialect.Mboxo or MboxDialect.Mboxcl:
                return Unquoting.Once;
            case MboxDialect.Mboxrd:
                return Unquoting.Every;
            case MboxDialect.Mboxcl2:
                return Unquoting.None;
        }
        var all = groups.Aggregate(default(QuotedLines), (sum, g) => sum + g.Quoted);
        var quoted = groups.Count(g => g.Quoted.Once + g.Quoted.More > 0);
        var lengths = groups.Count(g => g.HasLength);
        if (lengths > 0 && lengths >= groups.Count - lengths)
        {
            // A writer that quotes would have quoted those.
            if (all.Plain > 0 || quoted == 0)
                return Unquoting.None;
            Unclear.Add(
                (
                    "lines begin with \">From \", and the bracket was either put there by the file's writer (mboxcl) or by the message's "
                        + "(mboxcl2); it is taken away",
                    quoted
                )
            );
            return Unquoting.Once;
        }
        if (all.Plain > 0)
        {
            // Some programs put a bracket only where a reader would be misled: before a line that bears a date.
            if (all.Once > all.OnceDated)
                Unclear.Add(
                    ("some lines begin with \"From \" and others with \">From \"; the bracket is taken away where a date follows", quoted)
                );
            return Unquoting.OnceDated;
        }
        if (all.More > 0)
            Unclear.Add(
                (
                    "lines begin with \">>From \", from which one bracket is taken away (mboxrd); a writer that quotes without counting "
                        + "(mboxo) put none there",
                    groups.Count(g => g.Quoted.More > 0)
                )
            );
        return Unquoting.Every;
    }

    private MailEntry EntryOf(Group group)
    {
        var first = group.First;
        var raw = group.End - first.Start;
        var bare = group.Bare - (group.BlankIsBare ? 1 : 0);
        var removed = first.MarkOctets + (group.HasLength ? first.LengthOctets : 0);
        var quoted = Unquoting switch
        {
            Unquoting.Every => group.Quoted.Once + group.Quoted.More,
            Unquoting.Once => group.Quoted.Once,
            Unquoting.OnceDated => group.Quoted.OnceDated,
            _ => 0,
        };
        return new MailEntry(
            group.Print,
            first.Start,
            raw,
            raw + bare - removed - quoted,
            first.Date,
            first.DateSource,
            first.Flags.Written
        )
        {
            HasLength = group.HasLength,
        };
    }
}

/// <summary>From which lines a leading angle bracket is taken away. Kept in the index by number: new ones come last.</summary>
internal enum Unquoting
{
    None,

    /// <summary>"&gt;From ".</summary>
    Once,

    /// <summary>"&gt;From " with a date.</summary>
    OnceDated,

    /// <summary>"&gt;From ", "&gt;&gt;From " and so on.</summary>
    Every,
}

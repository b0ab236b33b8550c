using System.IO.Hashing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>
/// From one line that can stand before a message to the next. It is a message; or, where a header told a length that reaches over it, a
/// part of the one before.
/// </summary>
internal sealed class MboxSegment
{
    /// <summary>Of the line before it, and of its first octet.</summary>
    public required long LineAt { get; init; }

    public required long Start { get; init; }

    public required FromLine? Line { get; init; }

    /// <summary>What follows the line does not look like a message.</summary>
    public bool IsOdd { get; init; }

    /// <summary>Of the body's first octet.</summary>
    public long BodyAt { get; set; }

    public long End { get; set; }

    /// <summary>The header told it.</summary>
    public long? Length { get; set; }

    public DateTimeOffset? Mark { get; set; }

    public DateTimeOffset Date { get; set; }

    public DateSource DateSource { get; set; }

    public FlagSet Flags { get; set; } = FlagSet.Empty;

    public bool IsMarked { get; set; }

    public bool IsInternalData { get; set; }

    /// <summary>Line ends without CR, each of which becomes two octets: of all lines, and of the line before.</summary>
    public long Bare { get; set; }

    public int LineBare { get; init; }

    /// <summary>Octets of programs' marks in the header, as they would be on the way to a server.</summary>
    public long MarkOctets { get; set; }

    /// <summary>The same of the fields that tell the length.</summary>
    public long LengthOctets { get; set; }

    public QuotedLines Body { get; set; }

    /// <summary>Counts only where this is a part of the message before.</summary>
    public QuotedLines Head { get; set; }

    /// <summary>Octets of the empty line at its end; 0: there is none.</summary>
    public int Blank { get; set; }

    /// <summary>Octets of its last line's end: 1 for LF, 2 for CR and LF; 0: the file ends within the line.</summary>
    public int LineEnd { get; set; }

    /// <summary>Of what its writer wrote, without marks and line ends: the same whenever the file is written again.</summary>
    public UInt128 Print { get; set; }

    /// <summary>Of all lines.</summary>
    public UInt128 WholePrint { get; set; }
}

/// <summary>Lines that look like the start of a message, or like one behind an angle bracket.</summary>
/// <param name="Plain">"From ", as it is.</param>
/// <param name="Once">"&gt;From ".</param>
/// <param name="OnceDated">Of these, with a date.</param>
/// <param name="More">"&gt;&gt;From " and more.</param>
internal readonly record struct QuotedLines(long Plain, long Once, long OnceDated, long More)
{
    public static QuotedLines operator +(QuotedLines a, QuotedLines b) =>
        new(a.Plain + b.Plain, a.Once + b.Once, a.OnceDated + b.OnceDated, a.More + b.More);

    public static QuotedLines Of(ReadOnlySpan<byte> line)
    {
        if (line.StartsWith(FromLine.Start))
            return new QuotedLines(1, 0, 0, 0);
        var brackets = BracketsOf(line);
        return brackets == 0 ? default
            : brackets > 1 ? new QuotedLines(0, 0, 0, 1)
            : new QuotedLines(0, 1, FromLine.Parse(line[1..]) is null ? 0 : 1, 0);
    }

    /// <summary>Angle brackets before "From "; 0 where the line is another.</summary>
    public static int BracketsOf(ReadOnlySpan<byte> line)
    {
        if (line is not [(byte)'>', ..])
            return 0;
        var brackets = line.IndexOfAnyExcept((byte)'>');
        return brackets > 0 && line[brackets..].StartsWith(FromLine.Start) ? brackets : 0;
    }
}

/// <summary>A digest of lines without their ends and without the empty lines at the end, which programs add and take away.</summary>
internal sealed class LinePrint
{
    private readonly XxHash128 _hash = new();
    private int _blank;

    public void Take(LinePart part)
    {
        if (part.IsBlank)
        {
            _blank++;
            return;
        }
        for (; _blank > 0; _blank--)
            _hash.Append("\n"u8);
        _hash.Append(part.Text);
        if (part.IsEnd)
            _hash.Append("\n"u8);
    }

    public UInt128 End()
    {
        _blank = 0;
        var print = _hash.GetCurrentHashAsUInt128();
        _hash.Reset();
        return print;
    }
}

using System.IO.Compression;
using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>Reads a file that is one message.</summary>
internal static class MessageScan
{
    /// <summary>Octets that a compressed message may have when it is unpacked: no service takes so large a one.</summary>
    private const long LargestUnpacked = 2L * 1024 * 1024 * 1024;

    /// <summary>Octets that may unpack to any number of times as many.</summary>
    private const int HighestRatio = 200;

    /// <param name="mark">The file's own, of when the message was received; null: it bears none.</param>
    /// <exception cref="InvalidDataException">It cannot be unpacked, or not in good faith.</exception>
    public static MailEntry Run(Stream octets, long length, DateTimeOffset? mark, DateTimeOffset fileTime)
    {
        Span<byte> first = stackalloc byte[2];
        var isGzip = octets.CanSeek && octets.ReadAtLeast(first, 2, throwOnEndOfStream: false) == 2 && IsGzip(first);
        if (octets.CanSeek)
            octets.Position = 0;
        using var unpacked = isGzip ? new GZipStream(octets, CompressionMode.Decompress) : null;
        var lines = new LineBuffer(unpacked ?? octets);
        var fields = new MessageFields();
        var print = new LinePrint();
        var (inHead, bare) = (true, 0L);
        while (lines.TryRead(out var part))
        {
            print.Take(part);
            if (part.IsBare)
                bare++;
            if (inHead && part.IsBlank)
                inHead = false;
            else if (inHead && part.IsStart)
                fields.Take(part.Octets);
            if (isGzip && lines.At > Math.Max(1024 * 1024, Math.Min(LargestUnpacked, length * HighestRatio)))
                throw new InvalidDataException("it would unpack to far more than its file holds");
        }
        fields.End();
        var (date, source) = MessageDate.Of(mark, fields, fileTime);
        return new MailEntry(print.End(), 0, lines.At, lines.At + bare, date, source, FlagSet.Empty.Written) { IsGzip = isGzip };
    }

    /// <summary>RFC 1952 §2.3.1.</summary>
    public static bool IsGzip(ReadOnlySpan<byte> first) => first is [0x1f, 0x8b, ..];

    /// <summary>Of a name that stays the same as long as the message is there.</summary>
    public static UInt128 PrintOf(string name) => XxHash128.HashToUInt128(Encoding.UTF8.GetBytes(name));
}

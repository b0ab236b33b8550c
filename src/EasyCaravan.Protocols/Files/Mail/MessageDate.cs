using MimeKit.Utils;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>From what is known when a message was received. Kept in the index by number: new ones come last.</summary>
internal enum DateSource
{
    /// <summary>The file's own mark: the line before it in an mbox, the time of a Maildir's file.</summary>
    Mark,
    Received,
    Sent,

    /// <summary>Nothing in the message tells: the time at which its file was last written.</summary>
    File,
}

/// <summary>When a message was received: by the file's own mark, else the newest trace in its header, else its sender.</summary>
internal static class MessageDate
{
    private static readonly TimeSpan s_quarter = TimeSpan.FromMinutes(15);

    /// <summary>How far apart the line before a message and the trace of the same delivery are.</summary>
    private static readonly TimeSpan s_near = TimeSpan.FromSeconds(90);

    /// <summary>When a trace field (RFC 5322 §3.6.7) says that the message came.</summary>
    /// <param name="text">The field's value on one line.</param>
    public static bool TryReadTrace(string text, out DateTimeOffset received)
    {
        received = default;
        return text.LastIndexOf(';') is var at and > 0 && DateUtils.TryParse(text[(at + 1)..].Trim(), out received);
    }

    public static (DateTimeOffset Date, DateSource Source) Of(DateTimeOffset? mark, MessageFields fields, DateTimeOffset file) =>
        mark is { } date ? (date, DateSource.Mark)
        : fields.Received is { } received ? (received, DateSource.Received)
        : fields.Sent is { } sent ? (sent, DateSource.Sent)
        : (file, DateSource.File);

    /// <summary>
    /// Many programs write local time without saying so. Where the header tells the same moment up to whole quarters of an hour, it tells
    /// the zone.
    /// </summary>
    public static DateTimeOffset? Of(FromLine? line, MessageFields fields)
    {
        if (line is not { } from)
            return null;
        if (from.HasZone || (fields.Received ?? fields.Sent) is not { } told)
            return from.Date;
        var apart = told - from.Date;
        if (apart.Duration() > TimeSpan.FromHours(14) + s_near)
            return from.Date;
        var zone = s_quarter * Math.Round(apart / s_quarter);
        return (apart - zone).Duration() <= s_near ? from.Date + zone : from.Date;
    }
}

using System.Collections.Immutable;
using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>What people are told about.</summary>
public enum NoticeEvent
{
    /// <summary>To administrators: once a day, how everything stands.</summary>
    Digest,

    /// <summary>To administrators: people of a batch wait for somebody, for one cause.</summary>
    NeedsYou,

    /// <summary>To administrators: everybody of a batch is in step.</summary>
    InStep,

    /// <summary>To administrators: a batch is done.</summary>
    Done,

    /// <summary>To a person: their batch will start.</summary>
    Starts,

    /// <summary>To a person: their mail, contacts or calendars are on the new side.</summary>
    KindDone,

    /// <summary>To a person: the cutover is near.</summary>
    Crosses,

    /// <summary>To a person: from now on the new account counts, with its settings.</summary>
    Crossed,
}

public static class NoticeEvents
{
    public static bool IsForPeople(this NoticeEvent about) =>
        about is NoticeEvent.Starts or NoticeEvent.KindDone or NoticeEvent.Crosses or NoticeEvent.Crossed;

    public static ImmutableArray<NoticeEvent> All { get; } = [.. Enum.GetValues<NoticeEvent>()];
}

/// <summary>How mail is sent (RFC 5321, RFC 6409).</summary>
public sealed record SendingConnection(string Host, int Port, Security Security);

/// <summary>With what the sender signs in.</summary>
public sealed record SenderLogin(string Login, SecretReference Secret);

/// <summary>Somewhere that is told of events over HTTP.</summary>
/// <param name="Secret">Known to both sides alone, and never sent.</param>
public sealed record Webhook(string Name, Uri Url, SecretReference Secret, ImmutableArray<NoticeEvent> About, Trust Trust);

/// <summary>Templates that replace ours, by the name of their file such as <c>starts.de.txt</c>.</summary>
public sealed record OwnTemplates(ImmutableDictionary<string, string> Texts)
{
    public static OwnTemplates None { get; } = new(ImmutableDictionary<string, string>.Empty);
}

/// <summary>Who is told of what, by mail and by webhook.</summary>
public sealed record Notices
{
    public const int UsualDaysBefore = 3;

    /// <summary>The sender, as it stands in messages; null: no mail is sent.</summary>
    public string? From { get; init; }

    public string? ReplyTo { get; init; }

    /// <summary>Letters a minute at most; null: as many as the server takes.</summary>
    public int? AMinute { get; init; }

    public SendingConnection? Sending { get; init; }

    /// <summary>Null: the server takes mail without a sign-in.</summary>
    public SenderLogin? Login { get; init; }

    /// <summary>The sender's mailbox, in which bounces arrive; null: nobody looks for them.</summary>
    public MailConnection? Bounces { get; init; }

    public Trust Trust { get; init; } = new Trust.System();

    /// <summary>Of whoever has none of their own: en, de or fr.</summary>
    public string Language { get; init; } = "en";

    public DateTimeZone Zone { get; init; } = DateTimeZone.Utc;

    /// <summary>Where people reach the console; null: it is not told.</summary>
    public Uri? Console { get; init; }

    public ImmutableArray<string> Administrators { get; init; } = [];

    public ImmutableArray<NoticeEvent> ToAdministrators { get; init; } = [];

    /// <summary>When the day's digest goes out, in <see cref="Zone"/>.</summary>
    public LocalTime DigestAt { get; init; } = new(7, 30);

    public ImmutableArray<NoticeEvent> ToPeople { get; init; } = [];

    /// <summary>How long before a start or a cutover people are told.</summary>
    public int DaysBefore { get; init; } = UsualDaysBefore;

    /// <summary>To whom people turn; null: it is not told.</summary>
    public string? Help { get; init; }

    public OwnTemplates Templates { get; init; } = OwnTemplates.None;

    public ImmutableArray<Webhook> Webhooks { get; init; } = [];
}

/// <summary>What a batch has otherwise than the plan's notices.</summary>
public sealed record BatchNotices(bool ToPeople, bool ToAdministrators, OwnTemplates Templates)
{
    public static BatchNotices AsPlanned { get; } = new(true, true, OwnTemplates.None);
}

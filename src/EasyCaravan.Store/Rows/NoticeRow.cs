using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>By which way a notice goes.</summary>
public enum NoticeWay
{
    Mail,
    Webhook,
}

/// <summary>What became of a notice.</summary>
public enum NoticeState
{
    /// <summary>It waits to be sent, or to be tried again.</summary>
    Due,

    /// <summary>It is being handed over. Whoever finds it so after a crash does not know whether it was taken.</summary>
    HandingOver,

    /// <summary>The server, or the webhook, has taken it.</summary>
    Sent,

    /// <summary>It was refused for good, or tried long enough.</summary>
    Refused,

    /// <summary>It was handed over, and nobody knows whether it was taken: it is not sent again by itself.</summary>
    Unclear,

    /// <summary>It was taken, and came back later.</summary>
    Bounced,

    /// <summary>It was due while notices were switched off, or came too late to be of use.</summary>
    Dropped,
}

/// <summary>A notice to one recipient.</summary>
public sealed class NoticeRow
{
    public long Id { get; set; }

    /// <summary>What happened, by which way and to whom it is told: there is one notice of each.</summary>
    public required string Key { get; set; }
    public NoticeEvent About { get; set; }
    public NoticeWay Way { get; set; }

    /// <summary>A mail address, or the name of a webhook.</summary>
    public required string To { get; set; }
    public required string Language { get; set; }
    public string? Batch { get; set; }
    public string? Account { get; set; }

    /// <summary>What is told, as a JSON object.</summary>
    public required string Facts { get; set; }
    public NoticeState State { get; set; }
    public long MadeAt { get; set; }
    public long DueAt { get; set; }

    /// <summary>When it got its last answer.</summary>
    public long? EndedAt { get; set; }
    public int Attempts { get; set; }

    /// <summary>What the server answered last, or why it was not sent.</summary>
    public string? Answer { get; set; }
    public string? Subject { get; set; }

    /// <summary>Of the message, without angle brackets; it stays the same however often it is tried.</summary>
    public string? MessageId { get; set; }
    public string? LeaseOwner { get; set; }
    public long? LeaseUntil { get; set; }
}

internal sealed class NoticesTable : IEntityTypeConfiguration<NoticeRow>
{
    public void Configure(EntityTypeBuilder<NoticeRow> notice)
    {
        notice.ToTable("notices");
        notice.HasIndex(n => n.Key).IsUnique();
        notice.HasIndex(n => n.MessageId);
        notice.HasIndex(n => new
        {
            n.State,
            n.Way,
            n.DueAt,
        });
        notice.HasIndex(n => new { n.Batch, n.Id });
        // What was sent in the last minute.
        notice.HasIndex(n => n.EndedAt);
    }
}

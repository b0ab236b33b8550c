using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>
/// A mark that what looks for events, or for bounces, has left: since when an event is told of, or how far a mailbox was read.
/// </summary>
public sealed class NoticeMarkRow
{
    public required string Name { get; set; }

    /// <summary>A time in Unix milliseconds, or the epoch of a mailbox.</summary>
    public long Value { get; set; }

    /// <summary>The next number of a mailbox.</summary>
    public long Next { get; set; }
}

internal sealed class NoticeMarksTable : IEntityTypeConfiguration<NoticeMarkRow>
{
    public void Configure(EntityTypeBuilder<NoticeMarkRow> mark)
    {
        mark.ToTable("notice_marks");
        mark.HasKey(m => m.Name);
    }
}

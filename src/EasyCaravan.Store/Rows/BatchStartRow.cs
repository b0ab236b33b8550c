using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A start that a timetable asked for and that was done: it is done once.</summary>
public sealed class BatchStartRow
{
    public required string Batch { get; set; }
    public long StartsAt { get; set; }
}

internal sealed class BatchStartsTable : IEntityTypeConfiguration<BatchStartRow>
{
    public void Configure(EntityTypeBuilder<BatchStartRow> start)
    {
        start.ToTable("batch_starts");
        start.HasKey(s => new { s.Batch, s.StartsAt });
    }
}

using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>How a batch stood in an hour, and what was foreseen of it then. An hour in which nothing changed has no row.</summary>
public sealed class BatchHourRow
{
    public required string Batch { get; set; }

    /// <summary>Its beginning.</summary>
    public long Hour { get; set; }

    /// <summary>How many people at each stage, as JSON.</summary>
    public required string StagesJson { get; set; }
    public int NeedsYou { get; set; }
    public long Found { get; set; }
    public long Settled { get; set; }
    public long Octets { get; set; }

    /// <summary>When everybody was foreseen to be in step; null: not within the horizon, or nobody is left to copy.</summary>
    public long? ForecastEarliest { get; set; }
    public long? ForecastLatest { get; set; }
}

internal sealed class BatchHoursTable : IEntityTypeConfiguration<BatchHourRow>
{
    public void Configure(EntityTypeBuilder<BatchHourRow> hour)
    {
        hour.ToTable("batch_hours");
        hour.HasKey(h => new { h.Batch, h.Hour });
    }
}

using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>How the crossing of a whole batch stands.</summary>
public enum BatchCrossingState
{
    /// <summary>A wave crosses, or the next one begins.</summary>
    Running,

    /// <summary>Too much went wrong: no further wave begins until a person says so.</summary>
    Stopped,

    /// <summary>Nobody is left who could cross in a wave.</summary>
    Ended,
}

/// <summary>The waves in which a batch crosses.</summary>
public sealed class BatchCrossingRow
{
    public required string Batch { get; set; }
    public long AskedAt { get; set; }
    public required string AskedBy { get; set; }

    /// <summary>The cutover of the timetable that asked for it; null: a person did.</summary>
    public long? CutoverAt { get; set; }

    /// <summary>The wave that crosses now, or crossed last, from 1.</summary>
    public int Wave { get; set; }
    public BatchCrossingState State { get; set; }
    public string? Because { get; set; }
}

internal sealed class BatchCrossingsTable : IEntityTypeConfiguration<BatchCrossingRow>
{
    public void Configure(EntityTypeBuilder<BatchCrossingRow> crossing)
    {
        crossing.ToTable("batch_crossings");
        crossing.HasKey(c => c.Batch);
    }
}

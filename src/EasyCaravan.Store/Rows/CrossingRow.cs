using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Crossing;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>Where the crossing of one move stands.</summary>
public sealed class CrossingRow
{
    public long MoveId { get; set; }
    public CrossingGoal Goal { get; set; }
    public CrossingStep Step { get; set; }
    public long? Due { get; set; }
    public Wait? WaitsFor { get; set; }
    public StoredFault? Fault { get; set; }
    public int Attempts { get; set; }
    public long? ClosingSince { get; set; }

    /// <summary>When the gates were last looked at.</summary>
    public long? LookedAt { get; set; }

    /// <summary>When the first change was made.</summary>
    public long? BegunAt { get; set; }

    /// <summary>When it had crossed.</summary>
    public long? SettledAt { get; set; }

    /// <summary>The wave of its batch in which it crosses; null: by itself.</summary>
    public int? Wave { get; set; }
}

internal sealed class CrossingsTable : IEntityTypeConfiguration<CrossingRow>
{
    public void Configure(EntityTypeBuilder<CrossingRow> crossing)
    {
        crossing.ToTable("crossings");
        crossing.HasKey(c => c.MoveId);
        crossing.Property(c => c.MoveId).ValueGeneratedNever();
        crossing.OwnsOne(c => c.Fault, StoredFault.Configure);
        // What happened since somebody looked.
        crossing.HasIndex(c => c.SettledAt);
    }
}

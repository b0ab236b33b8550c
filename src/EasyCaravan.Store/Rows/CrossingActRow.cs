using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>One thing done to cross: written down before it was done, and what came of it. Rows are added, and never removed.</summary>
public sealed class CrossingActRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }
    public CrossingAct Act { get; set; }
    public required string What { get; set; }
    public long BegunAt { get; set; }

    /// <summary>Null: it is being done, or nobody knows how it ended.</summary>
    public long? EndedAt { get; set; }
    public string? Outcome { get; set; }
}

internal sealed class CrossingActsTable : IEntityTypeConfiguration<CrossingActRow>
{
    public void Configure(EntityTypeBuilder<CrossingActRow> act)
    {
        act.ToTable("crossing_acts");
        act.HasKey(a => a.Id);
        act.HasIndex(a => new { a.MoveId, a.Id });
        act.HasOne<MoveRow>().WithMany().HasForeignKey(a => a.MoveId);
    }
}

using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A plan as applied. The newest is the one in force; the others are history.</summary>
public sealed class PlanRow
{
    public long Id { get; set; }
    public required string File { get; set; }
    public required string Text { get; set; }

    /// <summary>Files that the plan names, rosters left out, as a JSON object of texts.</summary>
    public required string FilesJson { get; set; }

    /// <summary>
    /// Digests of the rosters as applied, sealed, as rosters may hold secrets: a roster that is the same changes nobody. Null: not known.
    /// </summary>
    public string? Rosters { get; set; }
    public long AppliedAt { get; set; }
    public required string AppliedBy { get; set; }
}

internal sealed class PlansTable : IEntityTypeConfiguration<PlanRow>
{
    public void Configure(EntityTypeBuilder<PlanRow> plan)
    {
        plan.ToTable("plans");
    }
}

using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Surveying;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>What somebody decided about a finding; the newest decision for the same place is in force.</summary>
public sealed class DecisionRow
{
    public long Id { get; set; }
    public DecisionScope Scope { get; set; }

    /// <summary>The route's name, the batch's name, or the move's id.</summary>
    public required string Place { get; set; }
    public FindingCode Code { get; set; }
    public Resolution Way { get; set; }
    public string? Value { get; set; }
    public required string Who { get; set; }
    public long At { get; set; }
}

internal sealed class DecisionsTable : IEntityTypeConfiguration<DecisionRow>
{
    public void Configure(EntityTypeBuilder<DecisionRow> decision)
    {
        decision.ToTable("decisions");
        decision
            .HasIndex(c => new
            {
                c.Scope,
                c.Place,
                c.Code,
            })
            .IsUnique();
    }
}

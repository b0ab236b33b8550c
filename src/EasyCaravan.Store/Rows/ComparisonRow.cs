using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>The last comparison of both sides that somebody asked for.</summary>
public sealed class ComparisonRow
{
    public long MoveId { get; set; }
    public long AskedAt { get; set; }
    public required string AskedBy { get; set; }
    public long? EndedAt { get; set; }
    public double Share { get; set; }

    /// <summary>The kind on which it is; null: it has not begun yet.</summary>
    public Kind? Kind { get; set; }
    public long Page { get; set; }
    public long Number { get; set; }
    public long Compared { get; set; }
    public long Octets { get; set; }
    public long Differing { get; set; }
    public long FlagsChanged { get; set; }
    public long Arrived { get; set; }
}

internal sealed class ComparisonsTable : IEntityTypeConfiguration<ComparisonRow>
{
    public void Configure(EntityTypeBuilder<ComparisonRow> comparison)
    {
        comparison.ToTable("comparisons");
        comparison.HasKey(c => c.MoveId);
        comparison.HasOne<MoveRow>().WithOne().HasForeignKey<ComparisonRow>(c => c.MoveId);
    }
}

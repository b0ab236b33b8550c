using EasyCaravan.Core.Crossing;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A gate of a move as it was last seen, and a person's word that it is well all the same.</summary>
public sealed class CrossingGateRow
{
    public long MoveId { get; set; }
    public GateKind Kind { get; set; }
    public GateColour Colour { get; set; }
    public required string Facts { get; set; }
    public string? Remedy { get; set; }
    public string? AcceptedBy { get; set; }
    public string? AcceptedBecause { get; set; }
    public long? AcceptedAt { get; set; }
}

internal sealed class CrossingGatesTable : IEntityTypeConfiguration<CrossingGateRow>
{
    public void Configure(EntityTypeBuilder<CrossingGateRow> gate)
    {
        gate.ToTable("crossing_gates");
        gate.HasKey(g => new { g.MoveId, g.Kind });
        gate.Property(g => g.Kind).ValueGeneratedNever();
        gate.HasOne<MoveRow>().WithMany().HasForeignKey(g => g.MoveId);
    }
}

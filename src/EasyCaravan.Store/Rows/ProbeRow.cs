using EasyCaravan.Core.Crossing;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A message of ours to an old address, and what became of it.</summary>
public sealed class ProbeRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }
    public ProbeWay Way { get; set; }
    public required string MessageId { get; set; }
    public required string Sender { get; set; }
    public required byte[] Digest { get; set; }
    public ProbeState State { get; set; }
    public long PlannedAt { get; set; }
    public long? SentAt { get; set; }
    public long? ArrivedAt { get; set; }
    public string? Folder { get; set; }
    public long? KeptAt { get; set; }
    public long? RemovedAt { get; set; }
    public string? Said { get; set; }
}

internal sealed class ProbesTable : IEntityTypeConfiguration<ProbeRow>
{
    public void Configure(EntityTypeBuilder<ProbeRow> probe)
    {
        probe.ToTable("probes");
        probe.HasKey(p => p.Id);
        probe.HasIndex(p => new { p.MoveId, p.Id });
        probe.HasOne<MoveRow>().WithMany().HasForeignKey(p => p.MoveId);
    }
}

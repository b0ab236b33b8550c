using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A message that is not on the to side as it is on the from side.</summary>
public sealed class DifferenceRow
{
    public long Id { get; set; }
    public long FolderId { get; set; }
    public DifferenceKind Kind { get; set; }
    public long Number { get; set; }
    public long Landed { get; set; }
    public required string What { get; set; }
    public long Size { get; set; }
    public string? Received { get; set; }
    public required string Subject { get; set; }
    public required string Sender { get; set; }
    public DifferenceState State { get; set; }
    public string? DecidedBy { get; set; }
    public long SeenAt { get; set; }
}

internal sealed class DifferencesTable : IEntityTypeConfiguration<DifferenceRow>
{
    public void Configure(EntityTypeBuilder<DifferenceRow> difference)
    {
        difference.ToTable("differences");
        difference.HasIndex(d => d.State);
        difference
            .HasIndex(d => new
            {
                d.FolderId,
                d.Kind,
                d.Number,
                d.Landed,
            })
            .IsUnique();
        difference.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(d => d.FolderId);
    }
}

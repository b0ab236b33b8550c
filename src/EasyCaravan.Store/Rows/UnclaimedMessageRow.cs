using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A message of the to side that no page of the ledger claims, as it was when first seen.</summary>
public sealed class UnclaimedMessageRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public long Size { get; set; }
    public long Low { get; set; }
    public long High { get; set; }
    public bool Certain { get; set; }
}

internal sealed class UnclaimedMessagesTable : IEntityTypeConfiguration<UnclaimedMessageRow>
{
    public void Configure(EntityTypeBuilder<UnclaimedMessageRow> unclaimed)
    {
        unclaimed.ToTable("unclaimed_messages");
        unclaimed.HasKey(s => new { s.FolderId, s.Number });
        unclaimed.Property(s => s.FolderId).HasColumnName("folder_id");
        unclaimed.Property(s => s.Number).HasColumnName("number");
        unclaimed.Property(s => s.Size).HasColumnName("size");
        unclaimed.Property(s => s.Low).HasColumnName("low");
        unclaimed.Property(s => s.High).HasColumnName("high");
        unclaimed.Property(s => s.Certain).HasColumnName("certain");
        unclaimed.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(s => s.FolderId);
    }
}

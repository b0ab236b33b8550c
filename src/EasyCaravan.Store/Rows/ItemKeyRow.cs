using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>Which message stands at a number, for moves in which one may stand in several folders.</summary>
public sealed class ItemKeyRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public long MoveId { get; set; }
    public long Low { get; set; }
    public long High { get; set; }
}

internal sealed class ItemKeysTable : IEntityTypeConfiguration<ItemKeyRow>
{
    public void Configure(EntityTypeBuilder<ItemKeyRow> key)
    {
        key.ToTable("item_keys");
        key.HasKey(k => new { k.FolderId, k.Number });
        key.HasIndex(k => new { k.MoveId, k.Low });
        key.Property(k => k.FolderId).HasColumnName("folder_id");
        key.Property(k => k.Number).HasColumnName("number");
        key.Property(k => k.MoveId).HasColumnName("move_id");
        key.Property(k => k.Low).HasColumnName("low");
        key.Property(k => k.High).HasColumnName("high");
        key.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(k => k.FolderId);
    }
}

using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A contact that the person had on the to side, as it was before something was added to it.</summary>
public sealed class ItemOriginalRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public required byte[] Octets { get; set; }
}

internal sealed class ItemOriginalsTable : IEntityTypeConfiguration<ItemOriginalRow>
{
    public void Configure(EntityTypeBuilder<ItemOriginalRow> original)
    {
        original.ToTable("item_originals");
        original.HasKey(o => new { o.FolderId, o.Number });
        original.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(o => o.FolderId);
    }
}

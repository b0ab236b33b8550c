using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>Both forms of an item that is not the same on both sides.</summary>
public sealed class ItemFormsRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public required byte[] Before { get; set; }
    public byte[]? After { get; set; }
}

internal sealed class ItemFormsTable : IEntityTypeConfiguration<ItemFormsRow>
{
    public void Configure(EntityTypeBuilder<ItemFormsRow> forms)
    {
        forms.ToTable("item_forms");
        forms.HasKey(f => new { f.FolderId, f.Number });
        forms.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(f => f.FolderId);
    }
}

using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>One message. Millions of them: a few small numbers each.</summary>
public sealed class LedgerItemRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public long? Landed { get; set; }
    public Outcome Outcome { get; set; }
    public bool Gone { get; set; }
    public int Flags { get; set; }
    public long Size { get; set; }
}

internal sealed class LedgerItemsTable : IEntityTypeConfiguration<LedgerItemRow>
{
    public void Configure(EntityTypeBuilder<LedgerItemRow> item)
    {
        // Columns are named here because the ledger writes them in SQL of its own, many rows to a statement.
        item.ToTable("ledger_items");
        item.HasKey(i => new { i.FolderId, i.Number });
        item.Property(i => i.FolderId).HasColumnName("folder_id");
        item.Property(i => i.Number).HasColumnName("number");
        item.Property(i => i.Landed).HasColumnName("landed");
        item.Property(i => i.Outcome).HasColumnName("outcome");
        item.Property(i => i.Gone).HasColumnName("gone");
        item.Property(i => i.Flags).HasColumnName("flags");
        item.Property(i => i.Size).HasColumnName("size");
        item.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(i => i.FolderId);
    }
}

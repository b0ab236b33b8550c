using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>Where a contact or event is on both sides, and in which state. What became of it is told by its row in the ledger.</summary>
public sealed class CollectionItemRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }

    /// <summary>Below the collection's path where it is in it, else the whole path.</summary>
    public required string From { get; set; }
    public long? FromTag { get; set; }
    public long? FromDigest { get; set; }

    /// <summary>As <see cref="From"/>, and empty where it is the same.</summary>
    public string? To { get; set; }

    /// <summary>See <see cref="PackedTag"/>.</summary>
    public byte[]? ToTag { get; set; }
    public long? ToDigest { get; set; }
    public Core.Planning.ItemShapings Shapings { get; set; }
    public bool IsForeign { get; set; }
}

internal sealed class CollectionItemsTable : IEntityTypeConfiguration<CollectionItemRow>
{
    public void Configure(EntityTypeBuilder<CollectionItemRow> item)
    {
        // Columns are named here because they are written in SQL of its own.
        item.ToTable("collection_items");
        item.HasKey(i => new { i.FolderId, i.Number });
        item.Property(i => i.FolderId).HasColumnName("folder_id");
        item.Property(i => i.Number).HasColumnName("number");
        item.Property(i => i.From).HasColumnName("from_path");
        item.Property(i => i.FromTag).HasColumnName("from_tag");
        item.Property(i => i.FromDigest).HasColumnName("from_digest");
        item.Property(i => i.To).HasColumnName("to_path");
        item.Property(i => i.ToTag).HasColumnName("to_tag");
        item.Property(i => i.ToDigest).HasColumnName("to_digest");
        item.Property(i => i.Shapings).HasColumnName("shapings");
        item.Property(i => i.IsForeign).HasColumnName("is_foreign");
        // The waybill counts the few that were shaped.
        item.HasIndex(i => new { i.FolderId, i.Shapings }).HasFilter("shapings <> 0");
        item.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(i => i.FolderId);
    }
}

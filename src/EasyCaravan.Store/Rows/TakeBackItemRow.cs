using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>What became of one item when its move was taken back.</summary>
public sealed class TakeBackItemRow
{
    /// <summary>Of <see cref="TakeBackFolderRow"/>.</summary>
    public long FolderId { get; set; }

    /// <summary>The ledger's page and number, by which a take-back that was broken off goes on.</summary>
    public long Page { get; set; }
    public long Number { get; set; }
    public TakenBack State { get; set; }
    public KeptBecause? Because { get; set; }
    public string? Title { get; set; }
}

internal sealed class TakeBackItemsTable : IEntityTypeConfiguration<TakeBackItemRow>
{
    public void Configure(EntityTypeBuilder<TakeBackItemRow> item)
    {
        // Columns are named here because they are written in SQL of its own, many rows to a statement.
        item.ToTable("take_back_items");
        item.HasKey(i => new
        {
            i.FolderId,
            i.Page,
            i.Number,
        });
        item.Property(i => i.FolderId).HasColumnName("folder_id");
        item.Property(i => i.Page).HasColumnName("page");
        item.Property(i => i.Number).HasColumnName("number");
        item.Property(i => i.State).HasColumnName("state");
        item.Property(i => i.Because).HasColumnName("because");
        item.Property(i => i.Title).HasColumnName("title");
        item.HasIndex(i => new { i.FolderId, i.State });
        item.HasOne<TakeBackFolderRow>().WithMany().HasForeignKey(i => i.FolderId);
    }
}

using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>What is kept of a page that is an address book or a calendar.</summary>
public sealed class CollectionPageRow
{
    public long FolderId { get; set; }

    /// <summary>Paths, as their services write them.</summary>
    public required string From { get; set; }
    public string? To { get; set; }

    /// <summary>What each side held when the page was last complete.</summary>
    public string? FromToken { get; set; }
    public string? FromTag { get; set; }
    public string? ToToken { get; set; }
    public string? ToTag { get; set; }
    public bool HasStrangers { get; set; }
    public bool SchedulingIsOff { get; set; }

    /// <summary>Properties of the collection that the new side did not keep when it was made there, in words; null: none.</summary>
    public string? Lost { get; set; }
}

internal sealed class CollectionPagesTable : IEntityTypeConfiguration<CollectionPageRow>
{
    public void Configure(EntityTypeBuilder<CollectionPageRow> page)
    {
        page.ToTable("collection_pages");
        page.HasKey(p => p.FolderId);
        page.Property(p => p.FolderId).ValueGeneratedNever();
        page.HasOne<LedgerFolderRow>().WithOne().HasForeignKey<CollectionPageRow>(p => p.FolderId);
    }
}

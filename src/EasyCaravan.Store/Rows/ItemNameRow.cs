using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>The number of an item that its service names by text only.</summary>
public sealed class ItemNameRow
{
    public long Id { get; set; }
    public required string Service { get; set; }
    public required string Account { get; set; }
    public required string Name { get; set; }
    public long Number { get; set; }
}

internal sealed class ItemNamesTable : IEntityTypeConfiguration<ItemNameRow>
{
    public void Configure(EntityTypeBuilder<ItemNameRow> name)
    {
        name.ToTable("item_names");
        name.HasIndex(n => new
            {
                n.Service,
                n.Account,
                n.Name,
            })
            .IsUnique();
    }
}

using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>Where an account has its address books or calendars, so that it need not be looked for again.</summary>
public sealed class CollectionHomeRow
{
    public required string Service { get; set; }
    public required string Account { get; set; }
    public Kind Kind { get; set; }

    /// <summary>The plan's URL under which it was found: with another one it is looked for anew.</summary>
    public required string Url { get; set; }

    /// <summary>The rest, as JSON.</summary>
    public required string Found { get; set; }
}

internal sealed class CollectionHomesTable : IEntityTypeConfiguration<CollectionHomeRow>
{
    public void Configure(EntityTypeBuilder<CollectionHomeRow> home)
    {
        home.ToTable("collection_homes");
        home.HasKey(h => new
        {
            h.Service,
            h.Account,
            h.Kind,
        });
    }
}

using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>How long one parcel is kept. It outweighs what was said when it was packed.</summary>
public sealed class ParcelTermRow
{
    /// <summary>The folder, below the service's folder of files.</summary>
    public required string Place { get; set; }

    /// <summary>Of its files, without part and ending.</summary>
    public required string Name { get; set; }

    /// <summary>When it is deleted; null: when somebody does it.</summary>
    public long? KeepUntil { get; set; }
}

internal sealed class ParcelTermsTable : IEntityTypeConfiguration<ParcelTermRow>
{
    public void Configure(EntityTypeBuilder<ParcelTermRow> term)
    {
        term.ToTable("parcel_terms");
        term.HasKey(t => new { t.Place, t.Name });
    }
}

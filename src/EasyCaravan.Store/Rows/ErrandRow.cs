using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>What an errand does with parcels.</summary>
public enum ErrandKind
{
    /// <summary>Accounts are packed.</summary>
    Pack,

    /// <summary>A parcel is put into an account.</summary>
    Open,
}

/// <summary>A batch that a command made, with its route and its service of parcels; see <see cref="Core.Planning.Errand"/>.</summary>
public sealed class ErrandRow
{
    public long Id { get; set; }
    public required string Name { get; set; }

    /// <summary>The word of whoever asked for it, by which asking again is known; null: none was given.</summary>
    public string? Key { get; set; }
    public ErrandKind Kind { get; set; }
    public required string Text { get; set; }
    public long CreatedAt { get; set; }
    public required string CreatedBy { get; set; }

    /// <summary>When the parcels that it packed are deleted; null: when somebody does it.</summary>
    public long? KeepUntil { get; set; }

    /// <summary>When they were; null: they were not.</summary>
    public long? DeletedAt { get; set; }
}

internal sealed class ErrandsTable : IEntityTypeConfiguration<ErrandRow>
{
    public void Configure(EntityTypeBuilder<ErrandRow> errand)
    {
        errand.ToTable("errands");
        errand.HasIndex(e => e.Name).IsUnique();
        errand.HasIndex(e => e.Key).IsUnique();
    }
}

using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A refresh token that a person's consent gave, or that took the place of the roster's.</summary>
public sealed class ConsentRow
{
    public long Id { get; set; }
    public required string Service { get; set; }
    public required string Account { get; set; }

    /// <summary>A digest of the roster's token that it took the place of; empty where a person consented here.</summary>
    public required string Origin { get; set; }
    public required string Token { get; set; }
    public string? Scope { get; set; }
    public required string Who { get; set; }
    public long At { get; set; }
}

internal sealed class ConsentsTable : IEntityTypeConfiguration<ConsentRow>
{
    public void Configure(EntityTypeBuilder<ConsentRow> consent)
    {
        consent.ToTable("consents");
        consent
            .HasIndex(c => new
            {
                c.Service,
                c.Account,
                c.Origin,
            })
            .IsUnique();
    }
}

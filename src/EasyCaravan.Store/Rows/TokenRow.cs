using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

public sealed class TokenRow
{
    public long Id { get; set; }
    public required string Name { get; set; }

    /// <summary>SHA-256 of the token, in hexadecimal: the token itself is nowhere.</summary>
    public required string Hash { get; set; }
    public long CreatedAt { get; set; }

    /// <summary>Who had it made; null: the service at its first start.</summary>
    public string? CreatedBy { get; set; }

    /// <summary>Null: it has no end.</summary>
    public long? EndsAt { get; set; }

    /// <summary>To the minute; null: never used.</summary>
    public long? UsedAt { get; set; }
    public long? RevokedAt { get; set; }
}

internal sealed class TokensTable : IEntityTypeConfiguration<TokenRow>
{
    public void Configure(EntityTypeBuilder<TokenRow> token)
    {
        token.ToTable("tokens");
        token.HasIndex(t => t.Hash).IsUnique();
    }
}

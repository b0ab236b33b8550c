using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A browser that is signed in. It is deleted when it signs out, and when its token is revoked.</summary>
public sealed class SessionRow
{
    public long Id { get; set; }

    /// <summary>SHA-256 of what the cookie holds, in hexadecimal.</summary>
    public required string Hash { get; set; }

    /// <summary>The token that it signed in with.</summary>
    public long TokenId { get; set; }
    public TokenRow? Token { get; set; }
    public long CreatedAt { get; set; }
    public long EndsAt { get; set; }
}

internal sealed class SessionsTable : IEntityTypeConfiguration<SessionRow>
{
    public void Configure(EntityTypeBuilder<SessionRow> session)
    {
        session.ToTable("sessions");
        session.HasIndex(s => s.Hash).IsUnique();
        session.HasOne(s => s.Token).WithMany().HasForeignKey(s => s.TokenId).OnDelete(DeleteBehavior.Cascade);
    }
}

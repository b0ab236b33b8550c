using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A message that came to the old address after forwarding was on: when, and from whom.</summary>
public sealed class LateMailRow
{
    public long FolderId { get; set; }
    public long Number { get; set; }
    public long MoveId { get; set; }
    public long At { get; set; }
    public required string Sender { get; set; }
}

internal sealed class LateMailTable : IEntityTypeConfiguration<LateMailRow>
{
    public void Configure(EntityTypeBuilder<LateMailRow> mail)
    {
        mail.ToTable("late_mail");
        mail.HasKey(m => new { m.FolderId, m.Number });
        mail.HasIndex(m => new { m.MoveId, m.At });
        mail.HasOne<MoveRow>().WithMany().HasForeignKey(m => m.MoveId);
    }
}

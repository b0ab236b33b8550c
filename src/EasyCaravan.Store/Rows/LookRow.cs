using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>When somebody last looked at what happened.</summary>
public sealed class LookRow
{
    public required string Who { get; set; }
    public long At { get; set; }
}

internal sealed class LooksTable : IEntityTypeConfiguration<LookRow>
{
    public void Configure(EntityTypeBuilder<LookRow> look)
    {
        look.ToTable("looks");
        look.HasKey(l => l.Who);
    }
}

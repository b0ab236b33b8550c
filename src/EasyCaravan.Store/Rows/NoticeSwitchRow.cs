using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>Somebody switched notices off, of a batch or of all.</summary>
public sealed class NoticeSwitchRow
{
    /// <summary>Empty: of all.</summary>
    public required string Batch { get; set; }
    public long OffSince { get; set; }
    public required string By { get; set; }
}

internal sealed class NoticeSwitchesTable : IEntityTypeConfiguration<NoticeSwitchRow>
{
    public void Configure(EntityTypeBuilder<NoticeSwitchRow> off)
    {
        off.ToTable("notice_switches");
        off.HasKey(s => s.Batch);
    }
}

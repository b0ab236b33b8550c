using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>What happened and who asked for it. Never changed, never deleted.</summary>
public sealed class JournalRow
{
    public long Id { get; set; }
    public long At { get; set; }
    public string? Batch { get; set; }
    public long? MoveId { get; set; }
    public string? Person { get; set; }
    public required string Who { get; set; }
    public required string Text { get; set; }
}

internal sealed class JournalTable : IEntityTypeConfiguration<JournalRow>
{
    public void Configure(EntityTypeBuilder<JournalRow> entry)
    {
        entry.ToTable("journal");
        entry.HasIndex(e => new { e.Batch, e.Id });
        entry.HasIndex(e => new { e.MoveId, e.Id });
    }
}

using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>How fast a service gives out contacts or events in the ways in which it can be asked, in items a second.</summary>
public sealed class ReadingSpeedRow
{
    public required string Service { get; set; }
    public Kind Kind { get; set; }
    public double? MultiGet { get; set; }
    public double? Query { get; set; }
}

internal sealed class ReadingSpeedsTable : IEntityTypeConfiguration<ReadingSpeedRow>
{
    public void Configure(EntityTypeBuilder<ReadingSpeedRow> speed)
    {
        speed.ToTable("reading_speeds");
        speed.HasKey(s => new { s.Service, s.Kind });
    }
}

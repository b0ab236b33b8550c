using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>How a service likes to be used for contacts or events, as measured.</summary>
public sealed class ServiceSpeedRow
{
    public required string Service { get; set; }
    public Kind Kind { get; set; }

    /// <summary>Items a second that it gives out in each way in which it can be asked.</summary>
    public double? MultiGet { get; set; }
    public double? Query { get; set; }

    /// <summary>Items that it is worth writing at the same time; null: not found out yet.</summary>
    public int? WritingLanes { get; set; }
}

internal sealed class ServiceSpeedsTable : IEntityTypeConfiguration<ServiceSpeedRow>
{
    public void Configure(EntityTypeBuilder<ServiceSpeedRow> speed)
    {
        speed.ToTable("service_speeds");
        speed.HasKey(s => new { s.Service, s.Kind });
    }
}

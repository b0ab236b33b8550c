using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A service on which no pass begins until somebody ends it.</summary>
public sealed class DrainRow
{
    /// <summary>Empty: every service.</summary>
    public required string Service { get; set; }

    /// <summary>Passes that run end the item in hand and wait, too.</summary>
    public bool StopsRunning { get; set; }
    public required string Who { get; set; }
    public long At { get; set; }
}

internal sealed class DrainsTable : IEntityTypeConfiguration<DrainRow>
{
    public void Configure(EntityTypeBuilder<DrainRow> drain)
    {
        drain.ToTable("drains");
        drain.HasKey(d => d.Service);
    }
}

using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A message that came to the new account by itself since the move began.</summary>
public sealed class ArrivalRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }
    public required string Place { get; set; }
    public long Epoch { get; set; }
    public long Number { get; set; }
    public long Size { get; set; }
    public long Low { get; set; }
    public long High { get; set; }
    public bool Certain { get; set; }
    public bool Gone { get; set; }
    public bool Matched { get; set; }
}

/// <summary>What a folder of the to side held when it was last looked through for such messages.</summary>
public sealed class ArrivalLookRow
{
    public long MoveId { get; set; }
    public required string Place { get; set; }
    public long Epoch { get; set; }
    public long Next { get; set; }
    public long Count { get; set; }
}

internal sealed class ArrivalsTable : IEntityTypeConfiguration<ArrivalRow>
{
    public void Configure(EntityTypeBuilder<ArrivalRow> arrival)
    {
        arrival.ToTable("arrivals");
        arrival.HasKey(a => a.Id);
        arrival.HasIndex(a => a.MoveId);
        arrival.HasOne<MoveRow>().WithMany().HasForeignKey(a => a.MoveId);
    }
}

internal sealed class ArrivalLooksTable : IEntityTypeConfiguration<ArrivalLookRow>
{
    public void Configure(EntityTypeBuilder<ArrivalLookRow> look)
    {
        look.ToTable("arrival_looks");
        look.HasKey(l => new { l.MoveId, l.Place });
        look.HasOne<MoveRow>().WithMany().HasForeignKey(l => l.MoveId);
    }
}

using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A folder or collection that a move made on the to side, or put among those that are shown.</summary>
public sealed class MadePlaceRow
{
    public long MoveId { get; set; }
    public Kind Kind { get; set; }
    public MadeAs As { get; set; }
    public required string Place { get; set; }
}

internal sealed class MadePlacesTable : IEntityTypeConfiguration<MadePlaceRow>
{
    public void Configure(EntityTypeBuilder<MadePlaceRow> place)
    {
        place.ToTable("made_places");
        place.HasKey(p => new
        {
            p.MoveId,
            p.Kind,
            p.As,
            p.Place,
        });
        place.HasOne<MoveRow>().WithMany().HasForeignKey(p => p.MoveId);
    }
}

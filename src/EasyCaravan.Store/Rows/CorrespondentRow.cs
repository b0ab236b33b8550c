using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>Somebody with whom a person exchanges mail, and what became of the note to them.</summary>
public sealed class CorrespondentRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }
    public required string Address { get; set; }
    public required string Name { get; set; }
    public long Received { get; set; }
    public long Sent { get; set; }
    public long LastAt { get; set; }

    /// <summary>Somebody who moves by the same plan.</summary>
    public bool IsColleague { get; set; }

    /// <summary>Null: none was asked for.</summary>
    public NoteState? Note { get; set; }
    public long? NoteAt { get; set; }
    public string? NoteSaid { get; set; }
}

internal sealed class CorrespondentsTable : IEntityTypeConfiguration<CorrespondentRow>
{
    public void Configure(EntityTypeBuilder<CorrespondentRow> correspondent)
    {
        correspondent.ToTable("correspondents");
        correspondent.HasKey(c => c.Id);
        correspondent.HasIndex(c => new { c.MoveId, c.Address }).IsUnique();
        correspondent.HasOne<MoveRow>().WithMany().HasForeignKey(c => c.MoveId);
    }
}

using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>That somebody asked with whom a person exchanges mail, and what note is to go to them.</summary>
public sealed class CorrespondenceRow
{
    public long MoveId { get; set; }

    /// <summary>Mail since then is counted.</summary>
    public long Since { get; set; }
    public long AskedAt { get; set; }

    /// <summary>Null: it is not counted yet.</summary>
    public long? CountedAt { get; set; }
    public long Messages { get; set; }

    /// <summary>Null: no note was asked for.</summary>
    public NoteWay? Note { get; set; }
    public long? NoteAskedAt { get; set; }
    public string? NoteAskedBy { get; set; }

    /// <summary>How the person said that it may be sent in their name.</summary>
    public string? NoteBecause { get; set; }
}

internal sealed class CorrespondencesTable : IEntityTypeConfiguration<CorrespondenceRow>
{
    public void Configure(EntityTypeBuilder<CorrespondenceRow> correspondence)
    {
        correspondence.ToTable("correspondences");
        correspondence.HasKey(c => c.MoveId);
        correspondence.Property(c => c.MoveId).ValueGeneratedNever();
        correspondence.HasOne<MoveRow>().WithOne().HasForeignKey<CorrespondenceRow>(c => c.MoveId);
    }
}

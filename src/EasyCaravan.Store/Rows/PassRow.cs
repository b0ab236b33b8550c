using EasyCaravan.Core.Carrying;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>One run of a move.</summary>
public sealed class PassRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }
    public PassKind Kind { get; set; }
    public long StartedAt { get; set; }
    public long? EndedAt { get; set; }
    public bool Stopped { get; set; }

    /// <summary>Of a survey or comparison; those of legs stand with them.</summary>
    public string? Fault { get; set; }

    /// <summary>What each kind did in it; of a survey or comparison, one.</summary>
    public List<PassLegRow> Legs { get; } = [];
}

internal sealed class PassesTable : IEntityTypeConfiguration<PassRow>
{
    public void Configure(EntityTypeBuilder<PassRow> pass)
    {
        pass.ToTable("passes");
        // What happened since somebody looked.
        pass.HasIndex(p => p.EndedAt);
        pass.HasMany(p => p.Legs).WithOne().HasForeignKey(l => l.PassId);
        pass.HasOne<MoveRow>().WithMany().HasForeignKey(p => p.MoveId);
    }
}

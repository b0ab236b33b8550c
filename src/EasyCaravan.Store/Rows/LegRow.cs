using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>One kind of a move: how far it is, what it waits for, and its sums.</summary>
public sealed class LegRow
{
    public long MoveId { get; set; }
    public Kind Kind { get; set; }

    /// <summary>In the order of the route, from 0.</summary>
    public int Position { get; set; }

    public Stage Stage { get; set; }
    public long? Due { get; set; }
    public Wait? WaitsFor { get; set; }
    public StoredFault? Fault { get; set; }
    public int Attempts { get; set; }
    public long? EndedAt { get; set; }

    /// <summary>When it first ended well.</summary>
    public long? InStepSince { get; set; }

    public long Found { get; set; }
    public long Carried { get; set; }
    public long Paired { get; set; }
    public long Excluded { get; set; }
    public long LeftBehind { get; set; }

    /// <summary>Of those left behind, the ones about which nobody has decided.</summary>
    public long OpenLeftBehind { get; set; }

    /// <summary>Differences between the sides about which nobody has decided.</summary>
    public long Undecided { get; set; }
    public long Octets { get; set; }
}

internal sealed class LegsTable : IEntityTypeConfiguration<LegRow>
{
    public void Configure(EntityTypeBuilder<LegRow> leg)
    {
        leg.ToTable("legs");
        leg.HasKey(l => new { l.MoveId, l.Kind });
        leg.Property(l => l.Kind).ValueGeneratedNever();
        // What happened since somebody looked.
        leg.HasIndex(l => l.InStepSince);
        leg.OwnsOne(l => l.Fault, StoredFault.Configure);
    }
}

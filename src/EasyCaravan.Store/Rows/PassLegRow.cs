using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>What one kind did in one pass.</summary>
public sealed class PassLegRow
{
    public long PassId { get; set; }
    public Kind Kind { get; set; }
    public long MoveId { get; set; }

    /// <summary>Null while the pass runs and this leg has not ended.</summary>
    public long? EndedAt { get; set; }

    /// <summary>The pass was stopped before this leg came to its end.</summary>
    public bool Stopped { get; set; }
    public string? Fault { get; set; }
    public long Expected { get; set; }
    public long Carried { get; set; }
    public long Paired { get; set; }
    public long Excluded { get; set; }
    public long LeftBehind { get; set; }
    public long Octets { get; set; }
    public long FlagsChanged { get; set; }
    public long Moved { get; set; }
    public long Removed { get; set; }

    /// <summary>Contacts and events that were edited on the old side and brought up to date on the new side.</summary>
    public long Updated { get; set; }
    public long Looked { get; set; }
    public long Differences { get; set; }

    /// <summary>What is being worked on now.</summary>
    public string? Folder { get; set; }
}

internal sealed class PassLegsTable : IEntityTypeConfiguration<PassLegRow>
{
    public void Configure(EntityTypeBuilder<PassLegRow> leg)
    {
        leg.ToTable("pass_legs");
        leg.HasKey(l => new { l.PassId, l.Kind });
        leg.Property(l => l.Kind).ValueGeneratedNever();
        // What happened since somebody looked.
        leg.HasIndex(l => l.EndedAt);
        leg.HasIndex(l => new
        {
            l.MoveId,
            l.Kind,
            l.PassId,
        });
    }
}

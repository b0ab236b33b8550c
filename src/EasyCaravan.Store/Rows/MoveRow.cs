using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>One person's move. Times are Unix milliseconds: the one form that every provider compares alike.</summary>
public sealed class MoveRow
{
    public long Id { get; set; }
    public required string Batch { get; set; }
    public required string Name { get; set; }
    public required string FromAccount { get; set; }
    public required string ToAccount { get; set; }
    public required string FromLogin { get; set; }
    public required string ToLogin { get; set; }
    public string? FromSecret { get; set; }
    public string? ToSecret { get; set; }

    /// <summary>Where the secret is kept outside of the store, as env:NAME or file:NAME.</summary>
    public string? FromSecretReference { get; set; }
    public string? ToSecretReference { get; set; }
    public string? ToUnder { get; set; }
    public string? ToRoot { get; set; }
    public string? Note { get; set; }

    public Stage Stage { get; set; }
    public ConditionKind Condition { get; set; }
    public Wait? WaitsFor { get; set; }
    public long? Until { get; set; }
    public StoredFault? Fault { get; set; }

    /// <summary>The kind that waits or needs somebody; null where the whole move does.</summary>
    public Kind? ConditionLeg { get; set; }
    public PassKind? Wanted { get; set; }
    public int Attempts { get; set; }

    /// <summary>When a worker may take it up; null: not now. Follows from the state.</summary>
    public long? DueAt { get; set; }

    /// <summary>Among those that are due the lowest goes first: octets where small mailboxes do, else 0.</summary>
    public long Rank { get; set; }
    public string? LeaseOwner { get; set; }
    public long? LeaseUntil { get; set; }
    public long Fence { get; set; }

    /// <summary>One for each kind that it carries.</summary>
    public List<LegRow> Legs { get; } = [];

    // The sums of all kinds together; those of each are with its leg.
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
    public long ChangedAt { get; set; }
}

internal sealed class MovesTable : IEntityTypeConfiguration<MoveRow>
{
    public void Configure(EntityTypeBuilder<MoveRow> move)
    {
        move.ToTable("moves");
        move.OwnsOne(m => m.Fault, StoredFault.Configure);
        move.HasMany(m => m.Legs).WithOne().HasForeignKey(l => l.MoveId);
        move.HasIndex(m => new { m.Batch, m.FromAccount }).IsUnique();
        move.HasIndex(m => m.DueAt);
        // Everything that boards sum up over all moves: they read this and not the moves themselves, which are ten times as wide.
        move.HasIndex(m => new
            {
                m.Batch,
                m.Stage,
                m.Condition,
                m.WaitsFor,
                m.Until,
                m.Found,
                m.Carried,
                m.Paired,
                m.Excluded,
                m.LeftBehind,
                m.OpenLeftBehind,
                m.Undecided,
                m.Octets,
            })
            .HasDatabaseName("IX_moves_boards");
        move.HasIndex(m => m.Condition);
        // In the order in which moves are claimed.
        move.HasIndex(m => new
        {
            m.Rank,
            m.DueAt,
            m.Id,
        });
        // Only moves with a lease: the query looks for leases that have ended.
        move.HasIndex(m => m.LeaseUntil).HasFilter("\"LeaseUntil\" IS NOT NULL");
    }
}

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

    /// <summary>
    /// What the roster gave before a person set another login or secret here, the secrets sealed: while the roster still says that, what
    /// the person set stays in force.
    /// </summary>
    public string? FromLoginBefore { get; set; }
    public string? ToLoginBefore { get; set; }
    public string? FromSecretBefore { get; set; }
    public string? ToSecretBefore { get; set; }
    public string? ToUnder { get; set; }
    public string? ToRoot { get; set; }
    public string? Note { get; set; }

    /// <summary>In which the person is written to; null: as the plan's notices say.</summary>
    public string? Language { get; set; }

    /// <summary>Where notices for the person go; null: to the account itself.</summary>
    public string? Notify { get; set; }

    /// <summary>Where mail to the old address is forwarded to, as the roster says; null: as the batch's crossing says.</summary>
    public string? ForwardTo { get; set; }

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

    /// <summary>Since when what it is to do has been due, or will be; null: nothing is.</summary>
    public long? Since { get; set; }

    /// <summary>How long it lets others go first, see <see cref="Core.Scheduling.Schedule.Handicap"/>.</summary>
    public long Handicap { get; set; }

    /// <summary>Its place in line, as <see cref="Since"/> and <see cref="Handicap"/> make it; null: it is not due.</summary>
    public long? Turn { get; set; }

    /// <summary>What a person set for this move; null: its batch's priority.</summary>
    public int? Priority { get; set; }
    public string? LeaseOwner { get; set; }
    public long? LeaseUntil { get; set; }
    public long Fence { get; set; }

    /// <summary>One for each kind that it carries.</summary>
    public List<LegRow> Legs { get; } = [];

    /// <summary>Null: nobody has asked for it.</summary>
    public CrossingRow? Crossing { get; set; }

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
        move.HasOne(m => m.Crossing).WithOne().HasForeignKey<CrossingRow>(c => c.MoveId);
        move.HasIndex(m => new { m.Batch, m.FromAccount }).IsUnique();
        // Moves that have no place in line yet: the query looks for those that became due.
        move.HasIndex(m => m.DueAt).HasFilter("\"Turn\" IS NULL AND \"DueAt\" IS NOT NULL");
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
        // The line of moves that are due. The batch is in it, so that those of closed batches are passed over without being read.
        move.HasIndex(m => new
            {
                m.Turn,
                m.Id,
                m.Batch,
            })
            .HasFilter("\"Turn\" IS NOT NULL");
        // Only moves with a lease: the query looks for leases that have ended.
        move.HasIndex(m => m.LeaseUntil).HasFilter("\"LeaseUntil\" IS NOT NULL");
    }
}

using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

public sealed class LedgerFolderRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }

    /// <summary>A calendar may be called INBOX, like a folder of mail.</summary>
    public Kind Kind { get; set; }
    public required string From { get; set; }

    /// <summary>Empty when the folder stays behind, so that the unique index holds for it too.</summary>
    public required string To { get; set; }
    public long? FromEpoch { get; set; }
    public long? ToEpoch { get; set; }
    public long ToBaseNext { get; set; }
    public long? CursorNext { get; set; }
    public long? CursorMark { get; set; }
    public long? CursorCount { get; set; }
    public bool Reopened { get; set; }
    public long Found { get; set; }
    public long Carried { get; set; }
    public long Paired { get; set; }
    public long Excluded { get; set; }
    public long LeftBehind { get; set; }
    public long Gone { get; set; }
    public long Missing { get; set; }
    public long Twice { get; set; }
    public long Altered { get; set; }

    /// <summary>Differences about which nobody has decided.</summary>
    public long Undecided { get; set; }

    /// <summary>Of the carried messages.</summary>
    public long Octets { get; set; }

    /// <summary>Of those that were carried before the ledger kept sizes.</summary>
    public long OctetsBefore { get; set; }

    /// <summary>The to side's folder when it was last compared; in its epoch.</summary>
    public long? SeenNext { get; set; }
    public long? SeenCount { get; set; }

    /// <summary>One of the sides refused the folder as a whole.</summary>
    public bool LeftWhole { get; set; }

    /// <summary>The place that the rules give it, when its owner has since renamed that place on the to side.</summary>
    public string? RenamedFrom { get; set; }
}

internal sealed class LedgerFoldersTable : IEntityTypeConfiguration<LedgerFolderRow>
{
    public void Configure(EntityTypeBuilder<LedgerFolderRow> folder)
    {
        folder.ToTable("ledger_folders");
        folder
            .HasIndex(f => new
            {
                f.MoveId,
                f.Kind,
                f.From,
                f.To,
            })
            .IsUnique();
        folder.HasOne<MoveRow>().WithMany().HasForeignKey(f => f.MoveId);
    }
}

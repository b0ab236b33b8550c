using EasyCaravan.Core.Pacing;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

public enum LeftBehindState
{
    Open,
    Accepted,
    Retry,
}

public sealed class LeftBehindRow
{
    public long Id { get; set; }
    public long FolderId { get; set; }
    public long Number { get; set; }
    public Cause Cause { get; set; }
    public required string Whom { get; set; }
    public required string What { get; set; }
    public string? Code { get; set; }
    public long Size { get; set; }
    public required string Received { get; set; }
    public required string Subject { get; set; }
    public required string Sender { get; set; }
    public LeftBehindState State { get; set; }

    /// <summary>One; of a folder that was refused as a whole (number 0), all that stayed behind with it.</summary>
    public long Messages { get; set; } = 1;

    /// <summary>A remedy for just this case; null: the one for the cause.</summary>
    public string? Help { get; set; }
    public string? AcceptedBy { get; set; }

    /// <summary>Why it may stay, as that person said; null: they did not say.</summary>
    public string? AcceptedBecause { get; set; }

    /// <summary>Of two versions, the one that the next try is to leave on the new side; null: nobody chose.</summary>
    public Core.Ports.VersionChoice? Choice { get; set; }
}

internal sealed class LeftBehindTable : IEntityTypeConfiguration<LeftBehindRow>
{
    public void Configure(EntityTypeBuilder<LeftBehindRow> item)
    {
        item.ToTable("left_behind");
        item.HasIndex(i => new { i.FolderId, i.Number }).IsUnique();
        item.HasIndex(i => i.State);
        item.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(i => i.FolderId);
    }
}

using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A folder or collection of the to side in the report of a take-back. It outlives the ledger's page.</summary>
public sealed class TakeBackFolderRow
{
    public long Id { get; set; }
    public long MoveId { get; set; }
    public Kind Kind { get; set; }
    public required string Place { get; set; }
    public TakenFolder State { get; set; }
}

internal sealed class TakeBackFoldersTable : IEntityTypeConfiguration<TakeBackFolderRow>
{
    public void Configure(EntityTypeBuilder<TakeBackFolderRow> folder)
    {
        folder.ToTable("take_back_folders");
        folder
            .HasIndex(f => new
            {
                f.MoveId,
                f.Kind,
                f.Place,
            })
            .IsUnique();
        folder.HasOne<TakeBackRow>().WithMany().HasForeignKey(f => f.MoveId);
    }
}

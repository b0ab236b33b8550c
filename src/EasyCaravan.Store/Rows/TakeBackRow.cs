using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>The last time that somebody asked for a move to be taken back, or for a dry run of it.</summary>
public sealed class TakeBackRow
{
    public long MoveId { get; set; }
    public long AskedAt { get; set; }
    public required string AskedBy { get; set; }

    /// <summary>The account of the to side from which it is taken back.</summary>
    public required string Account { get; set; }
    public bool IsCheck { get; set; }
    public long? EndedAt { get; set; }
}

internal sealed class TakeBacksTable : IEntityTypeConfiguration<TakeBackRow>
{
    public void Configure(EntityTypeBuilder<TakeBackRow> takeBack)
    {
        takeBack.ToTable("take_backs");
        takeBack.HasKey(t => t.MoveId);
        takeBack.Property(t => t.MoveId).ValueGeneratedNever();
        takeBack.HasOne<MoveRow>().WithOne().HasForeignKey<TakeBackRow>(t => t.MoveId);
    }
}

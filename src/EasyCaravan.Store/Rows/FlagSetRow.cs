using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

public sealed class FlagSetRow
{
    public int Id { get; set; }
    public required string Written { get; set; }
}

internal sealed class FlagSetsTable : IEntityTypeConfiguration<FlagSetRow>
{
    public void Configure(EntityTypeBuilder<FlagSetRow> set)
    {
        set.ToTable("flag_sets");
        set.HasIndex(s => s.Written).IsUnique();
    }
}

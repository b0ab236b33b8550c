using EasyCaravan.Core.Planning;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>A file with contacts or events that was handed over.</summary>
public sealed class ItemFileRow
{
    /// <summary>Its path below the plan's folder.</summary>
    public required string Name { get; set; }

    /// <summary>As it was handed over, compressed.</summary>
    public required byte[] Packed { get; set; }

    /// <summary>Octets before they were compressed.</summary>
    public long Length { get; set; }

    /// <summary>SHA-256, in hexadecimal.</summary>
    public required string Digest { get; set; }
    public long ReceivedAt { get; set; }

    /// <summary>What a person chose for columns, as JSON; null: nothing.</summary>
    public string? ColumnsJson { get; set; }

    /// <summary>The format as which it was read; null: nobody has looked into it as it is now, and the two below mean nothing.</summary>
    public ItemFileFormat? ReadAs { get; set; }

    /// <summary>What it calls itself.</summary>
    public string? Title { get; set; }

    /// <summary>Contacts or events in it.</summary>
    public int Items { get; set; }
}

internal sealed class ItemFilesTable : IEntityTypeConfiguration<ItemFileRow>
{
    public void Configure(EntityTypeBuilder<ItemFileRow> file)
    {
        file.ToTable("item_files");
        file.HasKey(f => f.Name);
    }
}

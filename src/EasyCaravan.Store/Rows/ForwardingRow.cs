using EasyCaravan.Core.Ports;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>The forwarding of one move: what is set on the old side, and what was there before, octet for octet.</summary>
public sealed class ForwardingRow
{
    public long MoveId { get; set; }
    public ForwardingWay Way { get; set; }

    /// <summary>Where to, and our script; null where it is set by hand.</summary>
    public string? To { get; set; }
    public byte[]? Ours { get; set; }

    /// <summary>The owner's active script and its octets; null: none was active.</summary>
    public string? ActiveBefore { get; set; }
    public byte[]? Before { get; set; }
    public long? OnAt { get; set; }

    /// <summary>
    /// The next number of each folder of the from side right before forwarding was switched on, in JSON.
    /// </summary>
    public string? NumbersBefore { get; set; }

    /// <summary>The same once it was seen to be on.</summary>
    public string? NumbersAfter { get; set; }
    public bool SaidOn { get; set; }
    public bool SaidOff { get; set; }
    public bool PutBack { get; set; }
    public ConfirmationState? Confirmation { get; set; }
    public long? ConfirmationAskedAt { get; set; }
    public string? ConfirmationCode { get; set; }
}

internal sealed class ForwardingsTable : IEntityTypeConfiguration<ForwardingRow>
{
    public void Configure(EntityTypeBuilder<ForwardingRow> forwarding)
    {
        forwarding.ToTable("forwardings");
        forwarding.HasKey(f => f.MoveId);
        forwarding.Property(f => f.MoveId).ValueGeneratedNever();
        forwarding.HasOne<MoveRow>().WithOne().HasForeignKey<ForwardingRow>(f => f.MoveId);
    }
}

using EasyCaravan.Core.Pacing;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;
using NodaTime;

namespace EasyCaravan.Store.Rows;

/// <summary>A fault within a row, in columns that begin with <c>Fault</c>.</summary>
public sealed class StoredFault
{
    public Cause Cause { get; set; }
    public required string Whom { get; set; }
    public required string What { get; set; }
    public string? Code { get; set; }
    public string? Help { get; set; }
    public string? Service { get; set; }
    public long? NotBefore { get; set; }
    public bool BeforeSignIn { get; set; }

    public static StoredFault? Of(Fault? fault) =>
        fault is null
            ? null
            : new StoredFault
            {
                Cause = fault.Cause,
                Whom = fault.Whom,
                What = fault.What,
                Code = fault.Code,
                Help = fault.Help,
                Service = fault.Service,
                NotBefore = fault.NotBefore?.ToUnixTimeMilliseconds(),
                BeforeSignIn = fault.BeforeSignIn,
            };

    public Fault ToFault() =>
        new(Cause, Whom, What, Code)
        {
            Help = Help,
            Service = Service,
            NotBefore = NotBefore is { } at ? Instant.FromUnixTimeMilliseconds(at) : null,
            BeforeSignIn = BeforeSignIn,
        };

    internal static void Configure<T>(OwnedNavigationBuilder<T, StoredFault> fault)
        where T : class
    {
        fault.Property(f => f.Cause).HasColumnName("FaultCause");
        fault.Property(f => f.Whom).HasColumnName("FaultWhom");
        fault.Property(f => f.What).HasColumnName("FaultWhat");
        fault.Property(f => f.Code).HasColumnName("FaultCode");
        fault.Property(f => f.Help).HasColumnName("FaultHelp");
        fault.Property(f => f.Service).HasColumnName("FaultService");
        fault.Property(f => f.NotBefore).HasColumnName("FaultNotBefore");
        fault.Property(f => f.BeforeSignIn).HasColumnName("FaultBeforeSignIn");
        // Boards query the few rows that have a fault.
        fault.HasIndex(f => f.Cause).HasFilter("\"FaultCause\" IS NOT NULL");
    }
}

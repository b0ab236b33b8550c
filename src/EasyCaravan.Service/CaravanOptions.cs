using System.Net;

namespace EasyCaravan.Service;

/// <summary>How the service was started.</summary>
/// <param name="DataFolder">Everything that it keeps: the store, the keys of sealed secrets, the first token.</param>
/// <param name="Listen">Where it listens; port 0 takes any that is free.</param>
/// <param name="MovesAtOnce">Moves that run side by side.</param>
public sealed record CaravanOptions(string DataFolder, Uri Listen, int MovesAtOnce = 8)
{
    /// <summary>The name under which this installation holds leases: the same after a restart, so that it finds its own again.</summary>
    public string Owner { get; init; } = "";

    /// <summary>How long a pass may run while others wait for a worker; then it gives way and goes on after them.</summary>
    public TimeSpan TimeSlice { get; init; } = TimeSpan.FromMinutes(5);

    /// <summary>Below which all files lie that plans may name, such as parcels. Null: files in the data folder.</summary>
    public string? FilesFolder { get; init; }

    /// <summary>Where people find the service, such as the address of a proxy in front of it. Null: where it listens.</summary>
    public Uri? PublicUrl { get; init; }

    /// <summary>Proxies whose word about their callers is believed.</summary>
    public IReadOnlyList<IPNetwork> TrustedProxies { get; init; } = [];

    /// <summary>The PEM files of the certificate and its key, where the service listens with TLS.</summary>
    public (string File, string KeyFile)? Certificate { get; init; }

    /// <summary>Only warnings in the log: where people watch something else on the same terminal.</summary>
    public bool Quiet { get; init; }

    /// <summary>The clock of windows, retries and leases.</summary>
    public TimeProvider Time { get; init; } = TimeProvider.System;

    /// <summary>Kinds that can be carried besides mail, and how.</summary>
    public IReadOnlyList<Workers.ILegRunner> Legs { get; init; } = [];
}

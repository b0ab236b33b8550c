using System.Net;
using DnsClient;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Protocols.Connecting;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Protocols.SignIn;

namespace EasyCaravan.Protocols.Discovery;

/// <summary>A setting that was found for an address.</summary>
/// <param name="Kind">imap, pop3, smtp, managesieve, carddav, caldav or jmap.</param>
/// <param name="Security">tls or starttls; settings without either are never offered.</param>
/// <param name="Source">Where it came from, in words.</param>
/// <param name="Verified">A connection was made, and its certificate holds for the host.</param>
/// <param name="Result">What came of trying it.</param>
public sealed record FoundSetting(
    string Kind,
    string Host,
    int Port,
    string Security,
    string? Url,
    string Source,
    bool Verified,
    string Result
);

/// <summary>Asks the names of a domain.</summary>
public interface INameServers
{
    /// <summary>SRV records (RFC 2782) by priority and weight; a target of "." means that there is no such service.</summary>
    Task<IReadOnlyList<(string Host, int Port)>> FindServiceAsync(string name, CancellationToken cancel);
}

/// <summary>The machine's own name servers.</summary>
public sealed class MachineNameServers : INameServers
{
    private readonly LookupClient _dns = new(
        new LookupClientOptions
        {
            Timeout = TimeSpan.FromSeconds(3),
            Retries = 1,
            ThrowDnsErrors = false,
        }
    );

    public async Task<IReadOnlyList<(string Host, int Port)>> FindServiceAsync(string name, CancellationToken cancel)
    {
        try
        {
            var answer = await _dns.QueryAsync(name, QueryType.SRV, cancellationToken: cancel);
            return
            [
                .. answer
                    .Answers.SrvRecords()
                    .OrderBy(r => r.Priority)
                    .ThenByDescending(r => r.Weight)
                    .Select(r => (r.Target.Value.TrimEnd('.'), (int)r.Port)),
            ];
        }
        catch (DnsResponseException)
        {
            return [];
        }
    }
}

/// <summary>
/// Finds a service's settings from one address of it: SRV records, well-known places, then common names. Nothing is trusted without TLS
/// that verifies.
/// </summary>
/// <param name="trust">Whose word is taken for certificates: the machine's authorities, in earnest.</param>
/// <param name="reach">Where the hosts that others name may lead.</param>
public sealed class ServiceFinder(INameServers names, Trust trust, ReachRule reach)
{
    /// <summary>Hosts of one record that are looked at: somebody may name a thousand.</summary>
    private const int MostHosts = 3;

    /// <summary>
    /// The ports of the protocols (RFC 8314 §7, RFC 3501 §2.1, RFC 5804 §1.8, RFC 9110 §4.2): others are told, and not tried.
    /// </summary>
    private static readonly int[] s_ports = [143, 993, 110, 995, 465, 587, 4190, 443];

    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(8);

    // RFC 6186 §3, RFC 8314 §5.1, RFC 5804 §1.8, RFC 6764 §3.
    private static readonly (string Label, string Kind, string Security)[] s_records =
    [
        ("_imaps._tcp", "imap", "tls"),
        ("_imap._tcp", "imap", "starttls"),
        ("_pop3s._tcp", "pop3", "tls"),
        ("_submissions._tcp", "smtp", "tls"),
        ("_submission._tcp", "smtp", "starttls"),
        ("_sieve._tcp", "managesieve", "starttls"),
        ("_carddavs._tcp", "carddav", "tls"),
        ("_caldavs._tcp", "caldav", "tls"),
        ("_jmap._tcp", "jmap", "tls"),
    ];

    // RFC 6764 §5, RFC 8620 §2.2.
    private static readonly (string Path, string Kind)[] s_wellKnown = [("carddav", "carddav"), ("caldav", "caldav"), ("jmap", "jmap")];

    private static readonly (string Label, string Kind, int Port, string Security)[] s_common =
    [
        ("imap", "imap", 993, "tls"),
        ("mail", "imap", 993, "tls"),
        ("imap", "imap", 143, "starttls"),
        ("mail", "imap", 143, "starttls"),
        ("sieve", "managesieve", 4190, "starttls"),
    ];

    /// <param name="domain">The part of the address after the @.</param>
    public async Task<IReadOnlyList<FoundSetting>> FindAsync(string domain, CancellationToken cancel)
    {
        var records = await Task.WhenAll(s_records.Select(r => FromRecordsAsync(domain, r.Label, r.Kind, r.Security, cancel)));
        var wellKnown = await Task.WhenAll(s_wellKnown.Select(w => FromWellKnownAsync(domain, w.Path, w.Kind, cancel)));
        var found = records.SelectMany(r => r).Concat(wellKnown.OfType<FoundSetting>()).ToList();
        // Guesses only where nobody said anything: a record that says "." says no.
        var told = records.Zip(s_records).Where(r => r.First.Count > 0).Select(r => r.Second.Kind).ToHashSet();
        var guesses = await Task.WhenAll(
            s_common.Where(c => !told.Contains(c.Kind)).Select(c => GuessAsync(domain, c.Label, c.Kind, c.Port, c.Security, cancel))
        );
        found.AddRange(guesses.OfType<FoundSetting>().GroupBy(g => g.Kind).Select(g => g.First()));
        return found;
    }

    private async Task<List<FoundSetting>> FromRecordsAsync(
        string domain,
        string label,
        string kind,
        string security,
        CancellationToken cancel
    )
    {
        var found = new List<FoundSetting>();
        foreach (var (host, port) in (await names.FindServiceAsync($"{label}.{domain}", cancel)).Take(MostHosts))
        {
            if (host.Length == 0)
            {
                found.Add(
                    new FoundSetting(
                        kind,
                        "",
                        0,
                        security,
                        null,
                        $"SRV record {label}.{domain}",
                        false,
                        "the domain says that it has no such service"
                    )
                );
                continue;
            }
            var (verified, result) = await TryAsync(kind, host, port, security, cancel);
            // RFC 6186 §6: a host of another domain is only as good as whoever answered for the record.
            var elsewhere =
                host.Equals(domain, StringComparison.OrdinalIgnoreCase) || host.EndsWith("." + domain, StringComparison.OrdinalIgnoreCase)
                    ? ""
                    : "; the host is of another domain: make sure that it is the right one";
            found.Add(new FoundSetting(kind, host, port, security, null, $"SRV record {label}.{domain}", verified, result + elsewhere));
        }
        return found;
    }

    private async Task<FoundSetting?> FromWellKnownAsync(string domain, string path, string kind, CancellationToken cancel)
    {
        using var http = BoundedHttp.Make(new HttpTls(trust, domain.Split(':')[0], machineTrustServes: false, reach), s_patience);
        try
        {
            using var answer = await http.GetAsync(
                new Uri($"https://{domain}/.well-known/{path}"),
                HttpCompletionOption.ResponseHeadersRead,
                cancel
            );
            var where = answer.Headers.Location is { } location
                ? new Uri(new Uri($"https://{domain}/"), location)
                : answer.RequestMessage!.RequestUri!;
            // A redirect names the place; 401 means that it is here. Anything else is some web page.
            if (((int)answer.StatusCode is < 300 or >= 400) && answer.StatusCode is not HttpStatusCode.Unauthorized)
                return null;
            if (where.Scheme != "https")
                return null;
            return new FoundSetting(
                kind,
                where.Host,
                where.Port,
                "tls",
                where.ToString(),
                $"https://{domain}/.well-known/{path}",
                true,
                $"answered {(int)answer.StatusCode}"
            );
        }
        catch (Exception e)
            when (e is HttpRequestException or TaskCanceledException or UriFormatException && !cancel.IsCancellationRequested)
        {
            return null;
        }
    }

    private async Task<FoundSetting?> GuessAsync(
        string domain,
        string label,
        string kind,
        int port,
        string security,
        CancellationToken cancel
    )
    {
        var host = $"{label}.{domain}";
        var (verified, result) = await TryAsync(kind, host, port, security, cancel);
        return verified ? new FoundSetting(kind, host, port, security, null, "a common name, guessed", true, result) : null;
    }

    private async Task<(bool Verified, string Result)> TryAsync(
        string kind,
        string host,
        int port,
        string security,
        CancellationToken cancel
    )
    {
        if (kind is not "imap")
            return (false, "not tried");
        if (!s_ports.Contains(port) && !reach.IsNamed(host))
            return (false, $"not tried: {port} is no port of mail");
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        patience.CancelAfter(s_patience);
        var facts = "";
        var service = new Service(
            host,
            new MailConnection(MailProtocol.Imap, host, port, security == "tls" ? Security.Tls : Security.StartTls),
            new Core.Planning.SignIn.Password(null),
            trust,
            Limits.Default
        );
        try
        {
            await using var stream = await ImapConnector.ConnectAsync(service, s => facts = s.Result, patience.Token, reach);
            return (true, facts);
        }
        catch (FaultException e)
        {
            return (false, e.Fault.What);
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            return (false, $"no answer within {s_patience.TotalSeconds:0} s");
        }
    }
}

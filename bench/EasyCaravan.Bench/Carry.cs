using System.Diagnostics;
using System.Globalization;
using System.Runtime;
using System.Text.Json;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Proving;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Peers;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Bench;

/// <summary>
/// What the benchmarks start as a process of its own: passes as the service runs them, its memory and CPU measured by themselves.
/// </summary>
internal static class Carry
{
    /// <summary>
    /// The accounts that are carried before the clock starts, so that code is compiled as in a service that has run for a while.
    /// </summary>
    public const string Warm = "warm",
        Brief = "brief";

    /// <param name="compare">Measured is the comparison of both sides; what was not carried in this store is carried before.</param>
    /// <param name="warmPorts">The servers themselves: warming up over a distance would take long.</param>
    public static async Task<int> RunAsync(
        int fromPort,
        int toPort,
        (int From, int To) warmPorts,
        string store,
        int lanes,
        int atOnce,
        bool compare,
        ParcelSides parcels,
        IReadOnlyList<int> servers,
        IReadOnlyList<string> accounts
    )
    {
        await WarmUpAsync(warmPorts.From, warmPorts.To, store + ".warm", lanes, compare);
        if (parcels.IsAny)
            await WarmParcelsAsync(warmPorts.From, warmPorts.To, store + ".parcels", lanes);
        using var database = await Database.OpenAsync(store, CancellationToken.None);
        var moves = new MoveStore(database, TimeProvider.System);
        var pairs = accounts.Select(a => a.Split('=')).ToList();
        foreach (var pair in pairs)
            await StartAsync(database, pair[0], pair[1]);
        if (compare)
        {
            foreach (var _ in pairs)
                await PassAsync(moves, fromPort, toPort, lanes);
            foreach (var pair in pairs)
                await AskToCompareAsync(database, pair[0]);
        }
        var roundTrips = 0L;
        GC.Collect(2, GCCollectionMode.Aggressive, blocking: true);
        // Linux: forget the peak of the warm-up (proc(5), clear_refs).
        await File.WriteAllTextAsync("/proc/self/clear_refs", "5");
        var cpu = Process.GetCurrentProcess().TotalProcessorTime;
        var serversCpu = CpuOf(servers);
        var watch = Stopwatch.StartNew();
        var messages = 0L;
        await Parallel.ForEachAsync(pairs, new ParallelOptions { MaxDegreeOfParallelism = atOnce }, async (_, _) =>
        {
            var (settled, waits) = await PassAsync(moves, fromPort, toPort, lanes, parcels);
            Interlocked.Add(ref messages, settled);
            InterlockedMax(ref roundTrips, waits);
        });
        var seconds = watch.Elapsed.TotalSeconds;
        var used = (Process.GetCurrentProcess().TotalProcessorTime - cpu).TotalSeconds;
        var serversUsed = CpuOf(servers) - serversCpu;
        var peak =
            double.Parse(
                File.ReadLines("/proc/self/status")
                    .First(l => l.StartsWith("VmHWM:", StringComparison.Ordinal))
                    .Split(' ', StringSplitOptions.RemoveEmptyEntries)[^2],
                CultureInfo.InvariantCulture
            ) / 1024;
        Console.WriteLine(
            JsonSerializer.Serialize(
                new
                {
                    messages = Math.Max(1, messages),
                    seconds,
                    cpu_s = used,
                    servers_cpu_s = serversUsed,
                    peak_mb = Math.Round(peak),
                    round_trips = roundTrips,
                }
            )
        );
        return 0;
    }

    /// <summary>
    /// Seconds that processes and all that they have started used so far (proc(5), stat: in hundredths; children that have ended count with
    /// their parent).
    /// </summary>
    public static double CpuOf(IReadOnlyList<int> roots)
    {
        var stats = Directory
            .GetDirectories("/proc")
            .Select(d => Path.GetFileName(d))
            .Where(d => int.TryParse(d, out _))
            .Select(ReadStat)
            .OfType<(int Id, int Parent, double Seconds)>()
            .ToList();
        var family = roots.ToHashSet();
        while (stats.Any(s => family.Contains(s.Parent) && family.Add(s.Id))) { }
        return stats.Where(s => family.Contains(s.Id)).Sum(s => s.Seconds);
    }

    private static (int Id, int Parent, double Seconds)? ReadStat(string id)
    {
        try
        {
            var stat = File.ReadAllText($"/proc/{id}/stat");
            var fields = stat[(stat.LastIndexOf(')') + 2)..].Split(' ');
            return (
                int.Parse(id, CultureInfo.InvariantCulture),
                int.Parse(fields[1], CultureInfo.InvariantCulture),
                fields[11..15].Sum(f => double.Parse(f, CultureInfo.InvariantCulture)) / 100
            );
        }
        catch (IOException)
        {
            // It ended meanwhile.
            return null;
        }
    }

    /// <summary>
    /// First and later passes over small accounts, until what runs often is compiled for good: the service is up for days.
    /// </summary>
    private static async Task WarmUpAsync(int fromPort, int toPort, string store, int lanes, bool compare)
    {
        for (var life = 0; life < 4; life++)
        {
            using var warm = await Database.OpenAsync($"{store}{life}", CancellationToken.None);
            for (var i = 0; i < 3; i++)
            {
                await StartAsync(warm, Warm, Warm);
                await PassAsync(new MoveStore(warm, TimeProvider.System), fromPort, toPort, lanes);
                if (compare)
                {
                    await AskToCompareAsync(warm, Warm);
                    await PassAsync(new MoveStore(warm, TimeProvider.System), fromPort, toPort, lanes);
                }
                using var owner = await PlainImap.SignInAsync(fromPort, Warm, Rig.Password);
                await owner.AppendAsync("Log0", [Rig.Message(Warm, 0, Environment.TickCount, "All well.")]);
                await owner.RunAsync("SELECT Log1");
                await owner.RunAsync($"STORE 1:2 {(i % 2 == 0 ? "+" : "-")}FLAGS (\\Flagged)");
            }
        }
        // What happens once in a pass needs passes: whole first ones, each onto an empty side.
        for (var life = 0; life < 24; life++)
        {
            using (var owner = await PlainImap.SignInAsync(toPort, Brief, Rig.Password))
                for (var folder = 0; life > 0 && folder < 5; folder++)
                    await owner.RunAsync($"DELETE Log{folder}");
            using var brief = await Database.OpenAsync($"{store}-brief", CancellationToken.None);
            await StartAsync(brief, Brief, Brief);
            await PassAsync(new MoveStore(brief, TimeProvider.System), fromPort, toPort, lanes);
            await brief.WriteAsync(db => db.LedgerItems.ExecuteDeleteAsync(), CancellationToken.None);
            await brief.WriteAsync(db => db.LedgerFolders.ExecuteDeleteAsync(), CancellationToken.None);
        }
        // What ran often is compiled again in the background, and better; on a machine with two cores that would be measured too.
        for (long before = -1; before != JitInfo.GetCompiledMethodCount(currentThread: false); )
        {
            before = JitInfo.GetCompiledMethodCount(currentThread: false);
            await Task.Delay(500);
        }
    }

    private static async Task WarmParcelsAsync(int fromPort, int toPort, string store, int lanes)
    {
        for (var life = 0; life < 12; life++)
        {
            var folder = Directory.CreateDirectory($"{store}{life}").FullName;
            using var packing = await Database.OpenAsync(Path.Combine(folder, "pack.db"), CancellationToken.None);
            await StartAsync(packing, Warm, Warm);
            await PassAsync(new MoveStore(packing, TimeProvider.System), fromPort, toPort, lanes, new ParcelSides(folder, null));
            using (var owner = await PlainImap.SignInAsync(toPort, Warm, Rig.Password))
                for (var log = 0; log < 40; log++)
                    await owner.RunAsync($"DELETE Log{log}");
            using var opening = await Database.OpenAsync(Path.Combine(folder, "open.db"), CancellationToken.None);
            await StartAsync(opening, Warm, Warm);
            await PassAsync(new MoveStore(opening, TimeProvider.System), fromPort, toPort, lanes, new ParcelSides(null, folder));
        }
    }

    private static void InterlockedMax(ref long most, long value)
    {
        for (var seen = Interlocked.Read(ref most); seen < value; )
            seen = Interlocked.CompareExchange(ref most, value, seen) is var now && now == seen ? value : now;
    }

    /// <summary>As a person starts a move, or asks for a catch-up of one that is in step: it is due from then on.</summary>
    private static Task StartAsync(Database database, string from, string to) =>
        database.WriteAsync(
            db =>
            {
                var row = db.Moves.Include(m => m.Legs).FirstOrDefault(m => m.FromAccount == from);
                if (row is null)
                    db.Moves.Add(
                        row = new MoveRow
                        {
                            Batch = "b",
                            Name = "n",
                            FromAccount = from,
                            ToAccount = to,
                            FromLogin = from,
                            ToLogin = to,
                        }
                    );
                else
                    db.Moves.Attach(row);
                var state = row.Id == 0 ? MoveState.New(Kind.Mail) : MoveStates.StateOf(row);
                MoveStates.Apply(
                    row,
                    state.Stage is Stage.InStep ? state.CatchUp(null, default) : MoveState.New(Kind.Mail).Start(null, default),
                    default
                );
                return Task.CompletedTask;
            },
            CancellationToken.None
        );

    /// <summary>As a person asks for a comparison of all messages.</summary>
    private static Task AskToCompareAsync(Database database, string from) =>
        database.WriteAsync(
            async db =>
            {
                var row = db.Moves.Include(m => m.Legs).First(m => m.FromAccount == from);
                await db.Comparisons.Where(c => c.MoveId == row.Id).ExecuteDeleteAsync();
                db.Comparisons.Add(
                    new ComparisonRow
                    {
                        MoveId = row.Id,
                        AskedAt = 0,
                        AskedBy = "bench",
                        Share = 1,
                    }
                );
                db.Moves.Attach(row);
                MoveStates.Apply(row, MoveStates.StateOf(row).Compare(null, default), default);
            },
            CancellationToken.None
        );

    /// <summary>Whichever move is due, as a worker takes it.</summary>
    private static async Task<(long Settled, long RoundTrips)> PassAsync(
        MoveStore moves,
        int fromPort,
        int toPort,
        int lanes,
        ParcelSides? parcels = null
    )
    {
        var accounts = new Accounts(parcels);
        Claim? taken;
        // Several claim side by side, and another may be quicker.
        while ((taken = await moves.ClaimAsync("bench", ScheduleRules.None, CancellationToken.None)) is null) { }
        var claim = taken;
        Service Service(int port, string name) =>
            new(
                name,
                new MailConnection(MailProtocol.Imap, "127.0.0.1", port, Security.None),
                new SignIn.Password(null),
                new Trust.System(),
                Limits.Default
            );
        var order = new MailLegOrder(
            IsFirst: claim.State.Wanted is PassKind.First,
            parcels?.From(claim.Person.FromAccount)
                ?? new Side(Service(fromPort, "a"), new Credentials(claim.Person.FromAccount, claim.Person.FromAccount, Rig.Password)),
            parcels?.To(claim.Person.ToAccount)
                ?? new Side(Service(toPort, "b"), new Credentials(claim.Person.ToAccount, claim.Person.ToAccount, Rig.Password)),
            new CarryRules([], new MailRules(null, null), Doubles.Pair),
            lanes
        );
        var tally = new Tally();
        var compares = claim.State.Wanted is PassKind.Compare;
        using var stay = parcels?.Stay(claim.Person.ToAccount);
        if (compares)
        {
            var ledger = moves.LedgerOf(claim, Kind.Mail);
            var mail = new MailComparison(accounts, ledger, order, tally, _ => { });
            await new Comparison(ledger, [new ComparedKind(Kind.Mail, mail.CompareAsync)], _ => { }).RunAsync(CancellationToken.None);
        }
        else
            await new MailLeg(accounts, moves.LedgerOf(claim, Kind.Mail), order, tally, _ => { }).RunAsync(CancellationToken.None);
        parcels?.EndRun(claim.Person.ToAccount);
        var end = new PassEnd(compares ? [] : [new LegEnd(Kind.Mail)], Stopped: false);
        await moves.EndAsync(claim, [tally], end, s => s.End(end, _ => null, 0.5, null, default), CancellationToken.None);
        return (compares ? tally.Looked : tally.Settled + tally.FlagsChanged, accounts.MostRoundTrips);
    }

    /// <summary>The benchmark alone uses the servers: no sharing of connections. Counts what the busiest waited for.</summary>
    private sealed class Accounts(ParcelSides? parcels) : IMailAccounts
    {
        private readonly List<ImapMailAccount> _opened = [];

        public long MostRoundTrips
        {
            get
            {
                lock (_opened)
                    return _opened.Count == 0 ? 0 : _opened.Max(a => a.RoundTrips);
            }
        }

        public async Task<IMailAccount> OpenAsync(Service service, Credentials credentials, CancellationToken cancel)
        {
            if (service.Parcels is not null)
                return parcels!.Places.OpenMail(service, credentials);
            var account = await ImapMailAccount.OpenAsync(service, credentials, null, null, null, cancel);
            lock (_opened)
                _opened.Add(account);
            return account;
        }

        public async Task<IMailAccount?> TryOpenAsync(Service service, Credentials credentials, CancellationToken cancel) =>
            service.Parcels is null ? await OpenAsync(service, credentials, cancel) : null;
    }
}

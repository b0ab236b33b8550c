using System.Collections.Concurrent;
using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Headers;
using System.Text;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Peers;
using EasyCaravan.Peers.Dav;
using EasyCaravan.Protocols.Dav;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;

namespace EasyCaravan.Bench;

/// <summary>
/// Contacts or events between two DAV servers of unlike makes: a first pass beside a bare loop of PUTs of objects that are in memory
/// already and beside a plain script that gets and puts one after the other; then passes without changes and with a few.
/// </summary>
internal sealed class CollectionsPass(string from, string to, Kind kind, int items, int rounds, int atOnce) : ICollectionAccounts
{
    private const string Password = "secret";
    private const int FewChanges = 20;

    private static readonly int[] s_connections = [1, 4, 16];

    private readonly ConcurrentQueue<string> _people = new(Enumerable.Range(0, 60).Select(i => $"p{i}@saltmarsh.example"));
    private readonly ConcurrentDictionary<string, DavReadingSpeeds> _speeds = new();
    private readonly WritingLanes _writing = new();
    private readonly Dictionary<string, Uri> _addresses = [];
    private readonly Dictionary<string, DavHome> _homes = [];
    private CyrusServer? _cyrus;

    public async Task<int> RunAsync()
    {
        var users = _people.Select(p => (p, Password)).ToList();
        await using var radicale = await RadicaleServer.StartAsync(users);
        await using var xandikos = await XandikosServer.StartAsync(users);
        await using var cyrus = await CyrusServer.StartAsync(users);
        _cyrus = cyrus;
        _addresses["radicale"] = radicale.Address;
        _addresses["xandikos"] = xandikos.Address;
        _addresses["cyrus"] = new Uri($"http://127.0.0.1:{cyrus.DavPort}/");
        var owner = await NextAsync();
        var objects = Enumerable.Range(0, items).Select(Object).ToList();
        await MakeAsync(from, owner);
        await PutAllAsync(from, owner, objects, 8);

        var runs = new List<Run>();
        var empty = await EmptyStoreAsync();
        var store = "";
        for (var round = 0; round <= rounds; round++)
        {
            var now = new List<Run>();
            foreach (var connections in s_connections)
                now.Add(await BareAsync(objects, connections));
            now.Add(await ScriptAsync(owner));
            var person = await NextAsync();
            store = Path.Combine(Directory.CreateTempSubdirectory("caravan-bench").FullName, "store");
            using var database = await Database.OpenAsync(store, CancellationToken.None);
            var ledger = await LedgerAsync(database, owner);
            now.Add(await PassAsync("Easy Caravan, first pass", ledger, owner, person, items));
            now.Add(await PassAsync("Easy Caravan, nothing changed", ledger, owner, person, 1));
            using var changing = Client(owner, from);
            for (var i = 0; i < FewChanges; i++)
                await PutAsync(changing, $"{HomeOf(from, owner)}bench/{NameOf(i)}", Changed(objects[i]));
            now.Add(await PassAsync($"Easy Caravan, {FewChanges} changes", ledger, owner, person, FewChanges));
            Console.Error.WriteLine($"round {round}: {string.Join("; ", now.Select(r => $"{r.Tool} {r.PerSecond:0.0}/s"))}");
            // The first round warms up.
            if (round > 0)
                runs.AddRange(now);
        }
        Rig.Print($"{items} {kind}, {from} to {to}, median of {rounds} rounds", runs, "items");
        double Median(Func<Run, bool> of) => Rig.Median(runs.Where(of).Select(r => r.PerSecond));
        var bare = s_connections.Max(c => Median(r => r.Tool == BareName(c)));
        var ours = runs.Where(r => r.Tool == "Easy Caravan, first pass").ToList();
        Console.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"\nfirst pass: {Rig.Median(ours.Select(r => r.PerSecond)) / bare:0.00} x the best bare loop, "
                    + $"{Rig.Median(ours.Select(r => r.PerSecond)) / Median(r => r.Tool == "script"):0.00} x the script, "
                    + $"{Rig.Median(ours.Select(r => r.CpuSeconds)) / items * 1000:0.00} ms CPU an item, "
                    + $"{(double)(new FileInfo(store).Length - empty) / items:0} octets an item in the store"
            )
        );
        if (atOnce > 0)
            await ManyAsync(owner);
        return 0;
    }

    /// <summary>Many moves at the same time: how fast they are together, and how much memory that takes.</summary>
    private async Task ManyAsync(string owner)
    {
        var folder = Directory.CreateTempSubdirectory("caravan-bench").FullName;
        using var database = await Database.OpenAsync(Path.Combine(folder, "store"), CancellationToken.None);
        var passes = new List<((ILedger, ICollectionLedger) Ledger, string Person)>();
        for (var i = 0; i < atOnce; i++)
        {
            var person = await NextAsync();
            passes.Add((await LedgerAsync(database, person), person));
        }
        GC.Collect();
        var watch = Stopwatch.StartNew();
        await Task.WhenAll(passes.Select(p => PassAsync("many", p.Ledger, owner, p.Person, items)));
        Console.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"{atOnce} moves at once: {atOnce * items / watch.Elapsed.TotalSeconds:0.0} items a second, "
                    + $"{Process.GetCurrentProcess().PeakWorkingSet64 / 1e6:0} MB at most in this process"
            )
        );
    }

    /// <summary>Octets of a store in which nothing is.</summary>
    private static async Task<long> EmptyStoreAsync()
    {
        var path = Path.Combine(Directory.CreateTempSubdirectory("caravan-bench").FullName, "store");
        using (await Database.OpenAsync(path, CancellationToken.None)) { }
        return new FileInfo(path).Length;
    }

    public async Task<ICollectionAccount> OpenAsync(Service service, Kind of, Credentials credentials, CancellationToken cancel) =>
        await DavCollectionAccount.OpenAsync(
            service,
            of,
            credentials,
            null,
            _homes.GetValueOrDefault($"{service.Name} {credentials.Account}"),
            home =>
            {
                _homes[$"{service.Name} {credentials.Account}"] = home;
                return Task.CompletedTask;
            },
            null,
            [.. Enumerable.Range(0, 8).Select(_ => new MemoryStream())],
            cancel,
            _speeds.GetOrAdd(service.Name, _ => new DavReadingSpeeds())
        );

    private Service ServiceOf(string make)
    {
        var place = new CollectionConnection.Dav(_addresses[make]);
        return new Service(make, null, new SignIn.Password(null), new Trust.System(), Limits.Default)
        {
            Contacts = place,
            Calendars = place,
        };
    }

    private async Task<(ILedger, ICollectionLedger)> LedgerAsync(Database database, string owner)
    {
        await database.WriteAsync(
            db =>
            {
                var row = new MoveRow
                {
                    Batch = "b",
                    Name = "n",
                    FromAccount = owner,
                    ToAccount = owner,
                    FromLogin = owner,
                    ToLogin = owner,
                };
                MoveStates.Apply(row, MoveState.New(kind).Start(null, default), default);
                db.Moves.Add(row);
                return Task.CompletedTask;
            },
            CancellationToken.None
        );
        var moves = new MoveStore(database, TimeProvider.System);
        Claim? claim;
        while ((claim = await moves.ClaimAsync("bench", ScheduleRules.None, CancellationToken.None)) is null) { }
        return (moves.LedgerOf(claim, kind), moves.CollectionsOf(claim, kind));
    }

    private async Task<Run> PassAsync(
        string name,
        (ILedger Ledger, ICollectionLedger Kept) ledger,
        string owner,
        string person,
        int settled
    )
    {
        var order = new CollectionLegOrder(
            kind,
            new Side(ServiceOf(from), new Credentials(owner, owner, Password)),
            new Side(ServiceOf(to), new Credentials(person, person, Password)),
            CollectionRules.Default,
            Deletions.Keep,
            Lanes: 8
        )
        {
            Today = new NodaTime.LocalDate(2026, 11, 28),
            Writing = _writing,
        };
        var tally = new Tally(kind);
        var cpu = Process.GetCurrentProcess().TotalProcessorTime;
        var watch = Stopwatch.StartNew();
        await new CollectionLeg(this, ledger.Ledger, ledger.Kept, order, tally, Console.Error.WriteLine).RunAsync(CancellationToken.None);
        var seconds = watch.Elapsed.TotalSeconds;
        if (tally.LeftBehind > 0)
            throw new InvalidOperationException($"{tally.LeftBehind} item(s) were left behind.");
        return new Run(name, settled, seconds, (Process.GetCurrentProcess().TotalProcessorTime - cpu).TotalSeconds);
    }

    private static string BareName(int connections) => $"bare PUTs, {connections} connection(s)";

    private async Task<Run> BareAsync(List<string> objects, int connections)
    {
        var person = await NextAsync();
        await MakeAsync(to, person);
        var watch = Stopwatch.StartNew();
        await PutAllAsync(to, person, objects, connections);
        return new Run(BareName(connections), objects.Count, watch.Elapsed.TotalSeconds, 0);
    }

    private async Task<Run> ScriptAsync(string owner)
    {
        var person = await NextAsync();
        await MakeAsync(to, person);
        using var here = Client(owner, from);
        using var there = Client(person, to);
        var watch = Stopwatch.StartNew();
        for (var i = 0; i < items; i++)
        {
            var text = await here.GetStringAsync(new Uri(_addresses[from], $"{HomeOf(from, owner)}bench/{NameOf(i)}"));
            await PutAsync(there, $"{HomeOf(to, person)}bench/{NameOf(i)}", text, to);
        }
        return new Run("script", items, watch.Elapsed.TotalSeconds, 0);
    }

    private async Task PutAllAsync(string make, string person, List<string> objects, int connections)
    {
        using var client = Client(person, make);
        await Parallel.ForEachAsync(
            objects.Select((text, i) => (text, i)),
            new ParallelOptions { MaxDegreeOfParallelism = connections },
            async (o, _) => await PutAsync(client, $"{HomeOf(make, person)}bench/{NameOf(o.i)}", o.text, make)
        );
    }

    private Task PutAsync(HttpClient client, string path, string text) => PutAsync(client, path, text, from);

    private async Task PutAsync(HttpClient client, string path, string text, string make)
    {
        using var content = new ByteArrayContent(Encoding.UTF8.GetBytes(text));
        content.Headers.ContentType = MediaTypeHeaderValue.Parse(kind is Kind.Contacts ? "text/vcard" : "text/calendar");
        using var answer = await client.PutAsync(new Uri(_addresses[make], path), content);
        answer.EnsureSuccessStatusCode();
    }

    private async Task MakeAsync(string make, string person)
    {
        using var client = Client(person, make);
        var type =
            kind is Kind.Contacts
                ? "<c:addressbook xmlns:c=\"urn:ietf:params:xml:ns:carddav\"/>"
                : "<c:calendar xmlns:c=\"urn:ietf:params:xml:ns:caldav\"/>";
        using var request = new HttpRequestMessage(new HttpMethod("MKCOL"), new Uri(_addresses[make], $"{HomeOf(make, person)}bench/"))
        {
            Content = new StringContent(
                $"<d:mkcol xmlns:d=\"DAV:\"><d:set><d:prop><d:resourcetype><d:collection/>{type}</d:resourcetype>"
                    + "<d:displayname>Bench</d:displayname></d:prop></d:set></d:mkcol>",
                Encoding.UTF8,
                "application/xml"
            ),
        };
        using var answer = await client.SendAsync(request);
        answer.EnsureSuccessStatusCode();
    }

    /// <summary>One of the servers ends each connection after its answer.</summary>
    private static HttpClient Client(string person, string make)
    {
        var lifetime = make == "radicale" ? TimeSpan.Zero : Timeout.InfiniteTimeSpan;
        var client = new HttpClient(new SocketsHttpHandler { PooledConnectionLifetime = lifetime });
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
            "Basic",
            Convert.ToBase64String(Encoding.UTF8.GetBytes($"{person}:{Password}"))
        );
        return client;
    }

    /// <summary>Somebody with nothing anywhere yet. On one server accounts come to be with the first sign-in for mail.</summary>
    private async Task<string> NextAsync()
    {
        if (!_people.TryDequeue(out var person))
            throw new InvalidOperationException("There are not enough people for so many rounds.");
        using var mail = await PlainImap.SignInAsync(_cyrus!.Port, person, Password);
        return person;
    }

    private string HomeOf(string make, string person) =>
        (make, kind) switch
        {
            ("radicale", _) => $"/{person}/",
            ("xandikos", Kind.Contacts) => $"/{person}/contacts/",
            ("xandikos", _) => $"/{person}/calendars/",
            (_, Kind.Contacts) => $"/dav/addressbooks/user/{person}/",
            _ => $"/dav/calendars/user/{person}/",
        };

    private string NameOf(int i) => kind is Kind.Contacts ? $"item{i}.vcf" : $"item{i}.ics";

    private static string Changed(string text) => text.Replace("Line 1 of", $"Line {Environment.TickCount64} of", StringComparison.Ordinal);

    /// <summary>About a thousand octets.</summary>
    private string Object(int i)
    {
        var note = string.Join("\\n", Enumerable.Range(0, 11).Select(n => $"Line {n} of what is known about the harbour and its tides"));
        return string.Concat(
            (
                kind is Kind.Contacts
                    ? (string[])
                        [
                            "BEGIN:VCARD",
                            "VERSION:3.0",
                            $"UID:bench-{i}",
                            $"FN:Sailor {i}",
                            $"N:Sailor {i};;;;",
                            $"EMAIL;TYPE=WORK:sailor{i}@saltmarsh.example",
                            $"TEL;TYPE=CELL:+353 1 555 {i:0000}",
                            $"NOTE:{note}",
                            "END:VCARD",
                        ]
                    :
                    [
                        "BEGIN:VCALENDAR",
                        "VERSION:2.0",
                        "PRODID:-//Saltmarsh Ferries//Timetable//EN",
                        "BEGIN:VEVENT",
                        $"UID:bench-{i}",
                        "DTSTAMP:20260101T000000Z",
                        $"DTSTART:202702{1 + i % 28:00}T080000Z",
                        $"DTEND:202702{1 + i % 28:00}T090000Z",
                        $"SUMMARY:Sailing {i}",
                        $"DESCRIPTION:{note}",
                        "END:VEVENT",
                        "END:VCALENDAR",
                    ]
            ).Select(l => $"{l}\r\n")
        );
    }
}

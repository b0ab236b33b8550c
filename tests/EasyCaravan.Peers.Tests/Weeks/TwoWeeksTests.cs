using System.Globalization;
using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Peers.Dav;
using EasyCaravan.Peers.Tests;
using EasyCaravan.StandIns;
using EasyCaravan.Store;
using EasyCaravan.Store.Rows;
using EasyCaravan.Testing;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Peers.Weeks;

/// <summary>
/// Three batches on two real servers over two weeks of simulated time, in which the clock is put forward, with faults of every sort: what
/// ran when is seen by a witness on the line, and what people were told is counted where their letters arrive.
/// </summary>
public sealed class TwoWeeksTests(ITestOutputHelper output) : IAsyncLifetime
{
    private const string Deckhands = "deckhands",
        Office = "harbour-office",
        Engineers = "engineers";

    private static readonly string[] s_batches = [Deckhands, Office, Engineers];
    private static readonly TimeZoneInfo s_dublin = TimeZoneInfo.FindSystemTimeZoneById("Europe/Dublin");

    /// <summary>A Tuesday at noon; the clock is put forward on Sunday the 28th.</summary>
    private readonly TestClock _clock = new(At(16, 12));
    private readonly StandInSmtp _letters = new();
    private readonly StandInOAuth _tokens = new();
    private readonly string _folder = Directory.CreateTempSubdirectory("caravan-weeks").FullName;
    private readonly Dictionary<string, DateTimeOffset> _inStep = [];
    private readonly HashSet<string> _needed = [];
    private DovecotServer _from = null!;
    private DovecotServer _to = null!;
    private WatchedServer _atFrom = null!;
    private WatchedServer _atTokens = null!;
    private WatchedServer _atTo = null!;
    private PostfixServer? _postfix;
    private TestService _service = null!;
    private int _people;
    private int _planted;

    private static DateTimeOffset At(int day, int hour, int minute = 0) => new(2027, 3, day, hour, minute, 0, TimeSpan.Zero);

    public async ValueTask InitializeAsync()
    {
        _from = await DovecotServer.StartAsync('/', new DovecotManners { Introspection = new Uri(_tokens.Address, "introspect") });
        _to = await DovecotServer.StartAsync('.', new DovecotManners(Quota: "1G"));
        (_atFrom, _atTokens, _atTo) = (new(_from.PlainPort, _clock), new(_from.PlainPort, _clock), new(_to.PlainPort, _clock));
        _postfix = PostfixServer.CanRun ? await PostfixServer.StartAsync(_letters.Port) : null;
        await StartServiceAsync();
    }

    public async ValueTask DisposeAsync()
    {
        await _service.DisposeAsync();
        if (_postfix is not null)
            await _postfix.DisposeAsync();
        foreach (var watched in new[] { _atFrom, _atTokens, _atTo })
            await watched.DisposeAsync();
        await _from.DisposeAsync();
        await _to.DisposeAsync();
        await _letters.DisposeAsync();
        await _tokens.DisposeAsync();
        Directory.Delete(_folder, recursive: true);
    }

    private async Task StartServiceAsync() => _service = await TestService.StartAsync(_folder, o => o with { Time = _clock });

    private string Plan() =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_atFrom.Port}}, security: none}
                limits: {connections: 12, per-account: 2, bytes-per-day-per-account: 300kB}
              lanternpost-tokens:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_atTokens.Port}}, security: none}
                sign-in: {with: oauth, grant: refresh-token, token-url: "{{_tokens.Address}}token", client-id: caravan, scopes: [mail]}
                limits: {connections: 4, per-account: 1}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_atTo.Port}}, security: none}
                limits: {connections: 10, per-account: 2}
            routes:
              harbour-crossing: {from: lanternpost, to: northquay}
              token-crossing: {from: lanternpost-tokens, to: northquay}
            batches:
              deckhands:
                route: harbour-crossing
                roster: deckhands.csv
                timetable:
                  zone: Europe/Dublin
                  windows: [{days: mon-fri, from: "19:00", to: "07:00"}, {days: sat-sun}]
                  pauses: [{on: 2027-03-17, why: bank holiday}]
                  catch-up-every: 6h
              harbour-office:
                route: harbour-crossing
                roster: harbour-office.csv
                priority: 3
                timetable: {zone: Europe/Dublin, windows: [{days: mon-sun, from: "21:00", to: "05:00"}], catch-up-every: 12h}
              engineers:
                route: token-crossing
                roster: engineers.csv
                timetable:
                  zone: Europe/Dublin
                  windows: [{days: mon-fri, from: "12:00", to: "14:00"}, {days: mon-fri, from: "20:00", to: "23:00"}]
                  start: 2027-03-18T22:58
                  catch-up-every: 8h
            notices:
              from: "Moving desk <moving@northquay.example>"
              sending: {speaks: smtp, host: 127.0.0.1, port: {{_postfix?.Port ?? _letters.Port}}, security: none}
              zone: Europe/Dublin
              administrators: {to: [ops@saltmarsh.example], digest-at: "07:30"}
              people: {about: [starts, kind-done], days-before: 3}
            """;

    /// <summary>The batches' windows once more, as the plan above means them: the product's own reading has no part in it.</summary>
    private static bool IsOpen(string batch, DateTimeOffset at)
    {
        var local = TimeZoneInfo.ConvertTime(at, s_dublin);
        var (day, hour) = (local.DayOfWeek, local.TimeOfDay.TotalHours);
        var isWeekend = day is DayOfWeek.Saturday or DayOfWeek.Sunday;
        return batch switch
        {
            Deckhands => (local.Month, local.Day) != (3, 17) && (isWeekend || hour >= 19 || (hour < 7 && day is not DayOfWeek.Monday)),
            Office => hour is >= 21 or < 5,
            _ => at >= At(18, 22, 58) && !isWeekend && hour is >= 12 and < 14 or >= 20 and < 23,
        };
    }

    private static string BatchOf(string account) => s_batches.Single(b => b[0] == account[0]);

    private static string Account(string batch, int i) => $"{batch[0]}{i}@saltmarsh.example";

    private IEnumerable<string> AccountsOf(string batch) => Enumerable.Range(0, _people).Select(i => Account(batch, i));

    private IEnumerable<string> Everybody => s_batches.SelectMany(AccountsOf);

    /// <summary>Whose mailbox is large: it takes longer than a day's limit, or is in hand when a window shuts.</summary>
    private static string[] Large => [Account(Deckhands, 3), Account(Engineers, 3)];

    private static string[] Wrong =>
        [Account(Deckhands, 1), Account(Deckhands, 2), Account(Office, 0), Account(Office, 1), Account(Office, 2)];

    private static string Small => Account(Office, 3);

    private static string Expired => Account(Engineers, 1);

    private Task<PlainImap> AtFromAsync(string account) => PlainImap.SignInAsync(_from.PlainPort, account, TwoServers.Password);

    private async Task PlantAsync(string account, int count, int octets)
    {
        using var imap = await AtFromAsync(account);
        await imap.AppendAsync(
            "INBOX",
            Enumerable
                .Range(0, count)
                .Select(_ => Interlocked.Increment(ref _planted))
                .Select(n =>
                    (
                        n % 3 == 0 ? "\\Seen" : "",
                        At(1, 8).AddMinutes(n),
                        Encoding.ASCII.GetBytes(
                            string.Create(CultureInfo.InvariantCulture, $"Message-ID: <{n}@saltmarsh.example>\r\nSubject: Tide {n}\r\n\r\n")
                                + string.Concat(Enumerable.Repeat("The tide comes in and goes out.\r\n", octets / 33))
                        )
                    )
                )
        );
    }

    private string Roster(string batch) =>
        "name,from_account,to_account,from_secret,to_secret,language\n"
        + string.Concat(
            AccountsOf(batch)
                .Select(
                    (a, i) =>
                        $"Person {a[0]}{i},{a},{a},"
                        + (
                            batch == Engineers ? _tokens.Consent(a)
                            : Wrong.Contains(a) ? "wrong"
                            : TwoServers.Password
                        )
                        + $",{TwoServers.Password},{(i % 2 == 0 ? "de" : "")}\n"
                )
        );

    [Fact]
    public Task Eighteen_people_over_two_weeks() => RunAsync(6);

    [Fact(Explicit = true)]
    public Task Three_hundred_people_over_two_weeks() => RunAsync(100);

    private async Task RunAsync(int people)
    {
        _people = people;
        _from.SetUsers([.. Everybody.Select(a => (a, TwoServers.Password, (string?)null))]);
        _to.SetUsers([.. Everybody.Select(a => (a, TwoServers.Password, a == Small ? "15k" : null))]);
        foreach (var account in Everybody)
            await PlantAsync(account, Large.Contains(account) ? 160 : 12, Large.Contains(account) ? 4000 : 2000);
        foreach (var large in Large)
            _atTo.Slow[large] = 40;

        var applied = await _service.ApplyAsync(Plan(), [.. s_batches.Select(b => ($"{b}.csv", Roster(b)))]);
        Assert.True(applied.Code == 0, applied.Out + applied.Error);
        // A survey is no pass: it may look at any hour.
        foreach (var batch in s_batches)
            await _service.RunAsync("survey", batch);
        await PassAsync(At(16, 13));
        foreach (var watched in new[] { _atFrom, _atTokens, _atTo })
            watched.Forget();
        await _service.RunAsync("start", Deckhands);
        await _service.RunAsync("start", Office);
        var foreseen = new Dictionary<string, ForecastView>();
        foreach (var batch in s_batches)
            foreseen[batch] = await _service.GetAsync<ForecastView>($"batches/{batch}/forecast");

        // Thursday evening: the old service has had enough of us for an hour and a half.
        await PassAsync(At(18, 18, 59));
        _atFrom.Answer = "NO [LIMIT] Too many sign-ins, come again later";
        await PassAsync(At(18, 20, 30));
        Assert.NotEqual(0, _atFrom.TurnedAway);
        _atFrom.Answer = null;

        // Friday morning: five wrong passwords and a full mailbox wait for somebody, and nothing else does.
        await PassAsync(At(19, 9));
        await AssertNeedsAsync(("sign-in-refused", Wrong), ("no-room", [Small]));
        await MendAsync(Deckhands);
        await MendAsync(Office);

        // Saturday: a person takes a consent back; the tokens of another end early, which nobody has to know.
        await PassAsync(At(20, 10));
        _tokens.Revoke(Expired);
        _tokens.EndTokens(Account(Engineers, 2));

        // The new service is down for a night.
        await PassAsync(At(22, 20, 10));
        await _to.KillAsync();
        await PassAsync(At(23, 6, 30));
        await _to.StartAsync();
        await PassAsync(At(24, 12, 30));
        await AssertNeedsAsync(("no-room", [Small]), ("consent-missing", [Expired]));
        _to.SetUser(Small, TwoServers.Password, "10M");
        Assert.Equal(0, (await _service.RunAsync("retry", Office, "--move", Small)).Code);
        await SetSecretsAsync(Engineers, [(Expired, _tokens.Consent(Expired))]);

        // Our own service is stopped at night, and comes back at noon.
        await PassAsync(At(26, 2));
        await _service.DisposeAsync();
        _clock.Advance(TimeSpan.FromHours(10));
        await StartServiceAsync();

        // New mail on most days; the last of it before the last night.
        await PassAsync(At(29, 15));
        foreach (var account in Everybody.Where((_, i) => i % 5 == 0))
            await PlantAsync(account, 2, 1500);
        await PassAsync(At(30, 13));

        await AssertNeedsAsync();
        foreach (var account in Everybody)
            await AssertSameAsync(account);
        AssertWatched();
        AssertForecast(foreseen);
        await AssertLettersAsync();
    }

    /// <summary>
    /// Lets time pass: quickly while nothing is to do, and so slowly while something is that real servers keep up with it.
    /// </summary>
    private async Task PassAsync(DateTimeOffset until)
    {
        var day = _clock.GetUtcNow().Day;
        while (_clock.GetUtcNow() < until)
        {
            var now = _clock.GetUtcNow();
            if (now.Day != day && now.Day is (18 or 20 or 22 or 24 or 26 or 28))
                await PlantAsync(Account(s_batches[now.Day / 2 % 3], now.Day % _people), 1, 1500);
            day = now.Day;
            var (isBusy, due) = await LookAsync(now);
            var next = due is { } at && at < until ? at : until;
            var step = TimeSpan.FromHours(1) < next - now ? TimeSpan.FromHours(1) : next - now;
            _clock.Advance(isBusy ? TimeSpan.FromSeconds(0.5) : step);
            await Task.Delay(isBusy ? 15 : 5);
        }
    }

    /// <summary>Notes who is in step and who needs somebody.</summary>
    /// <returns>Whether something is to do now, and when the next move is due.</returns>
    private async Task<(bool IsBusy, DateTimeOffset? Due)> LookAsync(DateTimeOffset at)
    {
        var now = at.ToUnixTimeMilliseconds();
        await using var db = ((Database)_service.Services.GetService(typeof(Database))!).Read();
        var stored = await db
            .Moves.Select(m => new
            {
                m.FromAccount,
                m.Stage,
                m.Condition,
                m.Until,
            })
            .ToListAsync();
        foreach (var move in stored)
        {
            if (move.Stage is Stage.InStep)
                _inStep.TryAdd(move.FromAccount, at);
            if (move.Condition is ConditionKind.NeedsYou)
                _needed.Add(move.FromAccount);
        }
        if (
            await db.Notices.AnyAsync(n => n.State == NoticeState.HandingOver || (n.State == NoticeState.Due && n.DueAt <= now))
            || stored.Exists(m => m.Condition is ConditionKind.Running)
        )
            return (true, null);
        var due = stored.Where(m => m.Until is not null).Select(m => DateTimeOffset.FromUnixTimeMilliseconds(m.Until!.Value)).ToList();
        var isBusy = stored.Exists(m => m.Condition is ConditionKind.Queued);
        if (isBusy || due.Exists(d => d <= at))
        {
            // A service in trouble has all moves over it wait longer than they would by themselves.
            var moves = new List<MoveView>();
            foreach (var batch in s_batches)
                moves.AddRange(await _service.MovesAsync(batch));
            isBusy = moves.Exists(m => m.Condition is MoveCondition.Running or MoveCondition.Queued || m.Until <= at);
            due = [.. moves.Where(m => m.Until is not null).Select(m => m.Until!.Value)];
        }
        return (isBusy, due.Where(d => d > at).Cast<DateTimeOffset?>().Min());
    }

    private async Task AssertNeedsAsync(params (string Cause, string[] Accounts)[] expected)
    {
        var today = await _service.GetAsync<Today>("today");
        Assert.Equal(
            expected.Select(e => $"{e.Cause}: {string.Join(' ', e.Accounts.Order(StringComparer.Ordinal))}").Order(),
            today
                .NeedsYou.Select(n => $"{n.Cause}: {string.Join(' ', n.Moves.Select(m => m.Account).Order(StringComparer.Ordinal))}")
                .Order()
        );
    }

    private Task MendAsync(string batch) =>
        SetSecretsAsync(batch, [.. Wrong.Where(a => BatchOf(a) == batch).Select(a => (a, TwoServers.Password))]);

    private async Task SetSecretsAsync(string batch, (string Who, string Secret)[] secrets)
    {
        var list = Path.Combine(_folder, "secrets.csv");
        await File.WriteAllLinesAsync(list, ["who,secret", .. secrets.Select(s => $"{s.Who},{s.Secret}")]);
        var set = await _service.RunAsync("secret", "set", batch, "--list", list);
        Assert.True(set.Code == 0, set.Out + set.Error);
    }

    private async Task AssertSameAsync(string account)
    {
        using var from = await AtFromAsync(account);
        using var to = await PlainImap.SignInAsync(_to.PlainPort, account, TwoServers.Password);
        var (here, there) = (await from.ReadFolderAsync("INBOX"), await to.ReadFolderAsync("INBOX"));
        var (left, arrived) = (here.Select(Describe).Order().ToList(), there.Select(Describe).Order().ToList());
        Assert.True(
            left.SequenceEqual(arrived),
            $"{account}: {here.Count} and {there.Count} messages; missing {string.Join(' ', left.Except(arrived))}; "
                + $"too many {string.Join(' ', arrived.Except(left))}"
        );

        static string Describe(StoredMessage m) =>
            $"{Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(m.Octets))} {m.Flags} {m.Date}";
    }

    private void AssertWatched()
    {
        Assert.InRange(_atFrom.Most, 1, 12);
        Assert.InRange(_atTokens.Most, 1, 4);
        Assert.InRange(_atTo.Most, 1, 10);
        Assert.InRange(_atFrom.MostOfOne, 1, 2);
        Assert.InRange(_atTokens.MostOfOne, 1, 1);
        Assert.InRange(_atTo.MostOfOne, 1, 2);
        foreach (var connection in new[] { _atFrom, _atTokens, _atTo }.SelectMany(w => w.Connections))
        {
            var batch = BatchOf(connection.Account);
            Assert.True(IsOpen(batch, connection.SignedIn), $"{connection.Account} was signed in at {connection.SignedIn:u}");
            // A pass asks each second whether it may go on, and then ends the item in hand.
            var isSeen = Enumerable.Range(0, 60).Any(s => IsOpen(batch, connection.LastSaid.AddSeconds(-s)));
            Assert.True(isSeen, $"{connection.Account} went on until {connection.LastSaid:u}");
        }
        output.WriteLine(
            $"{_atFrom.Connections.Count} + {_atTokens.Connections.Count} connections to the old side, "
                + $"{_atTo.Connections.Count} to the new; "
                + $"at most {_atFrom.Most}, {_atTokens.Most} and {_atTo.Most} at a time; {_atFrom.TurnedAway} turned away."
        );
    }

    private void AssertForecast(Dictionary<string, ForecastView> foreseen)
    {
        foreach (var (batch, forecast) in foreseen)
        {
            var last = AccountsOf(batch).Where(a => !_needed.Contains(a)).Max(a => _inStep[a]);
            output.WriteLine(
                $"{batch}: foreseen {forecast.InStepEarliest:u} to {forecast.InStepLatest:u}, came true {last:u}. {forecast.Sentence}"
            );
            Assert.InRange(last, forecast.InStepEarliest!.Value.AddHours(-2), forecast.InStepLatest!.Value.AddHours(26));
        }
    }

    private async Task AssertLettersAsync()
    {
        var told = await _service.ListAllAsync<NoticeView>("notices");
        Assert.All(told, n => Assert.Equal(NoticeStateWord.Sent, n.State));
        await TestService.UntilAsync(() => Task.FromResult(_letters.Mails.Count >= told.Count));
        var mails = _letters.Mails.ToList();
        Assert.Equal(told.Count, mails.Count);
        Assert.Equal(mails.Count, mails.DistinctBy(m => (m.To, m.Header("Message-Id"))).Count());
        if (_postfix is not null)
            Assert.Equal(mails.Count, _postfix.Accepted);
        foreach (var account in Everybody)
        {
            var own = mails.Where(m => m.To == account).ToList();
            Assert.Equal(BatchOf(account) == Engineers ? 2 : 1, own.Count);
        }
        var toOps = told.Where(n => n.To == "ops@saltmarsh.example").GroupBy(n => n.About).ToDictionary(g => g.Key, g => g.Count());
        output.WriteLine($"{mails.Count} letters; to administrators: {string.Join(", ", toOps.Select(o => $"{o.Key} {o.Value}"))}");
        Assert.Equal(14, toOps[NoticeAbout.Digest]);
    }
}

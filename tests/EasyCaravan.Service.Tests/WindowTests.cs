using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>Windows, the rhythm of catch-ups and daily limits, by a clock that the test sets.</summary>
public sealed class WindowTests : IAsyncLifetime
{
    private const int Messages = 40;

    /// <summary>A Friday at noon in Dublin, where it is the same as UTC.</summary>
    private readonly TestClock _clock = new(new DateTimeOffset(2027, 2, 5, 12, 0, 0, TimeSpan.Zero));
    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners());

    private string Plan(string timetable = "", string limits = "{connections: 20}") =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
                limits: {{limits}}
            routes:
              crossing: {from: lanternpost, to: northquay}
            batches:
              crew: {route: crossing, roster: crew.csv{{timetable}}}
            """;

    private const string Nights = ", timetable: {zone: Europe/Dublin, windows: [{days: fri, from: \"20:00\", to: \"06:00\"}]}";

    private static string Roster(int people) =>
        "name,from_account,to_account,from_secret,to_secret\n"
        + string.Concat(Enumerable.Range(0, people).Select(i => $"P{i},{Account(i)},{Account(i)},s,s\n"));

    private static string Account(int i) => $"p{i}@saltmarsh.example";

    public ValueTask InitializeAsync()
    {
        for (var i = 0; i < 3; i++)
        {
            var inbox = _from.AddAccount(Account(i), "s").Find("INBOX")!;
            for (var m = 0; m < Messages; m++)
                inbox.Add(Message(m), [], DateTimeOffset.UnixEpoch);
            _to.AddAccount(Account(i), "s");
        }
        return ValueTask.CompletedTask;
    }

    public async ValueTask DisposeAsync()
    {
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    [Fact]
    public async Task Nothing_begins_before_its_window_what_runs_stops_when_it_shuts_and_who_waited_for_a_worker_waits_for_the_next_one()
    {
        await using var service = await _clock.StartServiceAsync(o => o with { MovesAtOnce = 1 });
        await service.ApplyAsync(Plan(Nights), ("crew.csv", Roster(3)));
        await service.RunAsync("start", "crew");
        await AllWaitUntilAsync(service, new DateTimeOffset(2027, 2, 5, 20, 0, 0, TimeSpan.Zero));
        Assert.Equal(0, _to.Calls);

        _to.Manners = _to.Manners with { PausePerMessage = TimeSpan.FromMilliseconds(50) };
        _clock.Advance(TimeSpan.FromHours(8));
        await TestService.UntilAsync(() => Task.FromResult(Arrived(0) > 0));
        _clock.Advance(TimeSpan.FromHours(10));
        await AllWaitUntilAsync(service, new DateTimeOffset(2027, 2, 12, 20, 0, 0, TimeSpan.Zero));
        Assert.Equal((0, 0), (Arrived(1), Arrived(2)));
        Assert.True(Assert.Single(await PassesAsync(service, 0)).Stopped);
        Assert.Empty(await PassesAsync(service, 2));
        Assert.All(await service.MovesAsync("crew"), m => Assert.Equal("waits for its window", m.ConditionText));

        // Whoever waits for a window is not surveyed meanwhile; nobody who asks for it waits until the window opens.
        Assert.Contains("busy with something else: 3", (await service.RunAsync("survey", "crew", "--wait")).Out, StringComparison.Ordinal);

        _to.Manners = _to.Manners with { PausePerMessage = TimeSpan.Zero };
        _clock.SetUtcNow(new DateTimeOffset(2027, 2, 12, 20, 0, 1, TimeSpan.Zero));
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew")).TrueForAll(m => m.Stage is MoveStage.InStep));
        Assert.Equal([Messages, Messages, Messages], Enumerable.Range(0, 3).Select(Arrived));
    }

    [Fact]
    public async Task Catch_ups_come_in_their_rhythm_and_only_inside_a_window()
    {
        await using var service = await _clock.StartServiceAsync();
        var timetable = Nights.Replace("zone:", "catch-up-every: 4h, zone:", StringComparison.Ordinal);
        await service.ApplyAsync(Plan(timetable), ("crew.csv", Roster(1)));
        _clock.SetUtcNow(new DateTimeOffset(2027, 2, 5, 20, 0, 0, TimeSpan.Zero));
        Assert.Equal(0, (await service.RunAsync("start", "crew", "--wait")).Code);
        _from.Find(Account(0))!.Find("INBOX")!.Add(Message(500), [], DateTimeOffset.UnixEpoch);
        Assert.Equal(new DateTimeOffset(2027, 2, 6, 0, 0, 0, TimeSpan.Zero), (await service.MovesAsync("crew"))[0].Until);
        Assert.Equal(Messages, Arrived(0));

        _clock.Advance(TimeSpan.FromHours(4));
        await PassesEndAsync(service, 2);
        Assert.Equal(Messages + 1, Arrived(0));
        _clock.Advance(TimeSpan.FromHours(4));
        await PassesEndAsync(service, 3);
        // Four hours later the window is shut: the next catch-up comes when it opens again, a week later.
        Assert.Equal(new DateTimeOffset(2027, 2, 12, 20, 0, 0, TimeSpan.Zero), (await service.MovesAsync("crew"))[0].Until);
    }

    [Fact]
    public async Task What_a_service_allows_in_a_day_ends_a_pass_and_the_next_day_it_goes_on_by_itself()
    {
        await using var service = await _clock.StartServiceAsync();
        await service.ApplyAsync(Plan(limits: "{connections: 20, bytes-per-day-per-account: 10kB}"), ("crew.csv", Roster(1)));
        await service.RunAsync("start", "crew");
        var midnight = new DateTimeOffset(2027, 2, 6, 0, 0, 0, TimeSpan.Zero);
        await AllWaitUntilAsync(service, midnight);
        var first = Arrived(0);
        Assert.InRange(first, 1, 10_000 / Message(0).Length);
        // Asked for again on the same day, nothing more is carried: the day's limit is used up.
        await service.RunAsync("retry", "crew");
        await PassesEndAsync(service, 2);
        await AllWaitUntilAsync(service, midnight);
        Assert.Equal(first, Arrived(0));
        var move = (await service.MovesAsync("crew"))[0];
        Assert.Equal("day-spent", move.Problem!.Cause);
        Assert.Contains("10 kB", move.ConditionText, StringComparison.Ordinal);
        var northquay = (await service.GetAsync<List<ServiceView>>("services")).Single(s => s.Name == "northquay");
        Assert.Equal((1, 10_000), (northquay.Use.Waiting, northquay.Limits.BytesPerDay));
        for (var day = 0; day < 3; day++)
        {
            _clock.SetUtcNow(midnight.AddDays(day).AddSeconds(1));
            var atLeast = Math.Min(Messages, first * (day + 2));
            await _clock.PassUntilAsync(async () =>
                Arrived(0) >= atLeast && (await service.MovesAsync("crew"))[0].Condition is MoveCondition.Waiting or MoveCondition.Idle
            );
        }
        Assert.Equal((Messages, MoveStage.InStep), (Arrived(0), (await service.MovesAsync("crew"))[0].Stage));
    }

    private static Task AllWaitUntilAsync(TestService service, DateTimeOffset until) =>
        TestService.UntilAsync(async () =>
            (await service.MovesAsync("crew")).TrueForAll(m => m.Condition is MoveCondition.Waiting && m.Until == until)
        );

    private static Task PassesEndAsync(TestService service, int count) =>
        TestService.UntilAsync(async () => (await PassesAsync(service, 0)).Count(p => p.Ended is not null) == count);

    private static async Task<IReadOnlyList<PassView>> PassesAsync(TestService service, int person) =>
        (await service.GetAsync<MoveDetail>($"batches/crew/moves/{Account(person)}")).Passes;

    private int Arrived(int person) => _to.Find(Account(person))!.Find("INBOX")!.Messages.Count;

    private static byte[] Message(int i) =>
        System.Text.Encoding.ASCII.GetBytes(
            $"Message-ID: <{i}@saltmarsh.example>\r\nDate: Sat, 1 Jun 2019 00:00:00 +0000\r\nFrom: desk@saltmarsh.example\r\n"
                + $"Subject: Tide {i}\r\n\r\n{new string('t', 400)}\r\n"
        );
}

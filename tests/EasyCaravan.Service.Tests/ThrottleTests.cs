using EasyCaravan.Contract;
using EasyCaravan.StandIns;
using EasyCaravan.Testing;

namespace EasyCaravan.Service.Tests;

/// <summary>How the service treats services that are in trouble, ask for less, or have many people waiting for them.</summary>
public sealed class ThrottleTests : IAsyncLifetime
{
    private const int People = 24;

    private readonly StandInImap _from = new(new StandInManners());
    private readonly StandInImap _to = new(new StandInManners());

    private string Plan(string limits = "{connections: 20, per-account: 4}", string route = "") =>
        $$"""
            services:
              lanternpost:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_from.Port}}, security: none}
              northquay:
                mail: {speaks: imap, host: 127.0.0.1, port: {{_to.Port}}, security: none}
                limits: {{limits}}
            routes:
              crossing: {from: lanternpost, to: northquay{{route}}}
            batches:
              crew: {route: crossing, roster: crew.csv}
            """;

    private static string Roster(int people = People) =>
        "name,from_account,to_account,from_secret,to_secret\n"
        + string.Concat(Enumerable.Range(0, people).Select(i => $"P{i},p{i}@saltmarsh.example,p{i}@saltmarsh.example,s,s\n"));

    public ValueTask InitializeAsync()
    {
        for (var i = 0; i < People; i++)
        {
            var box = _from.AddAccount($"p{i}@saltmarsh.example", "s").Find("INBOX")!;
            // The first person of the roster has the largest mailbox.
            for (var m = 0; m < People - i; m++)
                box.Add(Message(m), [], DateTimeOffset.UnixEpoch);
            _to.AddAccount($"p{i}@saltmarsh.example", "s");
        }
        return ValueTask.CompletedTask;
    }

    public async ValueTask DisposeAsync()
    {
        await _from.DisposeAsync();
        await _to.DisposeAsync();
    }

    [Fact]
    public async Task A_service_that_is_closed_is_asked_by_one_for_all_and_when_it_opens_all_go_on()
    {
        var clock = new TestClock(DateTimeOffset.UtcNow);
        await using var service = await clock.StartServiceAsync();
        _to.Manners = _to.Manners with { Closed = "[UNAVAILABLE] Maintenance until nine" };
        await service.ApplyAsync(Plan(), ("crew.csv", Roster()));
        await service.RunAsync("start", "crew");
        var moves = new List<MoveView>();
        // Read once: a moment later one of them may try the service for all.
        await TestService.UntilAsync(async () =>
            (moves = await service.MovesAsync("crew")).TrueForAll(m => m.Condition is MoveCondition.Waiting)
        );
        Assert.All(moves, m =>
        {
            Assert.Contains("waits with all others for northquay", m.ConditionText, StringComparison.Ordinal);
            Assert.Contains("Maintenance until nine", m.ConditionText, StringComparison.Ordinal);
            Assert.NotNull(m.Until);
        });
        var view = (await service.GetAsync<List<ServiceView>>("services")).Single(s => s.Name == "northquay");
        Assert.NotNull(view.Use.PausedUntil);
        // The moves that ran when the service closed tried again, then one at a time for all: not each move by itself.
        var calls = _to.Calls;
        Assert.InRange(calls, 1, 10);
        await clock.PassUntilAsync(() => Task.FromResult(_to.Calls >= calls + 2));
        Assert.InRange(_to.Calls, 1, 16);
        _to.Manners = _to.Manners with { Closed = null };
        await service.RunAsync("retry", "crew");
        await TestService.UntilAsync(async () =>
            (await service.MovesAsync("crew")).TrueForAll(m => m is { Stage: MoveStage.InStep, Condition: MoveCondition.Idle })
        );
        Assert.Null((await service.GetAsync<List<ServiceView>>("services")).Single(s => s.Name == "northquay").Use.PausedUntil);
    }

    [Fact]
    public async Task A_service_that_finds_the_connections_too_many_gets_fewer_and_everybody_arrives()
    {
        await using var service = await TestService.StartAsync();
        _to.Manners = _to.Manners with { MostConnections = 3, PausePerMessage = TimeSpan.FromMilliseconds(2) };
        await service.ApplyAsync(Plan(), ("crew.csv", Roster()));
        await service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () =>
            (await service.GetAsync<List<ServiceView>>("services")).Any(s =>
                s.Use.Pace?.Contains("fewer for a minute", StringComparison.Ordinal) == true
            )
        );
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew")).TrueForAll(m => m.Stage is MoveStage.InStep));
        for (var i = 0; i < People; i++)
            Assert.Equal(People - i, _to.Find($"p{i}@saltmarsh.example")!.Find("INBOX")!.Messages.Count);
    }

    [Fact]
    public async Task Whoever_runs_long_gives_way_to_those_who_wait_and_goes_on_after_them()
    {
        await using var service = await TestService.StartAsync(options: o =>
            o with
            {
                MovesAtOnce = 1,
                TimeSlice = TimeSpan.FromMilliseconds(200),
            }
        );
        for (var m = 0; m < 2_000; m++)
            _from.Find("p0@saltmarsh.example")!.Find("INBOX")!.Add(Message(1000 + m), [], DateTimeOffset.UnixEpoch);
        _to.Manners = _to.Manners with { PausePerMessage = TimeSpan.FromMilliseconds(5) };
        await service.ApplyAsync(Plan(), ("crew.csv", Roster(4)));
        await service.RunAsync("start", "crew");
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew")).Skip(1).All(m => m.Stage is MoveStage.InStep));
        var givenWay = (await service.MovesAsync("crew"))[0];
        Assert.Equal((MoveStage.Copying, 2_000L + People), (givenWay.Stage, givenWay.Counts.Found));
        Assert.InRange(givenWay.Counts.Carried, 1, 2_000);
        _to.Manners = _to.Manners with { PausePerMessage = TimeSpan.Zero };
        await TestService.UntilAsync(async () => (await service.MovesAsync("crew"))[0].Stage is MoveStage.InStep);
        Assert.Equal(2_000 + People, _to.Find("p0@saltmarsh.example")!.Find("INBOX")!.Messages.Count);
        Assert.Contains((await service.GetAsync<MoveDetail>("batches/crew/moves/p0@saltmarsh.example")).Passes, p => p.Stopped);
    }

    [Fact]
    public async Task A_folder_that_is_refused_stays_behind_by_its_name_everything_else_goes_on_and_its_remedy_works()
    {
        await using var service = await TestService.StartAsync();
        var account = _from.Find("p0@saltmarsh.example")!;
        // Too many to be copied together with the small folder: the inbox is complete before the other folder is begun.
        for (var m = 0; m < 2_500; m++)
            account.Find("INBOX")!.Add(Message(1000 + m), [], DateTimeOffset.UnixEpoch);
        account.Make("For'bid\\den").Add(Message(1), [], DateTimeOffset.UnixEpoch);
        _to.Manners = _to.Manners with { Reserved = new HashSet<string> { "For'bid\\den" } };
        await service.ApplyAsync(Plan(), ("crew.csv", Roster(1)));
        Assert.Equal(3, (await service.RunAsync("start", "crew", "--wait")).Code);
        var move = (await service.MovesAsync("crew"))[0];
        Assert.Equal(
            (MoveStage.InStep, MoveCondition.Idle, 2_501L + People, 2_500L + People, 1L, 1L),
            (move.Stage, move.Condition, move.Counts.Found, move.Counts.Carried, move.Counts.LeftBehind, move.OpenLeftBehind)
        );
        var batch = (await service.GetAsync<List<BatchView>>("batches")).Single();
        Assert.Equal(move.Counts, batch.Counts);
        var left = Assert.Single(await service.ListAsync<LeftBehindView>("batches/crew/left-behind"));
        Assert.Equal(("For'bid\\\\den", 1L, "folder-refused"), (left.Folder, left.Messages, left.Problem.Cause));
        var waybill = await service.GetAsync<BatchWaybill>("batches/crew/waybill");
        Assert.True(waybill.Closes);
        Assert.Equal(3, (await service.RunAsync("waybill", "crew")).Code);

        // The rule in the remedy, taken as it is written, sends the folder to another place.
        var rule = System.Text.RegularExpressions.Regex.Match(left.Problem.Remedy, @"\{match: \{.*?\}, to: '.*?'\}").Value;
        await service.ApplyAsync(Plan(route: $", folders: [{rule}]"), ("crew.csv", Roster(1)));
        Assert.Equal(0, (await service.RunAsync("catch-up", "crew", "--wait")).Code);
        Assert.Single(_to.Find("p0@saltmarsh.example")!.Find("Another name")!.Messages);

        // The same for a folder that its owner creates later. It is carried as soon as the new side accepts it.
        account.Make("Not here").Add(Message(2), [], DateTimeOffset.UnixEpoch);
        _to.Manners = _to.Manners with { Reserved = new HashSet<string> { "Not here" } };
        Assert.Equal(3, (await service.RunAsync("catch-up", "crew", "--wait")).Code);
        _to.Manners = _to.Manners with { Reserved = new HashSet<string>() };
        Assert.Equal(0, (await service.RunAsync("left-behind", "crew", "--retry")).Code);
        await TestService.UntilAsync(async () =>
            (await service.MovesAsync("crew"))[0] is { OpenLeftBehind: 0, Condition: MoveCondition.Idle }
        );
        Assert.Single(_to.Find("p0@saltmarsh.example")!.Find("Not here")!.Messages);
    }

    [Fact]
    public async Task A_message_over_which_each_pass_breaks_is_named_and_stays_behind_while_all_others_arrive()
    {
        var clock = new TestClock(DateTimeOffset.UtcNow);
        await using var service = await clock.StartServiceAsync();
        _from.Manners = _from.Manners with { TellsShort = octets => octets.AsSpan().IndexOf("Subject: Tide 5\r"u8) >= 0 };
        await service.ApplyAsync(Plan(), ("crew.csv", Roster(1)));
        await service.RunAsync("start", "crew");
        // Several passes, some seconds apart: only repeated failures show that the message is the reason.
        await clock.PassUntilAsync(async () =>
            (await service.MovesAsync("crew"))[0] is { Stage: MoveStage.InStep, Condition: MoveCondition.Idle }
        );
        Assert.Equal(People - 1, _to.Find("p0@saltmarsh.example")!.Find("INBOX")!.Messages.Count);
        var left = await service.RunAsync("left-behind", "crew");
        Assert.Contains("Tide 5", left.Out, StringComparison.Ordinal);
        Assert.Contains("each time that this message was carried the connection ended", left.Out, StringComparison.Ordinal);
        Assert.Equal(3, left.Code);

        _from.Manners = _from.Manners with { TellsShort = _ => false };
        await service.RunAsync("left-behind", "crew", "--retry");
        await TestService.UntilAsync(() => Task.FromResult(_to.Find("p0@saltmarsh.example")!.Find("INBOX")!.Messages.Count == People));
    }

    [Fact]
    public async Task Small_mailboxes_go_first_where_the_route_says_so()
    {
        await using var service = await TestService.StartAsync(options: o => o with { MovesAtOnce = 1 });
        await service.ApplyAsync(Plan(route: ", turns: small-first"), ("crew.csv", Roster(6)));
        Assert.Equal(0, (await service.RunAsync("survey", "crew", "--wait")).Code);
        await service.RunAsync("start", "crew", "--wait");
        var ended = new List<(string Account, DateTimeOffset At)>();
        foreach (var move in await service.MovesAsync("crew"))
            ended.Add(
                (
                    move.Account,
                    (await service.GetAsync<MoveDetail>($"batches/crew/moves/{move.Account}"))
                        .Passes.First(p => p.Kind is PassWord.First)
                        .Started
                )
            );
        // The last person of the roster has the smallest mailbox: moves start in the reverse order of the roster.
        Assert.Equal(ended.Select(e => e.Account).Reverse(), ended.OrderBy(e => e.At).Select(e => e.Account));
    }

    [Fact]
    public async Task Messages_a_second_hold_over_all_moves_together()
    {
        await using var service = await TestService.StartAsync();
        await service.ApplyAsync(Plan("{connections: 20, per-account: 4, messages-per-second: 25}"), ("crew.csv", Roster(4)));
        await service.RunAsync("start", "crew", "--wait");
        var passes = new List<PassView>();
        foreach (var move in await service.MovesAsync("crew"))
            passes.Add((await service.GetAsync<MoveDetail>($"batches/crew/moves/{move.Account}")).Passes[0]);
        var messages = passes.Sum(p => p.Legs.Sum(l => l.Carried));
        Assert.Equal(24 + 23 + 22 + 21, messages);
        // One second of the rate may pass at once; the rest is slowed down, however many moves share the limit.
        Assert.True(passes.Max(p => p.Ended!.Value) - passes.Min(p => p.Started) > TimeSpan.FromSeconds((messages - 25) / 25.0 * 0.9));
        Assert.Contains("At most 25 messages/s", (await service.RunAsync("service", "list")).Out, StringComparison.Ordinal);
    }

    private static byte[] Message(int i) =>
        System.Text.Encoding.ASCII.GetBytes(
            $"Message-ID: <{i}@saltmarsh.example>\r\nDate: Sat, 1 Jun 2019 00:00:00 +0000\r\nFrom: desk@saltmarsh.example\r\n"
                + $"Subject: Tide {i}\r\n\r\n{new string('t', 400)}\r\n"
        );
}

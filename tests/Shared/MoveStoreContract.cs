using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using NodaTime;

namespace EasyCaravan.Tests.Shared;

/// <summary>What every store of moves promises to the workers: who gets which move, when, and that a lost lease writes nothing.</summary>
public abstract class MoveStoreContract
{
    protected static readonly CancellationToken None = CancellationToken.None;

    private static readonly PassEnd s_ended = new([new LegEnd(Kind.Mail)], Stopped: false);

    protected abstract IMoveStore Store { get; }

    protected abstract Instant Now { get; }

    /// <summary>Lets a lease that nobody renews run out.</summary>
    protected abstract void LetLeasesEnd();

    protected abstract void Advance(Duration length);

    /// <summary>Adds a move that was started, and is due after so long.</summary>
    protected abstract Task AddAsync(string account, Duration handicap = default, Duration? dueIn = null, string batch = "b");

    protected abstract Task<MoveState> StateOfAsync(string account);

    /// <summary>A person changes every move.</summary>
    protected abstract Task StepAsync(Func<MoveState, MoveState> step);

    [Fact]
    public async Task The_earliest_turn_goes_first_which_waiting_brings_nearer_and_a_handicap_puts_off()
    {
        var hour = Duration.FromHours(1);
        await AddAsync("late", 5 * hour);
        await AddAsync("last", 9 * hour);
        await AddAsync("elsewhere", 1 * hour, batch: "other");
        await AddAsync("early", 5 * hour, dueIn: Duration.FromMinutes(-10));
        await AddAsync("waited", 9 * hour, dueIn: -5 * hour);
        await AddAsync("tomorrow", dueIn: Duration.FromDays(1));
        Assert.Equal(["waited", "early", "late", "last"], await ClaimAllAsync("other"));
        Assert.Equal(["elsewhere"], await ClaimAllAsync());
    }

    [Fact]
    public async Task Whoever_is_put_in_line_later_keeps_the_turn_of_the_hour_at_which_it_fell_due()
    {
        await AddAsync("early", dueIn: Duration.FromHours(1));
        await AddAsync("late", dueIn: Duration.FromHours(2));
        Assert.Null(await Store.ClaimAsync("one", ScheduleRules.None, None));
        Advance(Duration.FromHours(3));
        await AddAsync("now");
        Assert.Equal(["early", "late", "now"], await ClaimAllAsync());
    }

    [Fact]
    public async Task Of_batches_that_share_a_service_no_more_run_than_it_bears_connections_and_others_go_on()
    {
        foreach (var batch in new[] { "a", "a", "b", "b", "c" })
            await AddAsync($"{batch}{Guid.NewGuid():N}", batch: batch);
        var rules = new ScheduleRules([], [new ServiceShare("northquay", 2, ["a", "b"])]);
        var claims = new List<Claim>();
        while (await Store.ClaimAsync("one", rules, None) is { } claim)
            claims.Add(claim);
        Assert.Equal(["a", "a", "c"], claims.Select(c => c.Person.Batch));
        await Store.EndAsync(claims[0], [new Tally()], s_ended, s => s.End(s_ended, _ => null, 0.5, null, Now), None);
        Assert.Equal("b", (await Store.ClaimAsync("one", rules, None))!.Person.Batch);
        Assert.Null(await Store.ClaimAsync("one", rules, None));
    }

    [Fact]
    public async Task However_many_ask_at_once_a_service_is_given_no_more_moves_than_it_bears()
    {
        for (var i = 0; i < 20; i++)
            await AddAsync($"p{i}");
        var rules = new ScheduleRules([], [new ServiceShare("northquay", 3, ["b"])]);
        var claims = await Task.WhenAll(Enumerable.Range(0, 16).Select(i => Store.ClaimAsync($"w{i}", rules, None)));
        Assert.Equal(3, claims.Count(c => c is not null));
    }

    [Fact]
    public async Task A_clock_that_jumps_takes_no_move_away_from_the_process_that_runs_it()
    {
        await AddAsync("anna");
        var claim = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        LetLeasesEnd();
        Assert.Null(await Store.ClaimAsync("one", ScheduleRules.None with { Own = [claim.Person.Id] }, None));
        Assert.True(await Store.RenewAsync(claim, [new Tally()], None));
        Assert.Null(await Store.ClaimAsync("two", ScheduleRules.None, None));
    }

    [Fact]
    public async Task A_claim_tells_who_moves_and_what_is_to_run()
    {
        await AddAsync("anna");
        var claim = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        Assert.Equal(("anna", "b", "one"), (claim.Person.FromAccount, claim.Person.Batch, claim.Owner));
        Assert.Equal([Kind.Mail], claim.Legs);
        Assert.Equal(ConditionKind.Running, (await StateOfAsync("anna")).Condition.Kind);
    }

    [Fact]
    public async Task A_move_whose_worker_fell_silent_is_taken_up_before_any_other()
    {
        await AddAsync("lost");
        var lost = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        await AddAsync("waiting", dueIn: Duration.FromHours(-1));
        LetLeasesEnd();
        var again = (await Store.ClaimAsync("two", ScheduleRules.None, None))!;
        Assert.Equal("lost", again.Person.FromAccount);
        Assert.True(again.Fence > lost.Fence);
        Assert.NotEqual(lost.Pass, again.Pass);
    }

    [Fact]
    public async Task A_lease_that_is_renewed_does_not_end()
    {
        await AddAsync("anna");
        var claim = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        Assert.True(await Store.RenewAsync(claim, [new Tally()], None));
        Assert.Null(await Store.ClaimAsync("two", ScheduleRules.None, None));
    }

    [Fact]
    public async Task Each_move_is_claimed_once_however_many_ask()
    {
        for (var i = 0; i < 20; i++)
            await AddAsync($"p{i}");
        var claims = await Task.WhenAll(Enumerable.Range(0, 32).Select(i => Store.ClaimAsync($"w{i}", ScheduleRules.None, None)));
        Assert.Equal(20, claims.OfType<Claim>().Select(c => c.Person.Id).Distinct().Count());
        Assert.Equal(12, claims.Count(c => c is null));
    }

    [Fact]
    public async Task A_pass_that_ends_gives_the_move_back_in_its_next_state()
    {
        await AddAsync("anna");
        var claim = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        await Store.EndAsync(claim, [new Tally()], s_ended, s => s.End(s_ended, _ => null, 0.5, null, Now), None);
        var state = await StateOfAsync("anna");
        Assert.Equal((Stage.InStep, ConditionKind.Idle), (state.Stage, state.Condition.Kind));
        Assert.Null(await Store.ClaimAsync("two", ScheduleRules.None, None));
    }

    [Fact]
    public async Task A_move_that_is_put_back_waits_for_its_next_window()
    {
        await AddAsync("anna");
        var claim = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        var opens = Now + Duration.FromHours(10);
        var nightly = new Timetable(
            DateTimeZone.Utc,
            [new Window([.. Enum.GetValues<IsoDayOfWeek>()], opens.InUtc().TimeOfDay, (opens + Duration.FromHours(1)).InUtc().TimeOfDay)],
            null
        );
        await Store.PutBackAsync(claim, s => s.PutBack(nightly, Now), None);
        var state = await StateOfAsync("anna");
        Assert.Equal(
            (Stage.Copying, ConditionKind.Waiting, Wait.Window, opens),
            (state.Stage, state.Condition.Kind, state.Condition.Wait, state.Condition.Until)
        );
        Assert.Null(await Store.ClaimAsync("two", ScheduleRules.None, None));
    }

    [Fact]
    public async Task What_a_person_held_stops_and_is_not_claimed_before_the_earlier_lease_has_ended_when_it_goes_on()
    {
        await AddAsync("anna");
        var claim = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        await StepAsync(s => s.Hold());
        Assert.False(await Store.RenewAsync(claim, [new Tally()], None));
        Assert.Null(await Store.ClaimAsync("two", ScheduleRules.None, None));
        await StepAsync(s => s.Resume(null, Now));
        Assert.Null(await Store.ClaimAsync("two", ScheduleRules.None, None));
        LetLeasesEnd();
        Assert.NotNull(await Store.ClaimAsync("two", ScheduleRules.None, None));
    }

    [Fact]
    public async Task Whoever_lost_the_lease_changes_nothing()
    {
        await AddAsync("anna");
        var old = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        LetLeasesEnd();
        var taken = (await Store.ClaimAsync("two", ScheduleRules.None, None))!;
        Assert.False(await Store.RenewAsync(old, [new Tally()], None));
        await Store.EndAsync(old, [new Tally()], s_ended, s => s.End(s_ended, _ => null, 0.5, null, Now), None);
        await Store.PutBackAsync(old, s => s.PutBack(null, Now), None);
        Assert.Equal(ConditionKind.Running, (await StateOfAsync("anna")).Condition.Kind);
        var opening = new PageOpening(FolderPath.Inbox, FolderPath.Inbox, 7, 9, 1);
        await Assert.ThrowsAsync<LeaseLostException>(() => Store.LedgerOf(old, Kind.Mail).OpenAsync([opening], None));
        Assert.Single(await Store.LedgerOf(taken, Kind.Mail).OpenAsync([opening], None));
    }

    [Fact]
    public async Task Each_kind_has_a_ledger_of_its_own()
    {
        await AddAsync("anna");
        var claim = (await Store.ClaimAsync("one", ScheduleRules.None, None))!;
        await Store.LedgerOf(claim, Kind.Mail).OpenAsync([new PageOpening(FolderPath.Inbox, FolderPath.Inbox, 7, 9, 1)], None);
        Assert.Empty(await Store.LedgerOf(claim, Kind.Calendars).FoldersAsync(None));
        await Store.LedgerOf(claim, Kind.Calendars).OpenAsync([new PageOpening(FolderPath.Inbox, FolderPath.Inbox, 1, 2, 1)], None);
        Assert.Equal(7u, Assert.Single(await Store.LedgerOf(claim, Kind.Mail).FoldersAsync(None)).FromEpoch);
    }

    protected async Task<IReadOnlyList<string>> ClaimAllAsync(params string[] except)
    {
        var names = new List<string>();
        while (await Store.ClaimAsync("one", new ScheduleRules(except, []), None) is { } claim)
            names.Add(claim.Person.FromAccount);
        return names;
    }
}

using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Store.Rows;
using EasyCaravan.Tests.Shared;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Time.Testing;
using NodaTime;

namespace EasyCaravan.Store.Tests;

/// <summary>The store of moves keeps its contract, and what workers and the clock are told beyond it.</summary>
public sealed class MoveStoreTests : MoveStoreContract, IAsyncLifetime
{
    private readonly FakeTimeProvider _time = new(new DateTimeOffset(2027, 2, 1, 8, 0, 0, TimeSpan.Zero));
    private TestDatabase _test = null!;
    private MoveStore _store = null!;

    public async ValueTask InitializeAsync()
    {
        _test = await TestDatabase.OpenAsync();
        _store = new MoveStore(Stored, _time);
    }

    public ValueTask DisposeAsync() => _test.DisposeAsync();

    private Database Stored => _test.Database;

    [Fact]
    public async Task A_service_that_answers_again_makes_every_move_due_that_waited_for_it_and_no_other()
    {
        await AddAsync("for-it");
        await AddAsync("for-another");
        await WaitForServiceAsync("for-it", "northquay");
        await WaitForServiceAsync("for-another", "southquay");
        Assert.Null(await _store.ClaimAsync("one", ScheduleRules.None, None));
        await _store.ResumeServiceAsync("northquay", None);
        Assert.Equal(["for-it"], await ClaimAllAsync());
    }

    [Fact]
    public async Task It_is_told_whether_somebody_is_due_and_when_the_next_will_be()
    {
        await AddAsync("now", batch: "other");
        await AddAsync("tomorrow", dueIn: Duration.FromDays(1));
        Assert.True(await _store.AnyDueAsync(ScheduleRules.None, null, None));
        Assert.False(await _store.AnyDueAsync(new ScheduleRules(["other"], []), null, None));
        Assert.Single(await ClaimAllAsync());
        Assert.False(await _store.AnyDueAsync(ScheduleRules.None, null, None));
        Assert.Equal(Now + Duration.FromDays(1), await _store.NextDueAsync(ScheduleRules.None, None));
        Assert.Null(await _store.NextDueAsync(new ScheduleRules(["b"], []), None));
    }

    [Fact]
    public async Task The_pass_of_a_worker_that_fell_silent_is_closed()
    {
        await AddAsync("lost");
        await _store.ClaimAsync("one", ScheduleRules.None, None);
        LetLeasesEnd();
        await _store.ClaimAsync("two", ScheduleRules.None, None);
        await using var db = Stored.Read();
        var passes = await db.Passes.OrderBy(p => p.Id).ToListAsync();
        Assert.Equal([(true, true), (false, false)], passes.Select(p => (p.Stopped, p.EndedAt is not null)));
    }

    [Fact]
    public async Task A_move_that_is_put_back_leaves_no_pass()
    {
        await AddAsync("anna");
        var claim = (await _store.ClaimAsync("one", ScheduleRules.None, None))!;
        await _store.PutBackAsync(claim, s => s.PutBack(null, Now), None);
        await using var db = Stored.Read();
        Assert.Equal((0, 0), (await db.Passes.CountAsync(), await db.PassLegs.CountAsync()));
        Assert.Equal(["anna"], await ClaimAllAsync());
    }

    protected override IMoveStore Store => _store;

    protected override void LetLeasesEnd() => _time.Advance(MoveStore.Lease + TimeSpan.FromSeconds(1));

    protected override async Task<MoveState> StateOfAsync(string account)
    {
        await using var db = Stored.Read();
        return MoveStates.StateOf(await db.Moves.Include(m => m.Legs).SingleAsync(m => m.FromAccount == account));
    }

    protected override Task StepAsync(Func<MoveState, MoveState> step) =>
        new Moves(Stored, new Journal(Stored, _time), _time).StepAsync("b", null, "someone", "changed", (s, _) => step(s), None);

    protected override Instant Now => Instant.FromDateTimeOffset(_time.GetUtcNow());

    private Task WaitForServiceAsync(string account, string service) =>
        Stored.WriteAsync(
            async db =>
            {
                var row = await db.Moves.AsTracking().Include(m => m.Legs).FirstAsync(m => m.FromAccount == account);
                var busy = new Fault(Cause.ServiceBusy, service, "closed for an hour", "UNAVAILABLE") { Service = service };
                var state = MoveStates
                    .StateOf(row)
                    .Run(Now)
                    .End(new PassEnd([new LegEnd(Kind.Mail, busy)], false), _ => Now + Duration.FromHours(6), 0.5, null, Now);
                MoveStates.Apply(row, state, Now);
            },
            None
        );

    protected override void Advance(Duration length) => _time.Advance(length.ToTimeSpan());

    protected override Task AddAsync(string account, Duration handicap = default, Duration? dueIn = null, string batch = "b") =>
        _test.AddMoveAsync(account, Now, row =>
        {
            var due = (Now + (dueIn ?? Duration.Zero)).ToUnixTimeMilliseconds();
            (row.Batch, row.Handicap, row.DueAt, row.Since, row.Turn) = (batch, (long)handicap.TotalMilliseconds, due, due, null);
        });
}

using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Time.Testing;
using NodaTime;

namespace EasyCaravan.Store.Tests;

/// <summary>Who gets which move, and when.</summary>
public sealed class ClaimTests : IAsyncLifetime
{
    private static readonly CancellationToken None = CancellationToken.None;

    private readonly string _folder = Directory.CreateTempSubdirectory("caravan-store").FullName;
    private readonly FakeTimeProvider _time = new(new DateTimeOffset(2027, 2, 1, 8, 0, 0, TimeSpan.Zero));
    private Database _database = null!;
    private MoveStore _store = null!;

    public async ValueTask InitializeAsync()
    {
        _database = await Database.OpenAsync(Path.Combine(_folder, "caravan.db"), None);
        _store = new MoveStore(_database, _time);
    }

    public ValueTask DisposeAsync()
    {
        _database.Dispose();
        Directory.Delete(_folder, recursive: true);
        return ValueTask.CompletedTask;
    }

    [Fact]
    public async Task The_lowest_rank_goes_first_and_of_one_rank_who_was_due_first()
    {
        await AddAsync("late", rank: 5);
        await AddAsync("large", rank: 9);
        await AddAsync("elsewhere", rank: 1, batch: "other");
        await AddAsync("early", rank: 5, dueIn: Duration.FromMinutes(-10));
        await AddAsync("tomorrow", rank: 0, dueIn: Duration.FromDays(1));
        Assert.Equal(["early", "late", "large"], await ClaimAllAsync("other"));
        Assert.True(await _store.AnyDueAsync([], None));
        Assert.Equal(["elsewhere"], await ClaimAllAsync());
        Assert.False(await _store.AnyDueAsync([], None));
        Assert.Equal(Now + Duration.FromDays(1), await _store.NextDueAsync([], None));
        Assert.Null(await _store.NextDueAsync(["b"], None));
    }

    [Fact]
    public async Task A_move_whose_worker_fell_silent_is_taken_up_before_any_other_and_its_pass_is_closed()
    {
        await AddAsync("lost");
        var lost = (await _store.ClaimAsync("one", [], None))!;
        await AddAsync("waiting");
        _time.Advance(MoveStore.Lease + TimeSpan.FromSeconds(1));
        var again = (await _store.ClaimAsync("two", [], None))!;
        Assert.Equal(("lost", PassKind.First), (again.Person.FromAccount, again.State.Wanted));
        await using var db = _database.Read();
        var passes = await db.Passes.OrderBy(p => p.Id).ToListAsync();
        Assert.Equal([lost.Pass, again.Pass], passes.Select(p => p.Id));
        Assert.Equal(
            (true, true, false, false),
            (passes[0].Stopped, passes[0].EndedAt is not null, passes[1].Stopped, passes[1].EndedAt is not null)
        );
    }

    [Fact]
    public async Task What_a_person_held_is_not_claimed_and_not_before_the_earlier_lease_has_ended_when_it_goes_on()
    {
        await AddAsync("anna");
        Assert.NotNull(await _store.ClaimAsync("one", [], None));
        var moves = new Moves(_database, new Journal(_database, _time), _time);
        await moves.StepAsync("b", null, "someone", "held", (s, _) => s.Hold(), None);
        Assert.Null(await _store.ClaimAsync("two", [], None));
        await moves.StepAsync("b", null, "someone", "resumed", (s, now) => s.Resume(null, now), None);
        Assert.Null(await _store.ClaimAsync("two", [], None));
        _time.Advance(MoveStore.Lease + TimeSpan.FromSeconds(1));
        Assert.NotNull(await _store.ClaimAsync("two", [], None));
    }

    [Fact]
    public async Task A_service_that_answers_again_makes_every_move_due_that_waited_for_it_and_no_other()
    {
        await AddAsync("for-it");
        await AddAsync("for-another");
        await WaitForServiceAsync("for-it", "northquay");
        await WaitForServiceAsync("for-another", "southquay");
        Assert.Null(await _store.ClaimAsync("one", [], None));
        await _store.ResumeServiceAsync("northquay", None);
        Assert.Equal(["for-it"], await ClaimAllAsync());
    }

    [Fact]
    public async Task Each_move_is_claimed_once_however_many_ask()
    {
        for (var i = 0; i < 20; i++)
            await AddAsync($"p{i}");
        var claims = await Task.WhenAll(Enumerable.Range(0, 32).Select(i => _store.ClaimAsync($"w{i}", [], None)));
        Assert.Equal(20, claims.OfType<Claim>().Select(c => c.Person.Id).Distinct().Count());
        Assert.Equal(12, claims.Count(c => c is null));
    }

    private Instant Now => Instant.FromDateTimeOffset(_time.GetUtcNow());

    private async Task<IReadOnlyList<string>> ClaimAllAsync(params string[] except)
    {
        var names = new List<string>();
        while (await _store.ClaimAsync("one", except, None) is { } claim)
            names.Add(claim.Person.FromAccount);
        return names;
    }

    private Task WaitForServiceAsync(string account, string service) =>
        _database.WriteAsync(
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

    private Task AddAsync(string account, long rank = 0, Duration? dueIn = null, string batch = "b") =>
        _database.WriteAsync(
            db =>
            {
                var row = new MoveRow
                {
                    Batch = batch,
                    Name = "n",
                    FromAccount = account,
                    ToAccount = account,
                    FromLogin = account,
                    ToLogin = account,
                    Rank = rank,
                };
                MoveStates.Apply(row, MoveState.New(Kind.Mail).Start(null, Now), Now);
                if (dueIn is { } later)
                    row.DueAt = (Now + later).ToUnixTimeMilliseconds();
                db.Moves.Add(row);
                return Task.CompletedTask;
            },
            None
        );
}

using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Core.Tests.Memory;
using EasyCaravan.Store.Rows;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Store.Tests;

/// <summary>The ledger in the store and its twin in memory tell the same after any history.</summary>
public sealed class LedgerTwinTests : IAsyncLifetime
{
    private static readonly CancellationToken None = CancellationToken.None;
    private static readonly FolderPath[] s_places = [FolderPath.Inbox, FolderPath.Of("Work")];

    private TestDatabase _test = null!;
    private MoveStore _store = null!;
    private int _moves;

    public async ValueTask InitializeAsync()
    {
        _test = await TestDatabase.OpenAsync();
        _store = new MoveStore(Stored, TimeProvider.System);
    }

    public ValueTask DisposeAsync() => _test.DisposeAsync();

    private Database Stored => _test.Database;

    [Fact]
    public Task After_any_history_both_tell_the_same() =>
        s_step
            .Array[1, 12]
            .SampleAsync(
                async steps =>
                {
                    var real = await NewLedgerAsync();
                    ILedger twin = new MemoryLedger();
                    var first = await OpenAsync(real);
                    Assert.Equal(1, await OpenAsync(twin));
                    foreach (var step in steps)
                    {
                        await step(real, first);
                        await step(twin, 1);
                        Assert.Equal(await LedgerContract.ToTextAsync(twin, 1), await LedgerContract.ToTextAsync(real, first));
                    }
                },
                iter: 60,
                threads: 1
            );

    private static readonly Gen<uint[]> s_numbers = Gen.UInt[1, 12].Array[0, 4];
    private static readonly Gen<Outcome> s_outcomes = Gen.Int[0, 2].Select(i => (Outcome)i);
    private static readonly Gen<int> s_page = Gen.Int[0, 1];

    /// <summary>One call of the port on one of two pages, given the number of the first of them.</summary>
    private static readonly Gen<Func<ILedger, long, Task>> s_step = Gen.OneOf(
        Step(s_page, Gen.Select(Gen.UInt[1, 12], s_outcomes), (l, p, e) => l.RecordAsync(p, [Entry(e.Item1, e.Item2)], None)),
        Step(s_page, s_numbers, (l, p, numbers) =>
            l.LeaveBehindAsync(
                p,
                [
                    .. numbers
                        .Distinct()
                        .Select(n => new LeftBehindItem(n, new(Core.Pacing.Cause.NoRoom, "a", "full"), new(1), default, "", "")),
                ],
                None
            )
        ),
        Step(s_page, s_numbers, (l, p, numbers) => l.MarkGoneAsync(p, new NumberSet(numbers), None)),
        Step(s_page, s_numbers, (l, p, numbers) => l.ReopenAsync(p, new NumberSet(numbers), None)),
        Step(s_page, s_numbers, (l, p, numbers) =>
            l.RecordKeysAsync(p, numbers.Distinct().ToDictionary(n => n, n => (UInt128)n * 7), None)
        ),
        Step(s_page, s_numbers, (l, p, numbers) =>
            l.KeepUnclaimedAsync(
                p,
                [.. numbers.Distinct().Where(n => n % 2 == 0).Select(n => new UnclaimedMessage(n, new(n), new Identity(n, true)))],
                new NumberSet(numbers.Where(n => n % 2 == 1)),
                None
            )
        ),
        Step(s_page, s_numbers, async (l, p, numbers) =>
            await l.CompleteAsync(
                [new PageEnd(p, new FolderCursor(7, 13, 5, 9), numbers.Length, await SeenAsync(l, p, (uint)numbers.Length))],
                None
            )
        ),
        Step(s_page, Gen.Select(s_numbers, Gen.Int[0, 3], Gen.Bool), async (l, p, look) =>
            await l.RecordLooksAsync(
                [
                    new PageLook(
                        p,
                        look.Item3 ? await SeenAsync(l, p, 5) : null,
                        [.. look.Item1.Distinct().Select(n => Differs(p, n, (DifferenceKind)look.Item2))]
                    ),
                ],
                None
            )
        ),
        Step(s_page, Gen.UInt[8, 11], (l, p, epoch) => l.RenumberAsync(p, epoch, None)),
        Step(s_page, Gen.UInt[8, 11], (l, p, epoch) => l.ForgetEntriesAsync(p, 7, epoch, None)),
        Step(s_page, s_numbers, (l, p, n) =>
            l.LeaveFolderBehindAsync(p, new NumberSet(n), new(Core.Pacing.Cause.FolderRefused, "a", "no"), None)
        ),
        Step(s_page, Gen.Bool, (l, p, _) => l.RetryFolderAsync(p, None))
    );

    private static Gen<Func<ILedger, long, Task>> Step<T>(Gen<int> page, Gen<T> what, Func<ILedger, long, T, Task> run) =>
        Gen.Select(page, what).Select(x => (Func<ILedger, long, Task>)((ledger, first) => run(ledger, first + x.Item1, x.Item2)));

    private static async Task<Membership> SeenAsync(ILedger ledger, long page, uint count) =>
        new((await ledger.FoldersAsync(None)).Single(f => f.Id == page).ToEpoch!.Value, 99, count);

    private static LedgerEntry Entry(uint number, Outcome outcome) =>
        new(number, outcome is Outcome.Excluded ? null : number + 500, outcome, FlagSet.Parse("\\Seen")) { Size = new(number * 10) };

    private static Difference Differs(long page, uint number, DifferenceKind kind) =>
        new(page, number, number, kind, "differs", new(10), DateTimeOffset.UnixEpoch, "Tide", "desk");

    private static async Task<long> OpenAsync(ILedger ledger) =>
        (await ledger.OpenAsync([.. s_places.Select(p => new PageOpening(p, p, 7, 9, 1) { Found = 3 })], None))[0].Id;

    private async Task<ILedger> NewLedgerAsync()
    {
        await _test.AddMoveAsync($"p{++_moves}");
        return _store.LedgerOf((await _store.ClaimAsync("one", ScheduleRules.None, None))!, Kind.Mail);
    }
}

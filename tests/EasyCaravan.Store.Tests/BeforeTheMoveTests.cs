using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Scheduling;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store.Tests;

/// <summary>What is kept before anything moves: surveys, decisions, consents, and numbers for items that have names only.</summary>
public sealed class BeforeTheMoveTests : IAsyncLifetime
{
    private static readonly CancellationToken None = CancellationToken.None;

    private TestDatabase _test = null!;
    private Journal _journal = null!;

    public async ValueTask InitializeAsync()
    {
        _test = await TestDatabase.OpenAsync();
        _journal = new Journal(Stored, TimeProvider.System);
        await Stored.WriteAsync(
            db =>
            {
                foreach (var name in new[] { "aoife", "bram" })
                    db.Moves.Add(
                        new MoveRow
                        {
                            Batch = "crew",
                            Name = name,
                            FromAccount = name,
                            ToAccount = name,
                            FromLogin = name,
                            ToLogin = name,
                            DueAt = 0,
                        }
                    );
                return Task.CompletedTask;
            },
            None
        );
    }

    public ValueTask DisposeAsync() => _test.DisposeAsync();

    private Database Stored => _test.Database;

    [Fact]
    public async Task A_survey_comes_back_as_it_was_and_a_lost_lease_keeps_none()
    {
        var store = new MoveStore(Stored, TimeProvider.System);
        var claim = (await store.ClaimAsync("one", ScheduleRules.None, None))!;
        var folder = new FolderInventory(
            "Überfahrten/März",
            SpecialUse.Archive,
            true,
            false,
            2,
            new(300),
            DateTimeOffset.UnixEpoch,
            DateTimeOffset.UnixEpoch.AddDays(1),
            0,
            ["$Ropes"],
            [new Cell(new NodaTime.LocalDate(2020, 1, 1), new(0), 2, new(300))],
            null
        );
        var inventory = new Inventory(
            DateTimeOffset.UnixEpoch,
            new FromInventory([folder], [], new Room(new(10), new(5), null, 0), ["x@y.example"]),
            null,
            null,
            new Fault(Cause.AppPasswordNeeded, "b", "refused", "X") { Help = "Make one" }
        );
        var surveys = new Surveys(Stored);
        await surveys.SaveAsync(claim, inventory, None);
        await surveys.SaveAsync(claim, inventory, None);
        await using var db = Stored.Read();
        var back = Surveys.InventoryOf(await db.Surveys.SingleAsync());
        Assert.Equal(
            (folder.Path, folder.Cells[0], "$Ropes"),
            (back.From!.Folders[0].Path, back.From.Folders[0].Cells[0], back.From.Folders[0].Keywords[0])
        );
        Assert.Equal(
            (inventory.ToFault, inventory.From!.Room, "x@y.example"),
            (back.ToFault, back.From.Room, back.From.Forwards!.Value[0])
        );
        await Assert.ThrowsAsync<LeaseLostException>(() => surveys.SaveAsync(claim with { Fence = claim.Fence - 1 }, inventory, None));
    }

    [Fact]
    public async Task A_name_keeps_its_number_for_good_and_accounts_do_not_mix()
    {
        var numbers = new ItemNumbers(Stored);
        Assert.Equal([1u, 2, 3], await numbers.NumberAsync("s", "a", ["x", "y", "z"], None));
        Assert.Equal([3u, 4, 1], await numbers.NumberAsync("s", "a", ["z", "new", "x"], None));
        Assert.Equal([1u], await numbers.NumberAsync("s", "b", ["z"], None));
        Assert.Equal([5u, 5], await numbers.NumberAsync("s", "a", ["same", "same"], None));
    }

    [Fact]
    public async Task A_decision_holds_where_it_was_made_and_the_last_word_stands()
    {
        var decisions = new Decisions(Stored, _journal, TimeProvider.System);
        var plan = new Plan(
            [],
            [new Route("r", "a", "b", [], new MailRules(null, null), Doubles.Pair)],
            [new Batch("crew", "r", "crew.csv", [], null)]
        );
        await using (var db = Stored.Read())
        {
            var aoife = await db.Moves.SingleAsync(m => m.Name == "aoife");
            await decisions.DecideAsync(
                plan,
                "crew",
                DecisionScope.Batch,
                [],
                FindingCode.ToNotEmpty,
                Resolution.KeepBoth,
                null,
                "admin",
                None
            );
            await decisions.DecideAsync(
                plan,
                "crew",
                DecisionScope.Move,
                [aoife.Id],
                FindingCode.ToNotEmpty,
                Resolution.Under,
                "Old",
                "admin",
                None
            );
            await decisions.DecideAsync(
                plan,
                "crew",
                DecisionScope.Move,
                [aoife.Id],
                FindingCode.ToNotEmpty,
                Resolution.Under,
                "Older",
                "admin",
                None
            );
        }
        Assert.Equal([("Older", Doubles.Pair), (null, Doubles.KeepBoth)], await RulesAsync());
        await using (var db = Stored.Read())
            await decisions.DecideAsync(
                plan,
                "crew",
                DecisionScope.Move,
                [.. db.Moves.Select(m => m.Id)],
                FindingCode.ToNotEmpty,
                null,
                null,
                "admin",
                None
            );
        Assert.Equal([(null, Doubles.KeepBoth), (null, Doubles.KeepBoth)], await RulesAsync());
        await using var read = Stored.Read();
        Assert.Equal(5, await read.Journal.CountAsync());

        async Task<List<(string?, Doubles)>> RulesAsync()
        {
            await using var db = Stored.Read();
            var of = await Decisions.RulesAsync(db, plan, "crew", None);
            return [.. (await db.Moves.OrderBy(m => m.Name).ToListAsync()).Select(of).Select(r => (r.Under?.ToString(), r.Doubles))];
        }
    }

    [Fact]
    public async Task A_token_that_took_the_place_of_a_rosters_is_used_until_the_roster_changes()
    {
        var consents = new Consents(Stored, _journal, new Plain(), TimeProvider.System);
        Assert.Equal("first", await consents.CurrentAsync("s", "a", "first", None));
        await consents.RotateAsync("s", "a", "first", "second", None);
        await consents.RotateAsync("s", "a", "second", "third", None);
        Assert.Equal("third", await consents.CurrentAsync("s", "a", "first", None));
        Assert.Equal("from a new roster", await consents.CurrentAsync("s", "a", "from a new roster", None));
        Assert.Null(await consents.FindAsync("s", "a", None));
        Assert.Empty(await consents.GiveAsync("s", "a", "given", "mail", "admin", _ => null, None));
        await consents.RotateAsync("s", "a", "given", "given later", None);
        Assert.Equal("given later", await consents.FindAsync("s", "a", None));
        await using var db = Stored.Read();
        Assert.DoesNotContain(await db.Journal.Select(j => j.Text).ToListAsync(), t => t.Contains("given later", StringComparison.Ordinal));
    }

    private sealed class Plain : ISecrets
    {
        public string Seal(string secret) => $"sealed:{secret}";

        public string Open(string sealedSecret) => sealedSecret["sealed:".Length..];
    }
}

using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Formats.Sieve;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Core.Tests.Memory;
using Microsoft.Extensions.Time.Testing;
using NodaTime;

namespace EasyCaravan.Core.Tests;

public sealed class SurveyTests
{
    private static readonly DateTimeOffset Today = new(2027, 2, 12, 9, 0, 0, TimeSpan.Zero);
    private static readonly Service Somewhere = new(
        "lanternpost",
        new MailConnection(MailProtocol.Imap, "h", 993, Security.Tls),
        new SignIn.Password(null),
        new Trust.System(),
        Limits.Default
    )
    {
        Rules = new RulesConnection("h", 4190, Security.StartTls),
    };

    private readonly MemoryMail _from = new();
    private readonly MemoryMail _to = new();
    private CarryRules _rules = new([], new MailRules(null, null), Doubles.Pair);
    private Service _toService = Somewhere with { Name = "northquay" };

    private static byte[] Octets(int size, string subject = "Tide table") =>
        Encoding.ASCII.GetBytes($"Subject: {subject}\r\n\r\n".PadRight(size, 'x'));

    private async Task<Inventory> TakeAsync() =>
        await new Survey(
            new Accounts(this),
            new SurveyOrder(
                new SurveySide(Somewhere, new Credentials("from", "from", "s"), null),
                new SurveySide(_toService, new Credentials("to", "to", "s"), null),
                _rules,
                (_, _) => Task.FromResult(SieveFacts.None)
            ),
            new Tally(),
            new FakeTimeProvider(Today)
        ).TakeAsync(CancellationToken.None);

    private async Task<List<string>> CodesAsync() =>
        [.. Findings.Of(await TakeAsync(), _rules, Somewhere, _toService).Select(f => KebabWord.Of(f.Code))];

    [Fact]
    public async Task An_ordinary_account_gives_no_finding_and_a_true_inventory()
    {
        _from.Folder("INBOX").Add(Octets(500), FlagSet.Parse("\\Seen"), Today.AddDays(-3));
        _from
            .Folder("Work")
            .Add(Octets(2_000_000, "Deck plans"), FlagSet.Parse("$Ropes"), new DateTimeOffset(2019, 5, 1, 0, 0, 0, TimeSpan.Zero));
        var inventory = await TakeAsync();
        Assert.Equal((2, 2_000_500, 2), (inventory.From!.Messages, inventory.From.Octets.Count, inventory.From.Folders.Length));
        Assert.Equal(("Work", "Deck plans"), (inventory.From.Largest[0].Folder, inventory.From.Largest[0].Subject));
        Assert.Equal(["$Ropes"], inventory.From.Folders.Single(f => f.Path == "Work").Keywords);
        Assert.Empty(Findings.Of(inventory, _rules, Somewhere, _toService));
    }

    [Fact]
    public async Task Everything_that_will_not_fit_is_found_and_nothing_else()
    {
        _from.Folder("INBOX").Add(Octets(4_000_000), FlagSet.Parse("$Ropes"), Today.AddDays(30));
        _from.Folder("Outbox").Add(Octets(10), FlagSet.Empty, Today.AddYears(-2));
        _from.Folder("a:b");
        _from.Folder("a_b");
        _from.Folder("a/b/c/d");
        _from.Folder("Minutes of the meetings");
        _to.Folder("INBOX").Add(Octets(10), FlagSet.Empty, Today);
        (_to.Room, _to.KeepsKeywords) = (new Room(new(3_000_000), new(0), null, 0), false);
        _toService = _toService with
        {
            Names = new FolderNames(["Outbox"], ":", 3, 20, false),
            Trust = new Trust.Anyone(),
            Limits = Limits.Default with { LargestMessage = new(5_000_000) },
        };
        Assert.Equal(
            [
                "weak-tls",
                "future-mail",
                "unused",
                "to-not-empty",
                "reserved-name",
                "illegal-name",
                "too-deep",
                "long-name",
                "name-clash",
                "keywords-lost",
                "no-room",
            ],
            await CodesAsync()
        );
        _toService = _toService with { Limits = Limits.Default with { LargestMessage = new(3_000_000) } };
        var codes = await CodesAsync();
        Assert.Contains("message-too-large", codes);
        // What does not arrive needs no room.
        Assert.DoesNotContain("no-room", codes);
    }

    [Fact]
    public async Task Of_views_only_what_the_other_folders_cannot_account_for_counts_as_to_be_carried()
    {
        foreach (
            var (folder, use, count) in new[]
            {
                ("INBOX", SpecialUse.None, 3),
                ("All", SpecialUse.All, 5),
                ("Starred", SpecialUse.Flagged, 2),
                ("Bin", SpecialUse.Trash, 4),
            }
        )
        {
            _from.Uses[FolderPath.Parse(folder)] = use;
            for (var i = 0; i < count; i++)
                _from.Folder(folder).Add(Octets(100), FlagSet.Empty, Today);
        }
        _rules = _rules with { Folders = [new FolderRule(1, new FolderMatch.Glob("Bin"), new FolderOutcome.Leave())] };
        var inventory = await TakeAsync();
        var carry = CarryVolumes.Of(inventory.From!, inventory.MapFor(_rules, FolderNames.Any)!, _rules.Mail);
        Assert.Equal(
            [("All", 2L, 200L), ("Bin", 0L, 0L), ("INBOX", 3L, 300L), ("Starred", 0L, 0L)],
            carry.OrderBy(c => c.Key, StringComparer.Ordinal).Select(c => (c.Key, c.Value.Messages, c.Value.Octets.Count))
        );
    }

    [Fact]
    public async Task A_closed_door_is_a_finding_and_the_other_side_is_looked_at_all_the_same()
    {
        _to.Folder("Here");
        var order = new SurveyOrder(
            new SurveySide(Somewhere, null, new Fault(Cause.AppPasswordNeeded, "from", "refused")),
            new SurveySide(_toService, new Credentials("to", "to", "s"), null),
            _rules,
            null
        );
        var inventory = await new Survey(new Accounts(this), order, new Tally(), TimeProvider.System).TakeAsync(CancellationToken.None);
        var finding = Assert.Single(Findings.Of(inventory, _rules, Somewhere, _toService));
        Assert.Equal((FindingCode.CannotGetIn, Weight.Blocks), (finding.Code, finding.Weight));
        Assert.Contains("app password", finding.Remedy, StringComparison.Ordinal);
        Assert.NotNull(inventory.To);
        Assert.Null(inventory.MapFor(_rules, FolderNames.Any));
    }

    [Fact]
    public async Task A_choice_changes_what_lands_and_the_narrower_word_counts()
    {
        _from.Folder("Outbox");
        _from.Folder("Bin").Add(Octets(100), FlagSet.Empty, Today);
        _from.Uses[FolderPath.Parse("Bin")] = SpecialUse.Trash;
        _toService = _toService with { Names = FolderNames.Any with { Reserved = ["Outbox"] } };
        var inventory = await TakeAsync();
        var route = new Route("r", "a", "b", [], new MailRules(null, null), Doubles.Pair);
        Decision[] decisions =
        [
            new(DecisionScope.Move, FindingCode.ReservedName, Resolution.LeaveBehind, null),
            new(DecisionScope.Route, FindingCode.ReservedName, Resolution.Suffix, " 1"),
            new(DecisionScope.Batch, FindingCode.TidyTrash, Resolution.LeaveTrash, null),
            new(DecisionScope.Batch, FindingCode.TidyOld, Resolution.Since, "2020-01-01"),
            new(DecisionScope.Batch, FindingCode.ToNotEmpty, Resolution.Under, "Old mail"),
        ];
        var rules = CarryRules.For(route, "Aoife", "a", null, null, decisions);
        var map = inventory.MapFor(rules, _toService.Names)!;
        // Below a folder of its own the name is no longer reserved, as it does not stand at the top.
        Assert.Equal("Old mail/Outbox", map.Landings.Single(l => l.From.Path.ToString() == "Outbox").To!.ToString());
        Assert.Equal("decided (use trash)", map.Landings.Single(l => l.To is null).Rule);
        Assert.Equal(new LocalDate(2020, 1, 1), rules.Mail.Since);
        Decision[] both =
        [
            new(DecisionScope.Batch, FindingCode.NoRoom, Resolution.Since, "2022-01-01"),
            new(DecisionScope.Batch, FindingCode.TidyOld, Resolution.Since, "2020-01-01"),
        ];
        Assert.Equal(new LocalDate(2022, 1, 1), CarryRules.For(route, "Aoife", "a", null, null, both).Mail.Since);
        var without = CarryRules.For(route, "Aoife", "a", null, null, decisions[..2]);
        Assert.Null(inventory.MapFor(without, _toService.Names)!.Landings.Single(l => l.From.Path.ToString() == "Outbox").To);
    }

    [Fact]
    public void Contacts_that_stay_are_unreadable_or_unclear_are_found()
    {
        CollectionInventory Book(string title, CollectionStanding standing, long unreadable, ForecastCounts? forecast) =>
            new(
                $"/{title}/",
                title,
                standing,
                false,
                9,
                new(900),
                null,
                null,
                new(100),
                0,
                0,
                0,
                unreadable,
                System.Collections.Immutable.ImmutableSortedDictionary<string, long>.Empty
            )
            {
                Forecast = forecast,
            };
        var kind = new KindInventory(
            Kind.Contacts,
            [
                Book("Crew", CollectionStanding.Own, 2, new ForecastCounts(4, 0, 0, 3, 2)),
                Book("Family", CollectionStanding.Shared, 0, null),
            ],
            null,
            [],
            null
        );
        var inventory = new Inventory(DateTimeOffset.UnixEpoch, null, null, null, null) { HasMail = false, Kinds = [kind] };
        Assert.Equal(
            [
                (FindingCode.UnreadableItems, "2 contacts in Crew", 2L),
                (FindingCode.SharedStay, "1 address book: Family", 9L),
                (FindingCode.UnclearDoubles, "3 contacts in Crew", 3L),
            ],
            Findings
                .Of(inventory, _rules, _toService, _toService)
                .Where(f => f.Code is not FindingCode.WeakTls)
                .Select(f => (f.Code, f.What, f.Messages))
        );
    }

    [Fact]
    public void Every_finding_says_what_will_happen_and_every_way_out_can_be_applied()
    {
        foreach (var code in Enum.GetValues<FindingCode>())
        {
            var rule = FindingRules.Of(code);
            Assert.NotEmpty(rule.Otherwise);
            Assert.NotEmpty(rule.Ways);
            foreach (var way in rule.Ways)
            {
                var value = way.Value is null ? null : way.Default ?? (way.Way is Resolution.Largest ? "5MB" : "2020-01-01");
                Assert.Null(FindingRules.Check(code, way.Way, value));
                Assert.NotNull(new Decision(DecisionScope.Move, code, way.Way, value).Apply(_rules));
                if (way.Value is not null)
                    Assert.NotNull(FindingRules.Check(code, way.Way, null));
            }
        }
    }

    [Fact]
    public void What_the_cells_say_of_rules_at_their_boundaries_is_what_the_rules_do() =>
        Gen.Select(
                Gen.Select(Gen.Int[2010, 2026], Gen.Int[1, 365], Gen.Int[1, 60_000_000]).List[0, 60],
                Gen.Int[2009, 2027],
                Gen.Int[0, 3].Select(i => new[] { 1_000_000L, 5_000_000L, 7_654_321L, 25_000_000L }[i])
            )
            .Sample(
                (messages, year, largest) =>
                {
                    var rules = new MailRules(new LocalDate(year, 1, 1), new(largest));
                    var builder = new InventoryBuilder(
                        new FolderState(FolderPath.Inbox, SpecialUse.None, true, true, null),
                        Today,
                        [new LocalDate(2015, 6, 15)],
                        InventoryBuilder.SizesFor([new(7_654_321)]),
                        3
                    );
                    var items = messages
                        .Select(
                            (m, i) =>
                                new ItemInfo(
                                    (uint)i + 1,
                                    new(m.Item3),
                                    new DateTimeOffset(m.Item1, 1, 1, 12, 0, 0, TimeSpan.FromHours(-8)).AddDays(m.Item2 - 1),
                                    FlagSet.Empty
                                )
                        )
                        .ToList();
                    items.ForEach(builder.Add);
                    var inventory = builder.Build();
                    foreach (
                        var r in new[]
                        {
                            rules,
                            rules with
                            {
                                Largest = null,
                            },
                            rules with
                            {
                                Since = null,
                            },
                            rules with
                            {
                                Since = new LocalDate(2015, 6, 15),
                            },
                        }
                    )
                    {
                        var kept = items.Where(i => r.Excludes(i.Received, i.Size) is null).ToList();
                        Assert.Equal((kept.Count, kept.Sum(k => k.Size)), inventory.Under(r));
                    }
                    Assert.Equal(items.OrderByDescending(i => i.Size).Take(3).Select(i => i.Size), builder.Largest.Select(i => i.Size));
                }
            );

    [Fact]
    public void People_look_alike_by_name_or_mailbox_and_nobody_else_does()
    {
        var alike = LookAlikes.Find([
            (1, "Aoife Marsh", "aoife@saltmarsh.example"),
            (2, "MARSH, Aoife", "marsh@saltmarsh.example"),
            (3, "Rory Dunmore", "rory@saltmarsh.example"),
            (4, "R. Dunmore", "rory+old@ferries.example"),
            (5, "Una Bracken", "una@saltmarsh.example"),
        ]);
        Assert.Equal([1, 2, 3, 4], alike.Keys.Order());
        Assert.Equal(["rory+old@ferries.example"], alike[3]);
    }

    [Fact]
    public async Task Tidying_tells_what_each_way_would_save_and_nothing_where_it_would_save_nothing()
    {
        _from.Folder("Bin").Add(Octets(100), FlagSet.Empty, Today);
        _from.Uses[FolderPath.Parse("Bin")] = SpecialUse.Trash;
        _from.Folder("INBOX").Add(Octets(300), FlagSet.Empty, new DateTimeOffset(2016, 1, 1, 0, 0, 0, TimeSpan.Zero));
        var inventory = await TakeAsync();
        var savings = Tidying.SavingsOf(inventory.From!, _rules, inventory.MapFor(_rules, FolderNames.Any)!, 2027);
        Assert.Equal(
            [
                (FindingCode.TidyTrash, null, 100L),
                (FindingCode.TidyOld, "2025-01-01", 300),
                (FindingCode.TidyOld, "2022-01-01", 300),
                (FindingCode.TidyOld, "2017-01-01", 300),
            ],
            savings.Select(s => (s.Code, s.Value, s.Octets.Count))
        );
    }

    [Fact]
    public void An_estimate_is_a_range_and_names_what_holds_it_back()
    {
        var even = Enumerable.Range(0, 100).Select(i => new CarryVolume($"{i}", $"{i}", 1000, new(10_000_000), 5)).ToList();
        (string, int)[] connections = [("lanternpost", 4), ("northquay", 16)];
        var estimate = BatchEstimate.Make(even, Rates.Assumed, connections, 2, 8);
        Assert.Equal((HeldBackBy.Connections, 4), (estimate.HeldBackBy, estimate.AtOnce));
        Assert.True(estimate.Shortest < estimate.Longest);
        Assert.Equal(
            HeldBackBy.Workers,
            BatchEstimate.Make(even, Rates.Assumed, [("lanternpost", 40), ("northquay", 16)], 2, 8).HeldBackBy
        );
        var heavy = BatchEstimate.Make(
            [.. even, new CarryVolume("big", "Imogen Vale", 1_000_000, new(90_000_000_000), 40)],
            Rates.Assumed,
            connections,
            2,
            8
        );
        Assert.Equal(HeldBackBy.OneMailbox, heavy.HeldBackBy);
        Assert.Contains("Imogen Vale", heavy.Detail, StringComparison.Ordinal);
        Assert.Equal(HeldBackBy.Nothing, BatchEstimate.Make([], Rates.Assumed, connections, 2, 8).HeldBackBy);
        var measured = Rates.Measure([
            (1000, new(10_000_000), 10),
            (1000, new(10_000_000), 12),
            (1000, new(10_000_000), 14),
            (3, new(5), 1),
        ]);
        Assert.Equal(3, measured.Measured);
        Assert.True(BatchEstimate.Make(even, measured, connections, 2, 8).Longest < estimate.Longest);
    }

    private sealed class Accounts(SurveyTests world) : IMailAccounts
    {
        public Task<IMailAccount> OpenAsync(Service service, Credentials credentials, CancellationToken cancel) =>
            Task.FromResult<IMailAccount>(new MemoryAccount(credentials.Account == "from" ? world._from : world._to));

        public async Task<IMailAccount?> TryOpenAsync(Service service, Credentials credentials, CancellationToken cancel) =>
            await OpenAsync(service, credentials, cancel);
    }
}

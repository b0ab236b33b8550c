using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Surveying;
using EasyCaravan.Core.Tests.Memory;
using NodaTime;

namespace EasyCaravan.Core.Tests;

/// <summary>The contacts and calendars leg, pass after pass, between two services in memory.</summary>
public sealed class CollectionLegTests : ICollectionAccounts
{
    private static readonly Service s_service = new("from", null, new SignIn.Password(null), new Trust.System(), Limits.Default);

    private MemoryCollections _from = new("/old/");
    private MemoryCollections _to = new("/new/");
    private MemoryLedger _ledger = new();
    private MemoryCollectionLedger _kept = new();
    private readonly List<string> _journal = [];
    private CollectionRules _rules = CollectionRules.Default;
    private Deletions _deletions = Deletions.Keep;
    private Kind _kind = Kind.Contacts;

    public Task<ICollectionAccount> OpenAsync(Service service, Kind kind, Credentials credentials, CancellationToken cancel) =>
        Task.FromResult<ICollectionAccount>(new MemoryCollectionAccount(service.Name == "to" ? _to : _from, kind));

    private Tally Run()
    {
        var tally = new Tally(_kind);
        var order = new CollectionLegOrder(
            _kind,
            new Side(s_service, new Credentials("a@saltmarsh.example", "a", "s")),
            new Side(s_service with { Name = "to" }, new Credentials("a@saltmarsh.example", "a", "s")),
            _rules,
            _deletions,
            Lanes: 2
        )
        {
            Today = new LocalDate(2026, 11, 28),
        };
        new CollectionLeg(this, _ledger, _kept, order, tally, _journal.Add).RunAsync(CancellationToken.None).GetAwaiter().GetResult();
        return tally;
    }

    [Fact]
    public void Contacts_are_carried_once_and_an_unchanged_pass_asks_for_the_lists_alone()
    {
        var book = _from.Make("Crew");
        for (var i = 0; i < 120; i++)
            book.Put($"{i}.vcf", Card(i));
        Assert.Equal((120L, 0L), (Run().Carried, _ledger.LeftBehind.Count));
        Assert.Equal(book.Items.Count, _to.All.Single().Items.Count);
        Assert.All(book.Items, i => Assert.Equal(i.Value.Octets, _to.All[0].Items[_to.All[0].Href.Item(i.Key.Name)].Octets));
        _from.Calls.Clear();
        _to.Calls.Clear();
        Assert.Equal(0, Run().Settled);
        Assert.Equal(["list"], _from.Calls);
        Assert.Equal(["list"], _to.Calls);
    }

    [Fact]
    public void What_the_new_side_loses_is_seen_for_every_item_and_both_forms_are_kept()
    {
        var book = _from.Make("Crew");
        book.Put("a.vcf", Card(1, "NOTE:kept\r\nX-BERTH:12"));
        book.Put("b.vcf", Card(2));
        _to.Stores = octets =>
            Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(octets).Replace("X-BERTH:12\r\n", "", StringComparison.Ordinal));
        Run();
        var left = Assert.Single(_ledger.LeftBehind.Values);
        Assert.Equal((Cause.ArrivedDamaged, "X-BERTH is lost ('12')", "Sailor 1"), (left.Fault.Cause, left.Fault.What, left.Subject));
        var forms = Assert.Single(_kept.Forms.Values);
        Assert.Contains("X-BERTH", Encoding.UTF8.GetString(forms.Before.Span), StringComparison.Ordinal);
        Assert.DoesNotContain("X-BERTH", Encoding.UTF8.GetString(forms.After!.Value.Span), StringComparison.Ordinal);
    }

    [Fact]
    public void Edits_go_over_and_what_was_edited_on_both_sides_is_overwritten_by_nobody()
    {
        var book = _from.Make("Crew");
        for (var i = 0; i < 3; i++)
            book.Put($"{i}.vcf", Card(i));
        Run();
        var there = _to.All.Single();
        book.Put("0.vcf", Card(0, "NOTE:new"));
        book.Put("1.vcf", Card(1, "NOTE:one way"));
        there.Put("1.vcf", Card(1, "NOTE:another way"));
        // Its owner wrote the same again: only its tag is another.
        there.Put("0.vcf", there.Text("0.vcf"));
        Assert.Equal((1L, 1L), (Run().Updated, _ledger.LeftBehind.Count));
        Assert.Contains("NOTE:new", there.Text("0.vcf"), StringComparison.Ordinal);
        Assert.Contains("another way", there.Text("1.vcf"), StringComparison.Ordinal);
        Assert.Equal(Cause.EditedOnBothSides, _ledger.LeftBehind.Values.Single().Fault.Cause);
    }

    [Theory]
    [InlineData(VersionChoice.Old)]
    [InlineData(VersionChoice.New)]
    [InlineData(VersionChoice.Both)]
    public void Of_two_versions_the_one_that_was_chosen_stays_and_later_edits_go_there(VersionChoice choice)
    {
        var book = _from.Make("Crew");
        book.Put("1.vcf", Card(1));
        Run();
        var there = _to.All.Single();
        book.Put("1.vcf", Card(1, "NOTE:one way"));
        there.Put("1.vcf", Card(1, "NOTE:another way"));
        Run();
        _kept.Choices[_ledger.LeftBehind.Keys.Single().Number] = choice;
        CarryAgain(_ledger.LeftBehind.Keys.Single());
        Run();
        _kept.Choices.Clear();
        Assert.Empty(_ledger.LeftBehind);
        string[] Notes() =>
            [
                .. there
                    .Items.Values.SelectMany(i => Encoding.UTF8.GetString(i.Octets).Split("\r\n"))
                    .Where(l => l.StartsWith("NOTE"))
                    .Order(),
            ];
        Assert.Equal(
            choice switch
            {
                VersionChoice.Old => ["NOTE:one way"],
                VersionChoice.New => ["NOTE:another way"],
                _ => ["NOTE:another way", "NOTE:one way"],
            },
            Notes()
        );
        var uids = there.Items.Values.Select(i => Encoding.UTF8.GetString(i.Octets).Split("UID:")[1].Split('\r')[0]).ToList();
        Assert.Equal(choice is VersionChoice.Both ? ["u1", "u1-old-side"] : ["u1"], uids.Order());
        Assert.Equal((0L, true), (Run().Settled, Total.Closes));
        book.Put("1.vcf", Card(1, "NOTE:later"));
        Assert.Equal(1, Run().Updated);
        Assert.Equal(choice is VersionChoice.Both ? ["NOTE:another way", "NOTE:later"] : ["NOTE:later"], Notes());
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void What_was_deleted_is_deleted_there_only_when_the_rules_say_so_and_nobody_edited_it(bool follow)
    {
        _deletions = follow ? Deletions.Follow : Deletions.Keep;
        var book = _from.Make("Crew");
        for (var i = 0; i < 3; i++)
            book.Put($"{i}.vcf", Card(i));
        Run();
        var there = _to.All.Single();
        there.Put("1.vcf", Card(1, "NOTE:mine"));
        book.Remove(book.Href.Item("0.vcf"));
        book.Remove(book.Href.Item("1.vcf"));
        Run();
        Assert.Equal(follow ? ["1.vcf", "2.vcf"] : ["0.vcf", "1.vcf", "2.vcf"], there.Items.Keys.Select(k => k.Name).Order());
        Assert.Equal((1L, 2L), (Total.Found, Total.Gone));
    }

    [Fact]
    public void What_is_there_already_by_its_UID_is_paired_or_named_as_different()
    {
        var book = _from.Make("Crew");
        book.Put("a.vcf", Card(1));
        book.Put("b.vcf", Card(2, "NOTE:only on the old side"));
        book.Put("c.vcf", Card(3));
        var there = _to.Make("Crew");
        there.Put("other-name.vcf", Card(1, "NOTE:more on the new side"));
        there.Put("x.vcf", Card(2));
        there.Put("c.vcf", Card(99));
        var tally = Run();
        Assert.Equal((1L, 1L, 1L), (tally.Paired, tally.Carried, tally.LeftBehind));
        Assert.Contains("NOTE is not there ('only", _ledger.LeftBehind.Values.Single().Fault.What, StringComparison.Ordinal);
        // Somebody else's item of the same name stays, and ours stands beside it.
        Assert.Equal(["c-2.vcf", "c.vcf", "other-name.vcf", "x.vcf"], there.Items.Keys.Select(k => k.Name).Order(StringComparer.Ordinal));
    }

    [Theory]
    [InlineData(ItemDoubles.Pair)]
    [InlineData(ItemDoubles.Merge)]
    [InlineData(ItemDoubles.KeepBoth)]
    public void A_contact_that_is_there_under_another_UID_is_paired_merged_or_kept_twice(ItemDoubles doubles)
    {
        _rules = _rules with { Doubles = doubles };
        var book = _from.Make("Crew");
        book.Put("a.vcf", Person("old", "Aoife Marsh", "EMAIL:aoife@saltmarsh.example", "TEL:+353 1 555 0100", "NOTE:likes herring"));
        book.Put("b.vcf", Person("old-b", "Bram Tolland", "EMAIL:bram@saltmarsh.example"));
        book.Put("c.vcf", Person("old-c", "Clodagh Weir", "EMAIL:clodagh@saltmarsh.example", "ORG:Saltmarsh Ferries"));
        var there = _to.Make("Crew");
        there.Put("x.vcf", Person("new", "Aoife Marsh", "EMAIL:Aoife@saltmarsh.example", "TEL;TYPE=CELL:+35315550100", "BDAY:1990-01-01"));
        there.Put("y.vcf", Person("new-b", "Bram Tolland", "EMAIL:bram@saltmarsh.example", "NOTE:theirs"));
        there.Put("z.vcf", Person("new-c", "Clodagh Weir", "EMAIL:clodagh@saltmarsh.example", "ORG:Elsewhere"));
        var tally = Run();
        Assert.True(Total.Closes);
        if (doubles is ItemDoubles.KeepBoth)
        {
            Assert.Equal((3L, 6), (tally.Carried, there.Items.Count));
            return;
        }
        Assert.Equal(3, there.Items.Count);
        Assert.Equal(doubles is ItemDoubles.Merge ? (2L, 1L) : (1, 2), (tally.Paired, tally.LeftBehind));
        Assert.Equal(doubles is ItemDoubles.Merge, there.Text("x.vcf").Contains("NOTE:likes herring", StringComparison.Ordinal));
        Assert.Contains("BDAY:1990-01-01\r\n", there.Text("x.vcf"), StringComparison.Ordinal);
        Assert.Contains("UID:new\r\n", there.Text("x.vcf"), StringComparison.Ordinal);
        Assert.Contains("ORG:Elsewhere", there.Text("z.vcf"), StringComparison.Ordinal);
        Assert.Contains(_ledger.LeftBehind.Values, l =>
            l.Fault.What.EndsWith("ORG is not there ('Saltmarsh Ferries')", StringComparison.Ordinal)
        );

        // What is added on the old side later is added there; what was there stays.
        book.Put("b.vcf", Person("old-b", "Bram Tolland", "EMAIL:bram@saltmarsh.example", "TEL:+353 1 555 0199"));
        Run();
        Assert.Contains("NOTE:theirs\r\nTEL:+353 1 555 0199\r\nEND:VCARD", there.Text("y.vcf"), StringComparison.Ordinal);
        Assert.Equal((0L, 3), (Run().Settled, there.Items.Count));
    }

    [Fact]
    public void A_refused_item_is_shaped_only_as_the_route_allows_and_its_origin_is_remembered()
    {
        var book = _from.Make("Crew");
        book.Put("a.vcf", "BEGIN:VCARD\r\nVERSION:3.0\r\nFN:No identity\r\nN:Identity;No;;;\r\nEND:VCARD\r\n");
        _to.Refuses = octets =>
            Encoding.UTF8.GetString(octets).Contains("UID:", StringComparison.Ordinal)
                ? null
                : new Fault(Cause.ItemRefused, "a", "the new side refuses it (403 valid-address-data)");
        Run();
        Assert.Equal("the new side refuses it (403 valid-address-data)", _ledger.LeftBehind.Values.Single().Fault.What);
        _rules = _rules with { Shaping = ItemShapings.MissingUid | ItemShapings.MissingName };
        Reset();
        Assert.Equal(1, Run().Carried);
        Assert.Equal(ItemShapings.MissingUid, _kept.Items.Single().Shapings);
        var text = _to.All.Single().Text("a.vcf");
        Assert.Matches("^BEGIN:VCARD\r\nVERSION:3.0\r\nUID:[0-9a-f-]{36}\r\nFN:No identity\r\nN:Identity;No;;;\r\nEND:VCARD\r\n$", text);
        // It was not edited because it was shaped.
        Assert.Equal((0L, 0L), (Run().Updated, Run().Settled));
    }

    [Fact]
    public void An_old_card_is_written_in_a_later_version_and_says_the_same()
    {
        _rules = _rules with { Shaping = ItemShapings.VcardVersion };
        var book = _from.Make("Crew");
        book.Put(
            "a.vcf",
            "BEGIN:VCARD\r\nVERSION:2.1\r\nUID:a\r\nN;CHARSET=ISO-8859-1;ENCODING=QUOTED-PRINTABLE:Br=FCckner;Zo=EB\r\nFN:Zoe\r\n"
                + "TEL;CELL;HOME:+353 1\r\nNOTE;ENCODING=QUOTED-PRINTABLE:one=0D=0A=\r\ntwo, three\r\nPHOTO;BASE64:\r\n AAAA\r\n BBBB\r\n"
                + "END:VCARD\r\n"
        );
        _to.Refuses = octets =>
            Encoding.UTF8.GetString(octets).Contains("VERSION:3.0", StringComparison.Ordinal)
                ? null
                : new Fault(Cause.ItemRefused, "a", "the new side refuses it (403 supported-address-data)");
        Assert.Equal(1, Run().Carried);
        Assert.Equal(
            "BEGIN:VCARD\r\nVERSION:3.0\r\nUID:a\r\nN:Brückner;Zoë\r\nFN:Zoe\r\nTEL;TYPE=CELL,HOME:+353 1\r\nNOTE:one\\ntwo\\, three\r\n"
                + "PHOTO;ENCODING=b:AAAABBBB\r\nEND:VCARD\r\n",
            _to.All.Single().Text("a.vcf")
        );
        Assert.Equal(ItemShapings.VcardVersion, _kept.Items.Single().Shapings);
    }

    [Theory]
    [InlineData("DTSTART:20270212T100000Z", "DTSTART:20270212T100000Z\r\nDURATION:PT1M")]
    [InlineData("DTSTART;VALUE=DATE:20270212", "DTSTART;VALUE=DATE:20270212\r\nDURATION:P1D")]
    [InlineData("DTSTART:20270212T100000Z\r\nDTEND:20270212T100000Z", "DTSTART:20270212T100000Z\r\nDURATION:PT1M")]
    [InlineData("DTSTART:20270212T100000Z\r\nDURATION:PT0S", "DTSTART:20270212T100000Z\r\nDURATION:PT1M")]
    public void An_event_that_takes_no_time_gets_some(string before, string after)
    {
        (_kind, _rules) = (Kind.Calendars, _rules with { Shaping = ItemShapings.NoDuration });
        string Of(string times) => $"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:a\r\n{times}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
        _from.Make("Crew").Put("a.ics", Of(before));
        _to.Refuses = octets => Encoding.UTF8.GetString(octets) == Of(after) ? null : new Fault(Cause.ItemRefused, "a", "it refuses it");
        Assert.Equal(1, Run().Carried);
    }

    [Fact]
    public void An_invitation_is_silenced_or_held_back_and_the_switch_is_given_back()
    {
        _kind = Kind.Calendars;
        var calendar = _from.Make("Work");
        calendar.Put("own.ics", Event("own", "a@saltmarsh.example", "20991212"));
        calendar.Put("past.ics", Event("past", "a@saltmarsh.example", "20201212"));
        calendar.Put("others.ics", Event("others", "b@saltmarsh.example", "20991212"));
        _to.Traits = new CollectionAccountTraits(["mailto:a@saltmarsh.example"], Schedules: true);
        Run();
        Assert.Equal(["scheduling off", "scheduling on"], _to.Calls.Where(c => c.StartsWith("scheduling", StringComparison.Ordinal)));
        Assert.Equal(calendar.Text("own.ics"), _to.All.Single().Text("own.ics"));

        _to.HasSwitch = false;
        Reset();
        Run();
        Assert.Contains("ATTENDEE;SCHEDULE-AGENT=NONE;RSVP=TRUE:mailto:guest@", _to.All[0].Text("own.ics"), StringComparison.Ordinal);
        Assert.Equal(calendar.Text("past.ics"), _to.All[0].Text("past.ics"));
        Assert.Equal(calendar.Text("others.ics"), _to.All[0].Text("others.ics"));

        _rules = _rules with { Shaping = ItemShapings.None };
        Reset();
        Run();
        Assert.Equal((Cause.WouldInvite, 2), (_ledger.LeftBehind.Values.Single().Fault.Cause, _to.All[0].Items.Count));
    }

    [Fact]
    public void Old_events_are_left_out_and_a_series_that_goes_on_is_not()
    {
        _kind = Kind.Calendars;
        _rules = _rules with { Since = new LocalDate(2024, 1, 1) };
        var calendar = _from.Make("Work");
        calendar.Put("old.ics", Event("old", "b@saltmarsh.example", "20201212"));
        calendar.Put("new.ics", Event("new", "b@saltmarsh.example", "20251212"));
        var series = Event("series", "b@saltmarsh.example", "20201212")
            .Replace("SUMMARY", "RRULE:FREQ=DAILY\r\nSUMMARY", StringComparison.Ordinal);
        calendar.Put("series.ics", series);
        Run();
        Assert.Equal((2L, 1L), (Total.Carried, Total.Excluded));
    }

    [Fact]
    public void What_somebody_deleted_on_the_new_side_is_missing_until_it_is_back()
    {
        var book = _from.Make("Crew");
        book.Put("a.vcf", Card(1));
        book.Put("b.vcf", Card(2));
        Run();
        var there = _to.All.Single();
        var octets = there.Items[there.Href.Item("a.vcf")].Octets;
        there.Remove(there.Href.Item("a.vcf"));
        Run();
        Assert.Equal(DifferenceKind.Missing, Assert.Single(_ledger.Differences).Difference.Kind);
        there.Put(there.Href.Item("a.vcf"), octets);
        Run();
        Assert.Empty(_ledger.Differences);

        // Or somebody wants it to be carried again.
        there.Remove(there.Href.Item("b.vcf"));
        Run();
        CarryAgain(Assert.Single(_ledger.Differences).Difference);
        Run();
        Assert.Equal(book.Text("b.vcf"), there.Text("b.vcf"));
        Assert.Empty(_ledger.Differences);
        Assert.True(Total.Closes);
    }

    /// <summary>
    /// People edit on both sides between passes that break at any call, before it is done or after. In the end everything is there once, or
    /// is named.
    /// </summary>
    [Fact]
    public void However_passes_break_everything_arrives_once_or_is_named() =>
        Gen.Select(Gen.Int[0, 1_000_000], Gen.Bool, Gen.Bool)
            .Sample(
                (seed, answersAreLost, forgetsTokens) =>
                {
                    (_from, _to, _ledger, _kept) = (new("/old/"), new("/new/"), new(), new());
                    var chance = new Random(seed);
                    (_to.AnswersAreLost, _from.ForgetsTokens, _to.ForgetsTokens) = (answersAreLost, forgetsTokens, forgetsTokens);
                    MemoryCollection[] books = [_from.Make("Crew"), _from.Make("Family")];
                    var next = 0;
                    for (var round = 0; round < 4; round++)
                    {
                        foreach (var book in books)
                        {
                            for (var i = chance.Next(6); i > 0; i--)
                                book.Put($"{next}.vcf", Card(next++));
                            foreach (var item in book.Items.Keys.Where(_ => chance.Next(5) == 0).ToList())
                                book.Put(item, Encoding.UTF8.GetBytes(Card(int.Parse(item.Name[..^4], null), $"NOTE:{chance.Next(1000)}")));
                        }
                        foreach (var book in _to.All)
                        foreach (var item in book.Items.Keys.Where(_ => chance.Next(10) == 0).ToList())
                            book.Put(
                                item,
                                Encoding.UTF8.GetBytes(Card(int.Parse(item.Name[..^4], null), $"NOTE:theirs {chance.Next(1000)}"))
                            );
                        (chance.Next(2) == 0 ? _from : _to).BreaksAt = chance.Next(30);
                        try
                        {
                            Run();
                        }
                        catch (FaultException)
                        {
                            // The next pass goes on from there.
                        }
                        (_from.BreaksAt, _to.BreaksAt) = (null, null);
                    }
                    Run();
                    var named = _ledger.LeftBehind.Values.Select(l => l.Subject).ToHashSet();
                    foreach (var book in books)
                    {
                        var there = _to.All.Where(c => c.Name == book.Name).SelectMany(c => c.Items).ToList();
                        Assert.Equal(book.Items.Keys.Select(k => k.Name).Order(), there.Select(i => i.Key.Name).Order());
                        foreach (var (item, (octets, _)) in book.Items)
                        {
                            var same = there.Single(t => t.Key.Name == item.Name).Value.Octets;
                            var isTheirs = Encoding.UTF8.GetString(same).Contains("theirs", StringComparison.Ordinal);
                            Assert.True(octets.SequenceEqual(same) || isTheirs || named.Contains($"Sailor {item.Name[..^4]}"));
                        }
                    }
                    Assert.True(Total.Closes);
                    Assert.Equal(books.Sum(b => b.Items.Count), Total.Found);
                },
                iter: 300,
                threads: 1
            );

    /// <summary>
    /// The same for contacts that are there already under other UIDs: each gets what it lacks, once, and keeps what it has.
    /// </summary>
    [Fact]
    public void However_passes_break_a_contact_that_is_there_gets_what_it_lacks_once() =>
        Gen.Select(Gen.Int[0, 1_000_000], Gen.Bool)
            .Sample(
                (seed, answersAreLost) =>
                {
                    (_from, _to, _ledger, _kept) = (new("/old/"), new("/new/"), new(), new());
                    var chance = new Random(seed);
                    _to.AnswersAreLost = answersAreLost;
                    _rules = _rules with { Doubles = ItemDoubles.Merge };
                    var (book, there) = (_from.Make("Crew"), _to.Make("Crew"));
                    for (var i = 0; i < 8; i++)
                    {
                        book.Put($"{i}.vcf", Person($"u{i}", $"Sailor {i}", $"EMAIL:{i}@saltmarsh.example", $"TEL:+353 1 555 01{i:00}"));
                        there.Put($"x{i}.vcf", Person($"x{i}", $"Sailor {i}", $"EMAIL:{i}@saltmarsh.example", "NOTE:theirs"));
                    }
                    for (var round = 0; round < 6; round++)
                    {
                        _to.BreaksAt = chance.Next(40);
                        try
                        {
                            Run();
                        }
                        catch (FaultException)
                        {
                            // The next pass goes on from there.
                        }
                        _to.BreaksAt = null;
                    }
                    Run();
                    Assert.Equal(8, there.Items.Count);
                    for (var i = 0; i < 8; i++)
                        Assert.Equal(
                            Person($"x{i}", $"Sailor {i}", $"EMAIL:{i}@saltmarsh.example", "NOTE:theirs", $"TEL:+353 1 555 01{i:00}"),
                            there.Text($"x{i}.vcf")
                        );
                    Assert.Equal((8L, true), (Total.Paired, Total.Closes));
                },
                iter: 200,
                threads: 1
            );

    [Fact]
    public void Carrying_does_what_the_preview_said() =>
        Gen.Select(Gen.Int[0, 1_000_000], Gen.Enum<ItemDoubles>())
            .Sample(
                (seed, doubles) =>
                {
                    (_from, _to, _ledger, _kept) = (new("/old/"), new("/new/"), new(), new());
                    _rules = CollectionRules.Default with { Doubles = doubles };
                    var chance = new Random(seed);
                    var (book, there) = (_from.Make("Crew"), _to.Make("Crew"));
                    string Somebody(string uid) =>
                        Person(
                            chance.Next(4) == 0 ? $"shared-{chance.Next(3)}-{uid[0]}" : uid,
                            $"Sailor {(char)('A' + chance.Next(4))}",
                            [
                                .. new[]
                                {
                                    $"EMAIL:{chance.Next(4)}@saltmarsh.example",
                                    $"TEL:+353 1 555 01{chance.Next(4):00}",
                                    $"ORG:{(chance.Next(2) == 0 ? "Ferries" : "Quay")}",
                                    "NOTE:likes herring",
                                }.Where(_ => chance.Next(2) == 0),
                            ]
                        );
                    for (var i = 0; i < 8; i++)
                    {
                        book.Put($"{i}.vcf", Somebody($"a{i}"));
                        there.Put($"x{i}.vcf", Somebody($"b{i}"));
                    }
                    var survey = Survey();
                    var told = survey.From.Single().Forecast!;
                    var waits = survey.Lines.Count(l => l.Why?.Contains("wait for you", StringComparison.Ordinal) is true);
                    var before = there.Items.ToDictionary(i => i.Key, i => i.Value.Octets);
                    var tally = Run();
                    Assert.Equal(
                        (told.New + told.Unclear - waits, told.Same + told.Merge, (long)waits),
                        (tally.Carried, tally.Paired, tally.LeftBehind)
                    );
                    // What a merge was told of gained something, and nobody else but those that were told to contradict.
                    var changed = before.Count(b => !b.Value.SequenceEqual(there.Items[b.Key].Octets));
                    Assert.InRange(changed, told.Merge, told.Merge + waits);
                },
                iter: 150,
                threads: 1
            );

    private KindInventory Survey()
    {
        var credentials = new Credentials("a@saltmarsh.example", "a", "s");
        var rules = new CarryRules([], new MailRules(null, null), Doubles.Pair) { Contacts = _rules };
        return new CollectionSurvey(this, _kind, rules, new Tally(_kind))
            .TakeAsync(
                new SurveySide(s_service, credentials, null),
                new SurveySide(s_service with { Name = "to" }, credentials, null),
                CancellationToken.None
            )
            .GetAwaiter()
            .GetResult();
    }

    private void CarryAgain(Difference missing) =>
        _ledger.ReopenAsync(missing.Folder, new NumberSet([missing.Number]), CancellationToken.None).GetAwaiter().GetResult();

    private void CarryAgain((long Folder, uint Number) item) =>
        _ledger.ReopenAsync(item.Folder, new NumberSet([item.Number]), CancellationToken.None).GetAwaiter().GetResult();

    private FolderCounts Total =>
        _ledger.FoldersAsync(CancellationToken.None).GetAwaiter().GetResult().Aggregate(FolderCounts.Zero, (sum, p) => sum + p.Counts);

    /// <summary>As if nothing had ever been carried.</summary>
    private void Reset()
    {
        _to.All.Clear();
        _to.Calls.Clear();
        (_ledger, _kept) = (new MemoryLedger(), new MemoryCollectionLedger());
    }

    private static string Card(int i, string more = "") =>
        $"BEGIN:VCARD\r\nVERSION:3.0\r\nUID:u{i}\r\nFN:Sailor {i}\r\nN:Sailor {i};;;;\r\n"
        + $"{(more.Length > 0 ? $"{more}\r\n" : "")}END:VCARD\r\n";

    private static string Person(string uid, string name, params string[] lines) =>
        $"BEGIN:VCARD\r\nVERSION:3.0\r\nUID:{uid}\r\nFN:{name}\r\nN:{string.Join(';', name.Split(' ').Reverse())};;;\r\n"
        + $"{string.Concat(lines.Select(l => $"{l}\r\n"))}END:VCARD\r\n";

    private static string Event(string uid, string organiser, string day) =>
        $"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:{uid}\r\nDTSTART:{day}T100000Z\r\nDTEND:{day}T110000Z\r\n"
        + $"SUMMARY:{uid}\r\nORGANIZER:mailto:{organiser}\r\nATTENDEE;RSVP=TRUE:mailto:guest@lanternpost.example\r\n"
        + "END:VEVENT\r\nEND:VCALENDAR\r\n";
}

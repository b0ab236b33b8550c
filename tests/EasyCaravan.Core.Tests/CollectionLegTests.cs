using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;
using NodaTime;

namespace EasyCaravan.Core.Tests;

/// <summary>The contacts and calendars leg, pass after pass, between two services in memory.</summary>
public sealed class CollectionLegTests : CollectionRoad
{
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
                    RunBroken(chance, 6);
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
}

using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>What is changed about items so that the new side takes them, and only as the route allows.</summary>
public sealed class ItemShapingTests : CollectionRoad
{
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
    public void An_object_of_several_UIDs_is_parted_only_where_it_is_refused_and_each_part_goes_its_own_way()
    {
        (_kind, _rules) = (Kind.Calendars, _rules with { Shaping = ItemShapings.SplitUids });
        var calendar = _from.Make("Work");
        calendar.Put("a.ics", Several("one", "two", "three"));
        Assert.Equal(1, Run().Carried);
        Assert.Equal(calendar.Text("a.ics"), _to.All.Single().Text("a.ics"));

        Reset();
        _to.Refuses = OfSeveralUids;
        Assert.Equal(3, Run().Carried);
        Assert.Equal(3, _to.All.Single().Items.Count);
        Assert.Equal(Several("one"), _to.All.Single().Text("a.ics"));
        Assert.Equal((3L, true), (Total.Found, Total.Closes));
        Assert.Equal(ItemShapings.SplitUids, _kept.Items.Single(i => i.Shapings is not ItemShapings.None).Shapings);
        Assert.Equal((0L, 0L), (Run().Settled, Run().Updated));

        // One of them is edited, one goes, one comes.
        calendar.Put("a.ics", Several("one", "three+", "four"));
        var tally = Run();
        Assert.Equal((1L, 2L), (tally.Carried, tally.Updated));
        Assert.Equal((3L, true), (Total.Found, Total.Closes));
        var there = _to.All.Single().Items.Values.Select(i => Encoding.UTF8.GetString(i.Octets)).Order();
        Assert.Equal(new[] { Several("one"), Several("two"), Several("three+"), Several("four") }.Order(), there);

        _deletions = Deletions.Follow;
        calendar.Remove(calendar.Href.Item("a.ics"));
        Run();
        // Its part "two" went while the rule was to keep it.
        Assert.Equal(Several("two"), Encoding.UTF8.GetString(_to.All.Single().Items.Values.Single().Octets));
        Assert.Equal((0L, true), (Total.Found, Total.Closes));
    }

    [Fact]
    public void A_part_that_is_refused_is_left_behind_by_itself_and_comes_when_it_is_taken()
    {
        (_kind, _rules) = (Kind.Calendars, _rules with { Shaping = ItemShapings.SplitUids });
        _from.Make("Work").Put("a.ics", Several("one", "two"));
        _to.Refuses = octets =>
            OfSeveralUids(octets)
            ?? (Encoding.UTF8.GetString(octets).Contains("UID:two", StringComparison.Ordinal) ? Refused("it refuses it") : null);
        Run();
        Assert.Equal((2L, 1L, true), (Total.Found, Total.Carried, Total.Closes));
        Assert.Equal("two", _ledger.LeftBehind.Values.Single().Subject);
        _to.Refuses = OfSeveralUids;
        CarryAgain(_ledger.LeftBehind.Keys.Single());
        Assert.Equal(1, Run().Carried);
        Assert.Equal((2L, 2L, true), (Total.Found, Total.Carried, Total.Closes));
    }

    /// <summary>Passes break at any call, before it is done or after; what was shaped is known again all the same.</summary>
    [Fact]
    public void However_passes_break_shaped_items_and_parts_arrive_once() =>
        Gen.Select(Gen.Int[0, 1_000_000], Gen.Bool)
            .Sample(
                (seed, answersAreLost) =>
                {
                    _from.All.Clear();
                    Reset();
                    var chance = new Random(seed);
                    (_kind, _rules) = (
                        Kind.Calendars,
                        _rules with
                        {
                            Shaping = ItemShapings.SplitUids | ItemShapings.Method | ItemShapings.MissingUid,
                        }
                    );
                    var (calendar, wanted) = (_from.Make("Work"), new HashSet<string>());
                    for (var i = 0; i < 6; i++)
                    {
                        string[] uids = [.. Enumerable.Range(0, 1 + chance.Next(3)).Select(n => $"{i}-{n}")];
                        wanted.UnionWith(uids);
                        var text = Several(uids);
                        calendar.Put(
                            $"{i}.ics",
                            chance.Next(3) == 0 ? text.Replace("PRODID:x", "PRODID:x\r\nMETHOD:PUBLISH", StringComparison.Ordinal) : text
                        );
                    }
                    var noUid = Several("none").Replace("UID:none\r\n", "", StringComparison.Ordinal);
                    calendar.Put("none.ics", noUid);
                    _to.Refuses = octets =>
                        Encoding.UTF8.GetString(octets) is var text && text.Contains("METHOD", StringComparison.Ordinal) ? Refused("method")
                        : !text.Contains("UID:", StringComparison.Ordinal) ? Refused("no UID")
                        : OfSeveralUids(octets);
                    _to.AnswersAreLost = answersAreLost;
                    RunBroken(chance, 6);
                    Run();
                    Assert.Empty(_ledger.LeftBehind.Values.Select(l => l.Fault.What));
                    Assert.Equal(wanted.Count + 1, _to.All.Single().Items.Count);
                    var there = _to.All.Single().Items.Values.SelectMany(i => Uids(i.Octets)).ToList();
                    Assert.Equal(wanted.Order(), there.Where(wanted.Contains).Order());
                    Assert.Equal((wanted.Count + 1L, true), (Total.Carried, Total.Closes));
                },
                iter: 300,
                threads: 1
            );

    private static Fault? OfSeveralUids(byte[] octets) =>
        Uids(octets).Distinct().Count() > 1 ? Refused("the new side refuses it (403 valid-calendar-object-resource)") : null;

    private static Fault Refused(string why) => new(Cause.ItemRefused, "a", why);

    private static IEnumerable<string> Uids(byte[] octets) =>
        Encoding.UTF8.GetString(octets).Split("\r\n").Where(l => l.StartsWith("UID:", StringComparison.Ordinal)).Select(l => l[4..]);

    /// <param name="uids">One that ends with a plus was edited.</param>
    private static string Several(params string[] uids) =>
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n"
        + string.Concat(
            uids.Select(u =>
                $"BEGIN:VEVENT\r\nUID:{u.TrimEnd('+')}\r\nDTSTART:20300101T100000Z\r\nDURATION:PT1H\r\nSUMMARY:{u}\r\nEND:VEVENT\r\n"
            )
        )
        + "END:VCALENDAR\r\n";
}

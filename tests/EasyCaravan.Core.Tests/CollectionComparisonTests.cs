using System.Text;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>Address books and calendars of both sides, read anew.</summary>
public sealed class CollectionComparisonTests : CollectionRoad
{
    [Fact]
    public void Whatever_differs_is_named_and_what_is_only_written_in_another_way_is_not()
    {
        var book = _from.Make("Crew");
        for (var i = 0; i < 6; i++)
            book.Put($"{i}.vcf", Card(i, "NOTE:likes herring"));
        Run();
        var there = _to.All.Single();
        Assert.Equal((6L, 0L, 0L, true), Told(Compare()));
        there.Put("0.vcf", Card(0, "NOTE:likes cod"));
        there.Remove(there.Href.Item("1.vcf"));
        there.Put("2.vcf", Card(2, "TEL:+353 1 555 0102\r\nNOTE:likes herring"));
        book.Put("3.vcf", Card(3, "NOTE:edited"));
        book.Put("new.vcf", Card(7));
        book.Remove(book.Href.Item("4.vcf"));
        Assert.Equal((4L, 2L, 2L, true), Told(Compare()));
        Assert.Equal(
            [
                (DifferenceKind.Missing, "Sailor 1", "it is no longer in 'Crew' on the new side: somebody there deleted or moved it"),
                (
                    DifferenceKind.Altered,
                    "Sailor 0",
                    "it was changed on the new side since: NOTE is changed from 'likes herring' to 'likes cod'"
                ),
            ],
            Differences.OrderBy(d => d.Kind)
        );
        Assert.False(Total.Undecided == 0);
        // What is as it was again differs no longer.
        there.Put("0.vcf", Card(0, "NOTE:likes herring"));
        there.Put("1.vcf", Card(1, "NOTE:likes herring"));
        Run();
        Compare();
        Assert.Empty(Differences);
    }

    [Fact]
    public void A_shaped_item_is_compared_with_what_was_sent()
    {
        (_kind, _rules) = (
            Kind.Calendars,
            _rules with
            {
                Shaping = ItemShapings.ScheduleAgent | ItemShapings.Method | ItemShapings.SplitUids,
            }
        );
        (_to.HasSwitch, _to.Traits) = (false, new CollectionAccountTraits(["mailto:a@saltmarsh.example"], Schedules: true));
        var calendar = _from.Make("Work");
        calendar.Put(
            "a.ics",
            Event("a", "a@saltmarsh.example", "20991212").Replace("PRODID:x", "PRODID:x\r\nMETHOD:PUBLISH", StringComparison.Ordinal)
        );
        var two = Event("b", "b@saltmarsh.example", "20251212");
        calendar.Put(
            "b.ics",
            two.Replace("END:VCALENDAR\r\n", "", StringComparison.Ordinal)
                + two[two.IndexOf("BEGIN:VEVENT", StringComparison.Ordinal)..].Replace("UID:b", "UID:c", StringComparison.Ordinal)
        );
        _to.Refuses = octets =>
            Encoding.UTF8.GetString(octets) is var text
            && (text.Contains("METHOD", StringComparison.Ordinal) || text.Split("UID:").Length > 2)
                ? new Fault(Cause.ItemRefused, "a", "it refuses it")
                : null;
        Assert.Equal(3, Run().Carried);
        Assert.Equal((3L, 0L, 0L, true), Told(Compare()));
        foreach (var place in _to.All.Single().Items.Keys.ToList())
        {
            var text = Encoding.UTF8.GetString(_to.All.Single().Items[place].Octets);
            _to.All.Single()
                .Put(place, Encoding.UTF8.GetBytes(text.Replace("VERSION:2.0", "VERSION:2.0\r\nX-OWN:1", StringComparison.Ordinal)));
        }
        Assert.Equal((3L, 0L, 0L, true), Told(Compare()));
        foreach (var place in _to.All.Single().Items.Keys.ToList())
        {
            var text = Encoding.UTF8.GetString(_to.All.Single().Items[place].Octets);
            _to.All.Single().Put(place, Encoding.UTF8.GetBytes(text.Replace("T100000Z", "T101500Z", StringComparison.Ordinal)));
        }
        Assert.Equal((3L, 3L, 0L, true), Told(Compare()));
        Assert.All(Differences, d => Assert.Contains("DTSTART is changed from", d.What, StringComparison.Ordinal));
    }

    private static (long, long, long, bool) Told(ComparisonProgress progress) =>
        (progress.Compared, progress.Differing, progress.Arrived, progress.IsDone);

    private IEnumerable<(DifferenceKind Kind, string Subject, string What)> Differences =>
        _ledger.Differences.Select(d => (d.Difference.Kind, d.Difference.Subject, d.Difference.What));
}

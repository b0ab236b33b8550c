using System.Text;
using CsCheck;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Core.Tests;

/// <summary>What servers do to vCards and iCalendar objects, told from what they only write in another way.</summary>
public sealed class ItemComparisonTests
{
    private static readonly string s_card = Corpus("version3.vcf");
    private static readonly string s_series = Corpus("series.ics");

    [Fact]
    public void The_same_octets_are_the_same() => Assert.Equal((ItemLikeness.Same, ""), Compare(s_card, s_card));

    [Theory]
    [InlineData("the writer's name and date", "REV:20270101T000000Z", "REV:20270305T101010Z")]
    [InlineData("another order of parameters and case", "ENCODING=b;TYPE=JPEG", "type=jpeg;encoding=b")]
    [InlineData("types in parameters of their own", "TYPE=INTERNET,pref", "TYPE=pref;TYPE=INTERNET")]
    [InlineData("a list in properties of its own", "CATEGORIES:Crew,Deck", "CATEGORIES:Deck\r\nCATEGORIES:Crew")]
    [InlineData("another fold", "a very long line", "a ver\r\n y long\r\n  line")]
    [InlineData("no program", "PRODID:-//Saltmarsh//Cards//EN\r\n", "")]
    [InlineData("line feeds alone", "\r\n", "\n")]
    [InlineData("names in small letters", "TEL;TYPE=CELL", "tel;type=CELL")]
    public void What_is_only_written_in_another_way_is_reshaped(string what, string sent, string stored) =>
        Assert.Equal(
            (ItemLikeness.Reshaped, "", what),
            With(Compare(s_card, s_card.Replace(sent, stored, StringComparison.Ordinal)), what)
        );

    [Fact]
    public void What_a_server_adds_is_told_and_no_damage() =>
        Assert.Equal(
            (ItemLikeness.Reshaped, "Added VCALENDAR/VTIMEZONE"),
            Compare(
                s_series,
                s_series.Replace(
                    "BEGIN:VEVENT\r\nUID:drill@saltmarsh.example\r\nDTSTAMP",
                    "BEGIN:VTIMEZONE\r\nTZID:Etc/UTC\r\nEND:VTIMEZONE\r\nBEGIN:VEVENT\r\nUID:drill@saltmarsh.example\r\nDTSTAMP",
                    StringComparison.Ordinal
                )
            )
        );

    [Theory]
    [InlineData("X-SHIFT:night\\,day,both", "X-SHIFT:night\\", "Changed VCARD/X-SHIFT")]
    [InlineData("X-SHIFT:night\\,day,both", "X-SHIFT:night\\,day\\,both", "Changed VCARD/X-SHIFT")]
    [InlineData("/9j/4AAQ", "/9j/4AAR", "Changed VCARD/PHOTO")]
    [InlineData("TYPE=CELL;TYPE=VOICE", "TYPE=CELL", "Changed VCARD/TEL")]
    [InlineData("CATEGORIES:Crew,Deck\r\n", "CATEGORIES:Crew\r\n", "Lost VCARD/CATEGORIES")]
    [InlineData("CATEGORIES:Crew,Deck\r\n", "CATEGORIES:Crew\\,Deck\r\n", "Changed VCARD/CATEGORIES, Lost VCARD/CATEGORIES")]
    [InlineData("item1.X-ABLabel", "item2.X-ABLabel", "Changed VCARD/X-ABLABEL")]
    [InlineData("VERSION:3.0", "VERSION:4.0", "Changed VCARD/VERSION")]
    [InlineData("N:Marsh;Aoife;;;\r\n", "", "Lost VCARD/N")]
    [InlineData("FN:Aoife Marsh", "FN:aoife marsh", "Changed VCARD/FN")]
    public void What_a_contact_lost_is_named(string sent, string stored, string changes) =>
        Assert.Equal((ItemLikeness.Damaged, changes), Compare(s_card, s_card.Replace(sent, stored, StringComparison.Ordinal)));

    [Theory]
    [InlineData("RRULE:FREQ=WEEKLY;COUNT=10", "RRULE:None", "Changed VEVENT/RRULE")]
    [InlineData("20270208T090000,20270215T090000", "20270208T090000", "Lost VEVENT/EXDATE")]
    [InlineData("TRIGGER:-PT15M", "TRIGGER:-PT5M", "Changed VEVENT/VALARM")]
    [InlineData("DTSTART;TZID=Europe/Dublin:20270222T110000\r\n", "", "Lost VEVENT 20270222T090000/DTSTART")]
    [InlineData("TZOFFSETTO:+0000", "TZOFFSETTO:+0100", "Changed VCALENDAR/VTIMEZONE")]
    [InlineData(";CN=Bram", ";SCHEDULE-STATUS=3.7;CN=Bram", "Changed VEVENT/ATTENDEE")]
    public void What_an_event_lost_is_named(string sent, string stored, string changes) =>
        Assert.Equal((ItemLikeness.Damaged, changes), Compare(s_series, s_series.Replace(sent, stored, StringComparison.Ordinal)));

    [Fact]
    public void Two_alarms_that_change_places_are_the_same_and_two_that_exchange_their_times_are_not()
    {
        const string First = "ACTION:DISPLAY\r\nTRIGGER:-PT15M",
            Second = "ACTION:AUDIO\r\nTRIGGER:-PT5M";
        Assert.Equal(ItemLikeness.Reshaped, Compare(s_series, Swap(s_series, First, Second)).Likeness);
        Assert.Equal(ItemLikeness.Damaged, Compare(s_series, Swap(s_series, "TRIGGER:-PT15M", "TRIGGER:-PT5M")).Likeness);
    }

    [Fact]
    public void Octets_that_are_no_UTF_8_are_compared_as_they_are()
    {
        byte[] Card(byte odd) => [.. "BEGIN:VCARD\r\nFN:caf"u8, odd, .. "\r\nEND:VCARD\r\n"u8];
        var comparison = ItemComparison.Of(ItemForm.Of(Card(0xe9)), ItemForm.Of(Card(0xe8)));
        Assert.Equal(ItemLikeness.Damaged, comparison.Likeness);
    }

    [Fact]
    public void Lines_in_any_order_and_folded_anywhere_mean_the_same_and_each_that_is_missing_is_named()
    {
        var lines = ContentLineReader
            .Read(Encoding.UTF8.GetBytes(s_card))
            .Where(l => l.Name is not ("BEGIN" or "END" or "PRODID" or "REV"))
            .Select(l => l.Name)
            .ToList();
        var written = Unfolded(s_card)
            .Where(l => !l.StartsWith("BEGIN", StringComparison.Ordinal) && !l.StartsWith("END", StringComparison.Ordinal));
        var kept = written
            .Where(l => !l.StartsWith("PRODID", StringComparison.Ordinal) && !l.StartsWith("REV", StringComparison.Ordinal))
            .ToArray();
        Assert.Equal(lines.Count, kept.Length);
        Gen.Select(Gen.Shuffle(kept), Gen.Int[1, 60], Gen.Int[0, kept.Length - 1])
            .Sample(
                (shuffled, width, missing) =>
                {
                    var whole = Card(shuffled.Select(l => Fold(l, width)));
                    Assert.Equal((ItemLikeness.Reshaped, ""), Compare(s_card, whole));
                    var less = Compare(s_card, Card(shuffled.Where(l => l != kept[missing]).Select(l => Fold(l, width))));
                    Assert.Equal(ItemLikeness.Damaged, less.Likeness);
                    Assert.Contains($"VCARD/{lines[missing]}", less.Changes, StringComparison.Ordinal);
                }
            );
    }

    [Theory]
    [InlineData("version2.vcf", "VCARD", "NOTE", "first line=0D=0A=second line")]
    [InlineData("version4.vcf", "VCARD", "ADR", ";;1 Quay;Saltmarsh;;;IE")]
    [InlineData("odd.ics", "VTODO", "SUMMARY", "folded in the name")]
    [InlineData("odd.ics", "VTODO", "DESCRIPTION", "café folded in a character")]
    [InlineData("odd.ics", "VTODO", "", "no colon here")]
    [InlineData("odd.ics", "VJOURNAL", "SUMMARY", "never closed")]
    public void Properties_are_read_whatever_their_form(string file, string component, string property, string value)
    {
        var found = Descendants(ItemComponent.Parse(File.ReadAllBytes(PathOf(file)))).Where(c => c.Name == component);
        Assert.Contains(value, found.SelectMany(c => c.FindAll(property)).Select(l => l.Text()));
    }

    [Fact]
    public void Parameters_are_read_with_quotation_marks_and_without()
    {
        var card = ItemComponent.Parse(Encoding.UTF8.GetBytes(Corpus("version4.vcf"))).Children.Single();
        Assert.Equal(["voice", "home"], card.Find("TEL")!.Value.ParameterValues("TYPE"));
        Assert.Equal([new ContentParameter("LABEL", "1 Quay; Port:Saltmarsh")], card.Find("ADR")!.Value.Parameters);
        var old = ItemComponent.Parse(Encoding.UTF8.GetBytes(Corpus("version2.vcf"))).Children.Single();
        Assert.Equal(["HOME", "VOICE"], old.Find("TEL")!.Value.ParameterValues("TYPE"));
    }

    [Fact]
    public Task Whatever_an_object_holds_it_is_read_and_equals_itself() => Fuzz.RunAsync("items", octets =>
        {
            var form = ItemForm.Of(octets);
            Assert.Equal(ItemLikeness.Same, ItemComparison.Of(form, ItemForm.Of(octets)).Likeness);
            // An octet more at the end is another object, and no statement of the first one is lost by it.
            var longer = ItemComparison.Of(form, ItemForm.Of((byte[])[.. octets, .. "\r\n"u8]));
            Assert.NotEqual(ItemLikeness.Same, longer.Likeness);
        });

    private static IEnumerable<ItemComponent> Descendants(ItemComponent component) =>
        component.Children.SelectMany(Descendants).Prepend(component);

    private static (ItemLikeness Likeness, string Changes) Compare(string sent, string stored)
    {
        Assert.True(sent == stored || sent.Length > 0);
        var comparison = ItemComparison.Of(ItemForm.Of(Encoding.UTF8.GetBytes(sent)), ItemForm.Of(Encoding.UTF8.GetBytes(stored)));
        return (comparison.Likeness, string.Join(", ", comparison.Changes.Select(c => $"{c.Kind} {c.Place}/{c.Name}")));
    }

    private static (ItemLikeness, string, string) With((ItemLikeness Likeness, string Changes) compared, string what) =>
        (compared.Likeness, compared.Changes, what);

    private static string Corpus(string file) => File.ReadAllText(PathOf(file));

    private static string PathOf(string file) => Path.Combine(AppContext.BaseDirectory, "Corpus", "items", file);

    private static string Swap(string text, string one, string other) =>
        text.Replace(one, "\0", StringComparison.Ordinal)
            .Replace(other, one, StringComparison.Ordinal)
            .Replace("\0", other, StringComparison.Ordinal);

    private static IEnumerable<string> Unfolded(string text) =>
        text.Replace("\r\n ", "", StringComparison.Ordinal).Split("\r\n", StringSplitOptions.RemoveEmptyEntries);

    private static string Card(IEnumerable<string> lines) =>
        string.Concat(lines.Prepend("BEGIN:VCARD").Append("END:VCARD").Select(l => l + "\r\n"));

    private static string Fold(string line, int width) => string.Join("\r\n ", line.Chunk(width).Select(c => new string(c)));
}

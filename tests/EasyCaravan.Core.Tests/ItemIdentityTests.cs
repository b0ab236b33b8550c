using System.Text;
using EasyCaravan.Core.Carrying.Collections;
using EasyCaravan.Core.Formats;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Core.Tests;

/// <summary>Who is the same contact, and what is the same event, where the two sides have no UID in common.</summary>
public sealed class ItemIdentityTests
{
    [Theory]
    [InlineData("one UID", "UID:a|FN:Aoife", "UID:a|FN:Bram", ContactMatch.Same)]
    [InlineData(
        "an address, and the name in another order",
        "N:Marsh;Aoife|EMAIL:A@x.example",
        "FN:Aoife Marsh|EMAIL:a@x.example",
        ContactMatch.Same
    )]
    [InlineData(
        "accents and case",
        "FN:SIOBHÁN WEIR|EMAIL:s@x.example",
        "FN:Siobhan Weir|EMAIL;TYPE=work:mailto:s@x.example",
        ContactMatch.Same
    )]
    [InlineData(
        "accents in characters of their own",
        "FN:Siobha\u0301n Weir|TEL:5550103",
        "FN:Siobhán Weir|TEL:555 0103",
        ContactMatch.Same
    )]
    [InlineData("a number with and without the country", "FN:Bram|TEL:+353 1 555 0102", "FN:Bram|TEL:(01) 555-0102", ContactMatch.Same)]
    [InlineData("a number as a URI", "FN:Bram|TEL;VALUE=uri:tel:+353-1-555-0102\\;ext=4", "FN:Bram|TEL:003531 5550102", ContactMatch.Same)]
    [InlineData(
        "a name and an organisation, and no way to reach either",
        "FN:Una|ORG:Harbour office;Tugs",
        "FN:Una|ORG:harbour office",
        ContactMatch.Same
    )]
    [InlineData("an organisation", "ORG:Quay Chandlers|TEL:5550100", "ORG:Quay Chandlers|EMAIL:q@x.example", ContactMatch.Same)]
    [InlineData("a couple with one address", "FN:Anna Weir|EMAIL:weir@x.example", "FN:Tom Weir|EMAIL:weir@x.example", ContactMatch.Unclear)]
    [InlineData("one name with other addresses", "FN:Tom Weir|EMAIL:a@x.example", "FN:Tom Weir|EMAIL:b@x.example", ContactMatch.Unclear)]
    [InlineData("one name and nothing else", "FN:Tom Weir", "FN:Tom Weir", ContactMatch.Unclear)]
    [InlineData("an extension that many have", "FN:Tom|TEL:112", "FN:Anna|TEL:112", ContactMatch.Different)]
    [InlineData("others", "FN:Tom|EMAIL:t@x.example", "FN:Anna|EMAIL:a@x.example", ContactMatch.Different)]
    [InlineData("nothing at all", "NOTE:x", "NOTE:x", ContactMatch.Different)]
    public void Contacts_are_matched_by(string what, string one, string other, ContactMatch match)
    {
        var (a, b) = (ContactOf(one), ContactOf(other));
        Assert.Equal((match, match, what), (a.Matches(b), b.Matches(a), what));
    }

    [Theory]
    [InlineData("one UID", "UID:a|SUMMARY:x", "UID:a|SUMMARY:y", true)]
    [InlineData("another zone", "DTSTART;TZID=Europe/Dublin:20270601T090000|SUMMARY:Drill", "DTSTART:20270601T080000Z|SUMMARY:drill", true)]
    [InlineData(
        "another order of the rule",
        "DTSTART:1|SUMMARY:x|RRULE:FREQ=DAILY;COUNT=2",
        "DTSTART:1|SUMMARY:x|RRULE:COUNT=2;FREQ=daily",
        true
    )]
    [InlineData("another rule", "DTSTART:1|SUMMARY:x|RRULE:FREQ=DAILY", "DTSTART:1|SUMMARY:x", false)]
    [InlineData(
        "another organiser",
        "DTSTART:1|SUMMARY:x|ORGANIZER:mailto:a@x.example",
        "DTSTART:1|SUMMARY:x|ORGANIZER:mailto:b@x.example",
        false
    )]
    [InlineData("no beginning", "SUMMARY:x", "SUMMARY:x", false)]
    [InlineData("no name", "DTSTART:20270601T080000Z", "DTSTART:20270601T080000Z", false)]
    [InlineData(
        "a zone that nobody knows",
        "DTSTART;TZID=Quay:20270601T080000|SUMMARY:x",
        "DTSTART;TZID=Quay:20270601T080000|SUMMARY:x",
        true
    )]
    public void Events_are_matched_by(string what, string one, string other, bool match)
    {
        var (a, b) = (EventOf(one), EventOf(other));
        Assert.Equal((match, match, what), (a.Matches(b), b.Matches(a), what));
    }

    [Fact]
    public Task Whatever_an_object_holds_it_matches_itself_or_says_nothing() => Fuzz.RunAsync("items", octets =>
        {
            foreach (var component in ItemComponent.Parse(octets).Children)
            {
                var contact = ContactIdentity.Of(component);
                Assert.Equal(contact.Uid is not null, contact.Uid is not null && contact.Matches(contact) is ContactMatch.Same);
                foreach (var item in component.Children.Select(EventIdentity.Of))
                    Assert.Equal(item.Matches(item), item.Uid is not null || (item.Start.Length > 0 && item.Summary.Length > 0));
            }
        });

    private static ContactIdentity ContactOf(string lines) => ContactIdentity.Of(ComponentOf("VCARD", lines));

    private static EventIdentity EventOf(string lines) => EventIdentity.Of(ComponentOf("VEVENT", lines));

    private static ItemComponent ComponentOf(string name, string lines) =>
        ItemComponent
            .Parse(Encoding.UTF8.GetBytes($"BEGIN:{name}\r\n{lines.Replace("|", "\r\n", StringComparison.Ordinal)}\r\nEND:{name}\r\n"))
            .Children.Single();
}

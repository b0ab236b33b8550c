using System.Text;
using EasyCaravan.Core.Crossing;
using NodaTime;

namespace EasyCaravan.Core.Tests;

/// <summary>With whom somebody exchanges mail, counted from headers.</summary>
public sealed class CorrespondenceTests
{
    private readonly Correspondence _counted = new(["Aoife@saltmarsh.example", "aoife@northquay.example"]);

    private void Add(string header, bool isSent = false, int day = 1) =>
        _counted.Add(Encoding.UTF8.GetBytes($"{header}\r\n"), isSent, Instant.FromUtc(2026, 11, day, 8, 0));

    [Fact]
    public void Both_directions_are_counted_by_address_and_the_newest_name_is_kept()
    {
        Add("From: Friend <FRIEND@outside.example>\r\nTo: aoife@saltmarsh.example", day: 3);
        Add("From: Old Name <friend@outside.example>\r\nTo: aoife@saltmarsh.example", day: 2);
        Add(
            "From: aoife@saltmarsh.example\r\nTo: friend@outside.example,\r\n other@outside.example\r\nCc: Friend <friend@outside.example>",
            true
        );
        // One's own message in any folder counts as sent.
        Add("From: AOIFE@northquay.example\r\nTo: =?utf-8?Q?Zo=C3=AB?= <zoe@outside.example>");
        var people = _counted.Most(10);
        Assert.Equal(new Correspondent("friend@outside.example", "Friend", 2, 1, Instant.FromUtc(2026, 11, 3, 8, 0)), people[0]);
        Assert.Equal(["other@outside.example", "zoe@outside.example"], people.Skip(1).Select(p => p.Address));
        Assert.Equal("Zoë", people[2].Name);
        Assert.Equal((0, 1), (people[1].Received, people[1].Sent));
        Assert.Single(_counted.Most(1));
    }

    [Theory]
    [InlineData("From: tides@lists.example\r\nList-Id: <tides.lists.example>")]
    [InlineData("From: shop@outside.example\r\nPrecedence: bulk")]
    [InlineData("From: friend@outside.example\r\nAuto-Submitted: auto-replied")]
    [InlineData("From: no-reply@outside.example")]
    [InlineData("From: MAILER-DAEMON@outside.example")]
    [InlineData("From: aoife@saltmarsh.example\r\nTo: aoife@northquay.example")]
    [InlineData("From: undisclosed-recipients:;")]
    [InlineData("From: <>")]
    [InlineData("no header at all")]
    public void Lists_machines_oneself_and_nonsense_are_nobody(string header)
    {
        Add(header);
        Assert.Empty(_counted.Most(10));
    }

    [Fact]
    public void Whatever_octets_stand_in_a_header_it_counts_on()
    {
        var chance = new Random(4711);
        for (var i = 0; i < 2000; i++)
        {
            var octets = new byte[chance.Next(200)];
            chance.NextBytes(octets);
            _counted.Add([.. "From: "u8, .. octets, .. "\r\nTo: "u8, .. octets], i % 2 == 0, Instant.MinValue);
        }
        Assert.All(_counted.Most(int.MaxValue), p => Assert.DoesNotContain(p.Name, char.IsControl));
    }
}

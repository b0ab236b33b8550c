using System.Text;
using EasyCaravan.Core.Ports;
using EasyCaravan.Core.Tests.Memory;

namespace EasyCaravan.Core.Tests;

/// <summary>Of two versions of an item a person chooses one, or both.</summary>
public sealed class VersionChoiceTests : CollectionRoad
{
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
}

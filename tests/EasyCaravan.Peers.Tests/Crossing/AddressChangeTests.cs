using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Peers.Crossing;
using EasyCaravan.Testing;

namespace EasyCaravan.Peers.Tests.Crossing;

/// <summary>Those with whom somebody exchanges mail are told of the new address: by the person, or in their name, and once.</summary>
public sealed class AddressChangeTests
{
    private const string Told = "New address";

    private static CancellationToken Cancel => TestContext.Current.CancellationToken;

    [Fact]
    public async Task Correspondents_are_counted_in_both_directions_and_told_once()
    {
        Assert.SkipUnless(CrossingWorld.CanRun, "Postfix runs as root alone.");
        string[] moving = ["aoife", "orla"];
        await using var world = await CrossingWorld.StartAsync([.. moving, "friend", "stranger"]);
        // The friend and a colleague write and are written to; the stranger writes alone.
        foreach (var from in new[] { "friend@northquay.example", "stranger@northquay.example", "orla@saltmarsh.example" })
            await PlainSmtp.SendAsync(
                world.Post.Port,
                from,
                ["aoife@saltmarsh.example"],
                CrossingWorld.Message($"Some Body <{from}>", "aoife@saltmarsh.example", $"to-aoife.{from}", "Tide", "In."),
                Cancel
            );
        using (var old = await world.AtOldAsync("aoife"))
        {
            await old.RunAsync("CREATE Sent (USE (\\Sent))");
            var sent = CrossingWorld.Message(
                "aoife@saltmarsh.example",
                "friend@northquay.example, orla@saltmarsh.example",
                "sent-1",
                "Re: Tide",
                "Out."
            );
            await old.AppendAsync("Sent", [("\\Seen", DateTimeOffset.UtcNow, sent)]);
        }
        await using var service = await CrossingWorld.StartServiceAsync(
            world.Plan($"crossing: {{note: {{subject: {Told}, text: \"{{name}} is at {{new_address}} now, not at {{old_address}}\"}}}}"),
            moving
        );
        await service.RunAsync("crossing", "crew", "--check", "--wait");
        await service.RunAsync("crossing", "crew", "--accept", "informed", "--because", "Told in person");
        var early = await service.RunAsync("aftercare", "crew", "--correspondents", "--move", "aoife");
        Assert.Contains("has not crossed", early.Error, StringComparison.Ordinal);
        Assert.Equal(0, (await service.RunAsync("crossing", "crew", "--go", "--wait")).Code);

        var counted = await service.RunAsync(
            "aftercare",
            "crew",
            "--correspondents",
            "--move",
            "aoife",
            "--days",
            "3650",
            "--output",
            "csv"
        );
        Assert.True(counted.Code == 0, counted.Error);
        var people = (await service.ListAsync<CorrespondentView>("batches/crew/aftercare/correspondents")).ToDictionary(p => p.Address);
        Assert.Equal(
            (1, 1, true, false),
            (
                people["friend@northquay.example"].Received,
                people["friend@northquay.example"].Sent,
                people["friend@northquay.example"].GetsNote,
                people["friend@northquay.example"].IsColleague
            )
        );
        Assert.True(people["orla@saltmarsh.example"].IsColleague);
        Assert.False(people["stranger@northquay.example"].GetsNote);
        Assert.Contains("friend@northquay.example,1,1", counted.Out, StringComparison.Ordinal);

        // A draft for its owner: everybody hidden from everybody.
        Assert.Equal(0, (await service.RunAsync("aftercare", "crew", "--note", "draft", "--move", "aoife")).Code);
        using (var here = await world.AtNewAsync("aoife"))
        {
            var draft = Assert.Single(await here.ReadFolderAsync("Drafts"));
            var text = Encoding.UTF8.GetString(draft.Octets);
            Assert.Contains("\\Draft", draft.Flags, StringComparison.Ordinal);
            Assert.Contains("Bcc: Some Body <friend@northquay.example>", text, StringComparison.Ordinal);
            Assert.DoesNotContain("stranger", text, StringComparison.Ordinal);
            Assert.Contains("aoife is at aoife@northquay.example now, not at aoife@saltmarsh.example", text, StringComparison.Ordinal);
        }
        Assert.DoesNotContain(Told, await InboxAsync(world, "friend"), StringComparison.Ordinal);

        // In her name only when she said so, and once.
        var silent = await service.RunAsync("aftercare", "crew", "--note", "send", "--move", "aoife");
        Assert.Contains("only when they said so", silent.Error, StringComparison.Ordinal);
        for (var i = 0; i < 2; i++)
            Assert.Equal(
                0,
                (await service.RunAsync("aftercare", "crew", "--note", "send", "--move", "aoife", "--because", "She asked for it")).Code
            );
        await TestService.UntilAsync(async () => (await InboxAsync(world, "friend")).Contains(Told, StringComparison.Ordinal));
        Assert.Equal(2, (await InboxAsync(world, "friend")).Split(Told).Length);
        foreach (var other in new[] { "stranger", "orla" })
            Assert.DoesNotContain(Told, await InboxAsync(world, other), StringComparison.Ordinal);
        Assert.Contains("She asked for it", (await service.RunAsync("journal")).Out, StringComparison.Ordinal);
    }

    private static async Task<string> InboxAsync(CrossingWorld world, string person)
    {
        using var imap = await world.AtNewAsync(person);
        return string.Concat((await imap.ReadFolderAsync("INBOX")).Select(m => Encoding.UTF8.GetString(m.Octets)));
    }
}

using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Carrying.Mail;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;
using EasyCaravan.StandIns;

namespace EasyCaravan.Protocols.Tests;

/// <summary>The adapter with and without each extension: the result must be the same.</summary>
public sealed class StandInTests
{
    [Theory]
    [InlineData("")]
    [InlineData("MULTIAPPEND")]
    [InlineData("LITERAL+")]
    [InlineData("MULTIAPPEND LITERAL+")]
    [InlineData("UIDPLUS")]
    [InlineData("LIST-STATUS")]
    [InlineData("LIST-STATUS LIST-EXTENDED SPECIAL-USE")]
    [InlineData("ESEARCH CONDSTORE")]
    public async Task Messages_arrive_whatever_the_server_lacks(string without)
    {
        var manners = new StandInManners('.', Without: without.Split(' ').ToHashSet());
        await using var server = new StandInImap(manners);
        server.AddAccount("a@x.example", "secret");
        var service = new Service(
            "s",
            new MailConnection(MailProtocol.Imap, "127.0.0.1", server.Port, Security.None),
            new Core.Planning.SignIn.Password(null),
            new Trust.System(),
            Limits.Default
        );
        await using IMailAccount account = await ImapMailAccount.OpenAsync(
            service,
            new Credentials("a@x.example", "a@x.example", "secret"),
            null,
            null,
            null,
            CancellationToken.None
        );
        var path = FolderPath.Parse("Work/März");
        var cursor = (await account.CreateFoldersAsync([new NewFolder(path, SpecialUse.None, true)], CancellationToken.None))[0].Cursor;
        Assert.Equal((1u, 0u), (cursor.Next, cursor.Count));

        var writer = await account.AddMessagesAsync([path], 100, CancellationToken.None);
        var receipts = new List<AddReceipt>();
        for (uint i = 1; i <= 40; i++)
        {
            var octets = System.Text.Encoding.ASCII.GetBytes($"Message-ID: <{i}@x.example>\r\n\r\n{new string('y', (int)i * 300)}");
            await writer.BeginAsync(
                0,
                new ItemInfo(i, new(octets.Length), DateTimeOffset.UnixEpoch.AddDays(i), FlagSet.Parse("\\Seen K")),
                new(octets.Length),
                octets,
                CancellationToken.None
            );
            receipts.AddRange(await writer.EndAsync(CancellationToken.None));
        }
        receipts.AddRange(await writer.FinishAsync(CancellationToken.None));

        Assert.Equal(40, receipts.Count(r => r.Refused is null));
        if (without != "UIDPLUS")
            Assert.All(receipts, r => Assert.Equal(r.Number, r.Landed!.Value.Number));
        Assert.Equal("1:40", (await account.ListNumbersAsync(path, CancellationToken.None)).ToString());
        var items = await account.ListItemsAsync(
            path,
            await account.ListNumbersAsync(path, CancellationToken.None),
            new Dictionary<uint, EasyCaravan.Core.Pacing.Fault>(),
            CancellationToken.None
        );
        Assert.Equal(DateTimeOffset.UnixEpoch.AddDays(7), items[6].Received);
        Assert.Equal("\\Seen K".Split(' ').Order(), items[6].Flags.Flags.Order());
        var certain = false;
        await account.ReadHeadersAsync(
            path,
            new NumberSet([3]),
            header => certain = Identity.Of(header.Header).Certain,
            CancellationToken.None
        );
        Assert.True(certain);
        Assert.Contains((await account.ListFoldersAsync(CancellationToken.None)), f => f.Path.Equals(path) && f.Cursor is { Count: 40 });
    }
}

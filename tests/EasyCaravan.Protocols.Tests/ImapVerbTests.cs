using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Each verb against exact octets, whole and one octet at a time.</summary>
public sealed partial class ImapVerbTests
{
    private const string Everything = "UIDPLUS MULTIAPPEND LITERAL+ ESEARCH CONDSTORE LIST-EXTENDED LIST-STATUS SPECIAL-USE";

    private static readonly (string, string) Examine = (
        "T EXAMINE \"INBOX\"",
        "* 3 EXISTS\r\n* OK [UIDVALIDITY 7] ok\r\n§ OK [READ-ONLY] done\r\n"
    );

    private static readonly DateTimeOffset Date = new(2019, 3, 30, 23, 59, 58, TimeSpan.FromMinutes(-90));

    [Theory]
    [InlineData(Pieces.Whole)]
    [InlineData(Pieces.OneByOne)]
    public async Task LIST_gives_names_uses_and_cursors_in_one_round_trip(Pieces pieces)
    {
        await using var server = new ScriptedServer(
            Everything,
            pieces,
            [
                (
                    "T LIST \"\" \"*\" RETURN (SUBSCRIBED SPECIAL-USE STATUS (MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ))",
                    "* LIST (\\HasNoChildren \\Subscribed) \"/\" InBox\r\n"
                        + "* STATUS INBOX (MESSAGES 3 UIDNEXT 12 UIDVALIDITY 7 HIGHESTMODSEQ 99)\r\n"
                        + "* LIST (\\Noselect) \"/\" Projects\r\n* LIST (\\Sent) \"/\" \"Sent \\\"Items\\\"\"\r\n"
                        + "* STATUS \"Sent \\\"Items\\\"\" (UIDVALIDITY 8 UIDNEXT 1 MESSAGES 0 HIGHESTMODSEQ 0)\r\n"
                        + "* LIST () \"/\" {16}\r\nM&AOQ-rz/&broken\r\n* STATUS {16}\r\n"
                        + "M&AOQ-rz/&broken (MESSAGES 4294967295 UIDNEXT 4294967295 UIDVALIDITY 4294967295)\r\n§ OK done\r\n"
                ),
            ]
        );
        await using var account = await server.SignInAsync();
        var folders = await account.ListFoldersAsync(CancellationToken.None);
        Assert.Equal(["INBOX", "Projects", "Sent \"Items\"", "März/&broken"], folders.Select(f => f.Path.ToString()));
        Assert.Equal(new FolderCursor(7, 12, 99, 3), folders[0].Cursor);
        Assert.Equal((false, SpecialUse.Sent, true), (folders[1].Selectable, folders[2].Use, folders[0].Subscribed));
        Assert.Null(folders[2].Cursor!.Mark);
        Assert.Equal(uint.MaxValue, folders[3].Cursor!.Next);
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task MOVE_learns_the_new_places_and_without_it_COPY_and_EXPUNGE_of_these_alone_do()
    {
        await using var server = new ScriptedServer(
            Everything + " MOVE",
            Pieces.Whole,
            [
                ("T SELECT \"INBOX\"", "* OK [UIDVALIDITY 7] ok\r\n§ OK [READ-WRITE] done\r\n"),
                ("T UID MOVE 5:6 \"Work\"", "* OK [COPYUID 9 5:6 31:32] moved\r\n* 1 EXPUNGE\r\n* 1 EXPUNGE\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var places = (
            await account.MoveMessagesAsync(FolderPath.Inbox, new NumberSet([5, 6]), FolderPath.Parse("Work"), CancellationToken.None)
        )!;
        Assert.Equal((31u, 32u), (places[5], places[6]));
        Assert.Empty(await EndAsync(account, server));

        await using var older = new ScriptedServer(
            Everything,
            Pieces.OneByOne,
            [
                ("T SELECT \"INBOX\"", "§ OK [READ-WRITE] done\r\n"),
                ("T UID COPY 5 \"Work\"", "§ OK [COPYUID 9 5 31] done\r\n"),
                ("T UID STORE 5 +FLAGS.SILENT (\\Deleted)", "§ OK done\r\n"),
                ("T UID EXPUNGE 5", "* VANISHED 5\r\n§ OK done\r\n"),
            ]
        );
        await using var second = await older.SignInAsync();
        Assert.Equal(
            31u,
            (await second.MoveMessagesAsync(FolderPath.Inbox, new NumberSet([5]), FolderPath.Parse("Work"), CancellationToken.None))![5]
        );
        Assert.Empty(await EndAsync(second, older));
    }

    [Fact]
    public async Task A_row_that_the_index_refuses_or_leaves_unfinished_is_named_and_the_others_come()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                Examine,
                (
                    "T UID FETCH 1:3 (UID RFC822.SIZE INTERNALDATE FLAGS)",
                    "* 1 FETCH (UID 1 RFC822.SIZE 9 INTERNALDATE \"30-Mar-2019 23:59:58 -0130\" FLAGS ())\r\n"
                        + "§ NO [SERVERBUG] cannot parse\r\n"
                ),
            ]
        );
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() =>
            account.ListItemsAsync(FolderPath.Inbox, new NumberSet([1, 2, 3]), new Dictionary<uint, Fault>(), CancellationToken.None)
        );
        Assert.Equal((Cause.ServiceBusy, Verdict.Keep), (fault.Fault.Cause, fault.Verdict));

        await using var other = new ScriptedServer(
            Everything,
            Pieces.OneByOne,
            [
                Examine,
                (
                    "T UID FETCH 1:3 (UID RFC822.SIZE INTERNALDATE FLAGS)",
                    "* 1 FETCH (UID 1 RFC822.SIZE 9 INTERNALDATE \"30-Mar-2019 23:59:58 -0130\" FLAGS ())\r\n§ NO cannot parse\r\n"
                ),
                (
                    "T UID FETCH 1:2 (UID RFC822.SIZE INTERNALDATE FLAGS)",
                    "* 1 FETCH (UID 1 RFC822.SIZE 9 INTERNALDATE \"30-Mar-2019 23:59:58 -0130\" FLAGS ())\r\n"
                        + "* 2 FETCH (UID 2 FLAGS ())\r\n§ OK done\r\n"
                ),
                ("T UID FETCH 3 (UID RFC822.SIZE INTERNALDATE FLAGS)", "§ NO [CORRUPTION] cannot parse\r\n"),
            ]
        );
        await using var second = await other.SignInAsync();
        var unreadable = new Dictionary<uint, Fault>();
        Assert.Equal(
            1u,
            Assert
                .Single(await second.ListItemsAsync(FolderPath.Inbox, new NumberSet([1, 2, 3]), unreadable, CancellationToken.None))
                .Number
        );
        Assert.Equal([2u, 3u], unreadable.Keys.Order());
        Assert.All(unreadable.Values, f => Assert.Equal(Cause.MessageUnreadable, f.Cause));
        Assert.Empty(await EndAsync(second, other));
    }

    [Theory]
    [InlineData("ESEARCH", "* ESEARCH (TAG \"§\") UID ALL 1:3,7\r\n§ OK done\r\n", "1:3,7")]
    [InlineData("ESEARCH", "* ESEARCH (TAG \"§\") UID\r\n§ OK done\r\n", "")]
    [InlineData("", "* SEARCH 7 1 2 3\r\n§ OK done\r\n", "1:3,7")]
    [InlineData("", "* SEARCH\r\n§ OK done\r\n", "")]
    public async Task Numbers_come_as_ranges_or_one_by_one(string capability, string answer, string numbers)
    {
        await using var server = new ScriptedServer(
            capability,
            Pieces.OneByOne,
            [Examine, ($"T UID SEARCH {(capability.Length > 0 ? "RETURN (ALL) " : "")}ALL", answer)]
        );
        await using var account = await server.SignInAsync();
        Assert.Equal(numbers, (await account.ListNumbersAsync(FolderPath.Inbox, CancellationToken.None)).ToString());
    }

    [Fact]
    public async Task A_plain_server_tells_three_hundred_thousand_numbers_in_one_line()
    {
        var all = string.Join(' ', Enumerable.Range(1, 300_000).Select(i => 1_000_000 + i));
        await using var server = new ScriptedServer(
            "",
            Pieces.Whole,
            [("T EXAMINE \"INBOX\"", "* 300000 EXISTS\r\n§ OK done\r\n"), ("T UID SEARCH ALL", $"* SEARCH {all}\r\n§ OK done\r\n")]
        );
        await using var account = await server.SignInAsync();
        Assert.Equal("1000001:1300000", (await account.ListNumbersAsync(FolderPath.Inbox, CancellationToken.None)).ToString());
    }

    private static async Task<List<string>> ReadAllAsync(IMessageReader reader)
    {
        var messages = new List<string>();
        while (await reader.NextAsync(CancellationToken.None) is { } message)
        {
            var octets = new MemoryStream();
            while (await reader.ReadAsync(CancellationToken.None) is { Length: > 0 } piece)
                octets.Write(piece.Span);
            Assert.Equal(message.Size.Count, octets.Length);
            messages.Add($"{message.Number}:{Encoding.Latin1.GetString(octets.ToArray())}");
        }
        return messages;
    }

    private static async Task<IReadOnlyList<AddReceipt>> SendAsync(
        IMessageWriter writer,
        uint number,
        string text,
        string flags,
        int folder = 0
    )
    {
        // The message comes in two pieces.
        var octets = Encoding.Latin1.GetBytes(text);
        await writer.BeginAsync(
            folder,
            new ItemInfo(number, new(text.Length), Date, FlagSet.Parse(flags)),
            new(text.Length),
            octets.AsMemory(0, Math.Max(0, octets.Length - 1)),
            CancellationToken.None
        );
        await writer.WriteAsync(octets.AsMemory(Math.Max(0, octets.Length - 1)), CancellationToken.None);
        return await writer.EndAsync(CancellationToken.None);
    }

    private static async Task<List<string>> EndAsync(IMailAccount account, ScriptedServer server)
    {
        await account.DisposeAsync();
        return await server.UnexpectedAsync();
    }
}

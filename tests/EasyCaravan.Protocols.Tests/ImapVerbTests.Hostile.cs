using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Servers that lie, break off, or never end.</summary>
public sealed partial class ImapVerbTests
{
    [Theory]
    [InlineData("30-Mar-2019 23:59:58 -0130", "2019-03-30T23:59:58-01:30")]
    [InlineData(" 3-Mar-2019 23:59:58 +0545", "2019-03-03T23:59:58+05:45")]
    [InlineData("03-Mar-2019 23:59:58 +1800", "2019-03-03T05:59:58+00:00")]
    [InlineData("31-Feb-2019 23:59:58 +0000", null)]
    [InlineData("01-Jan-0001 00:00:00 +0100", null)]
    [InlineData("31-Dec-9999 23:59:59 -1400", null)]
    [InlineData("03-Mar-2019 23:59:58", null)]
    [InlineData("yesterday", null)]
    public async Task A_date_is_taken_to_the_second_with_its_zone_and_one_that_is_none_is_named(string written, string? read)
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                Examine,
                (
                    "T UID FETCH 1 (UID RFC822.SIZE INTERNALDATE FLAGS)",
                    $"* 1 FETCH (UID 1 RFC822.SIZE 9 INTERNALDATE \"{written}\" FLAGS ())\r\n§ OK done\r\n"
                ),
            ]
        );
        await using var account = await server.SignInAsync();
        var unreadable = new Dictionary<uint, Fault>();
        var items = await account.ListItemsAsync(FolderPath.Inbox, new NumberSet([1]), unreadable, CancellationToken.None);
        Assert.Equal(
            read,
            items.Count == 0
                ? null
                : items[0].Received.ToString("yyyy-MM-ddTHH:mm:sszzz", System.Globalization.CultureInfo.InvariantCulture)
        );
        Assert.Equal(read is null ? [1u] : [], unreadable.Keys);
    }

    [Theory]
    [InlineData("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"§\") UID ALL 1:4294967295\r\n§ OK done\r\n")]
    public async Task A_server_that_makes_numbers_up_is_not_believed(string asked, string answer)
    {
        await using var server = new ScriptedServer(Everything, Pieces.Whole, [Examine, (asked, answer)]);
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() => account.ListNumbersAsync(FolderPath.Inbox, CancellationToken.None));
        Assert.Equal(Cause.ProtocolBroken, fault.Fault.Cause);
    }

    [Fact]
    public async Task Two_hundred_thousand_folders_of_nonsense_end_the_connection_and_not_the_service()
    {
        var nonsense = new StringBuilder();
        for (var i = 0; i < 200_000; i++)
            nonsense.Append(System.Globalization.CultureInfo.InvariantCulture, $"* LIST () \"/\" \"x{i}\"\r\n");
        await using var server = new ScriptedServer(
            "LIST-EXTENDED LIST-STATUS",
            Pieces.Whole,
            [("T LIST \"\" \"*\" RETURN (SUBSCRIBED STATUS (MESSAGES UIDNEXT UIDVALIDITY))", nonsense + "§ OK done\r\n")]
        );
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() => account.ListFoldersAsync(CancellationToken.None));
        Assert.Equal((Cause.ProtocolBroken, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
    }

    [Theory]
    [InlineData("* 1 FETCH (UID 99999999999 BODY[] {1}\r\na)\r\n§ OK done\r\n")]
    [InlineData("* 1 FETCH (UID 1 BODY[] {1}\r\nab\r\n§ OK done\r\n")]
    [InlineData("* 1 FETCH (UID 1 BODY[] {1}\r\na longer one)\r\n§ OK done\r\n")]
    [InlineData("* 1 FETCH (UID 1 BODY[] {1}\r\na (and more) of it)\r\n§ OK done\r\n")]
    [InlineData("* 1 FETCH (UID x BODY[] {1}\r\na)\r\n§ OK done\r\n")]
    [InlineData("X9 OK what\r\n§ OK done\r\n")]
    [InlineData("\r\n§ OK done\r\n")]
    public async Task Garbage_is_a_named_cause_and_ends_the_connection(string answer)
    {
        await using var server = new ScriptedServer(Everything, Pieces.Whole, [Examine, ("T UID FETCH 1 (UID BODY.PEEK[])", answer)]);
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, new NumberSet([1]))], CancellationToken.None);
        var fault = await Assert.ThrowsAsync<FaultException>(() => ReadAllAsync(reader));
        Assert.Equal((Cause.ProtocolBroken, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
    }

    [Theory]
    [InlineData("9223372036854775807")]
    [InlineData("1099511627777")]
    public async Task A_message_larger_than_any_can_be_is_named_and_the_others_come(string size)
    {
        const string Rest = "INTERNALDATE \"30-Mar-2019 23:59:58 -0130\" FLAGS ()";
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                Examine,
                (
                    "T UID FETCH 1:2 (UID RFC822.SIZE INTERNALDATE FLAGS)",
                    $"* 1 FETCH (UID 1 RFC822.SIZE {size} {Rest})\r\n* 2 FETCH (UID 2 RFC822.SIZE 1099511627776 {Rest})\r\n§ OK done\r\n"
                ),
            ]
        );
        await using var account = await server.SignInAsync();
        var unreadable = new Dictionary<uint, Fault>();
        var items = await account.ListItemsAsync(FolderPath.Inbox, new NumberSet([1, 2]), unreadable, CancellationToken.None);
        Assert.Equal((2u, 1L << 40), (Assert.Single(items).Number, items[0].Size.Count));
        Assert.Equal(1u, Assert.Single(unreadable).Key);
    }

    [Theory]
    [InlineData("STORAGE 12 2048", 2048L * 1024, 12L * 1024)]
    [InlineData("STORAGE 12 18446744073709551615", null, 12L * 1024)]
    [InlineData("STORAGE 12 9223372036854775807", null, 12L * 1024)]
    public async Task A_quota_that_no_account_can_reach_is_none(string told, long? most, long used)
    {
        await using var server = new ScriptedServer(
            "QUOTA",
            Pieces.Whole,
            [("T GETQUOTAROOT INBOX", $"* QUOTAROOT INBOX \"\"\r\n* QUOTA \"\" ({told} MESSAGE 7 100)\r\n§ OK done\r\n")]
        );
        await using var account = await server.SignInAsync();
        var room = (await account.ReadRoomAsync(CancellationToken.None))!;
        Assert.Equal((most, used, 100, 7), (room.Octets?.Count, room.UsedOctets.Count, room.Messages, room.UsedMessages));
    }

    [Fact]
    public async Task A_message_that_is_longer_than_told_is_not_given_out_as_whole()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [Examine, ("T UID FETCH 1 (UID BODY.PEEK[])", "* 1 FETCH (UID 1 BODY[] {3}\r\nSubject: cut short\r\n)\r\n§ OK done\r\n")]
        );
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, new NumberSet([1]))], CancellationToken.None);
        Assert.Equal(3, (await reader.NextAsync(CancellationToken.None))!.Value.Size.Count);
        Assert.Equal(3, (await reader.ReadAsync(CancellationToken.None)).Length);
        // The fault must come before the end of the message is reported: after that the message counts as read.
        var fault = await Assert.ThrowsAsync<FaultException>(async () => await reader.ReadAsync(CancellationToken.None));
        Assert.Equal((Cause.ProtocolBroken, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
    }

    [Theory]
    [InlineData("* SEARCH {0}\r\n", 400_000)]
    [InlineData("* 5 EXISTS\r\n", 10_000_001)]
    public async Task An_answer_without_end_is_cut_off(string line, int times)
    {
        var answer = line.StartsWith("* SEARCH", StringComparison.Ordinal)
            ? line + string.Concat(Enumerable.Repeat("{0}\r\n", times))
            : string.Concat(Enumerable.Repeat(line, times));
        await using var server = new ScriptedServer(Everything, Pieces.Whole, [Examine, ("T UID SEARCH RETURN (ALL) ALL", answer)]);
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() => account.ListNumbersAsync(FolderPath.Inbox, CancellationToken.None));
        Assert.Equal((Cause.ProtocolBroken, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
    }

    [Fact]
    public async Task Cut_at_any_octet_of_its_answers_a_lost_connection_is_told_as_such()
    {
        (string, string)[] steps =
        [
            Examine,
            (
                "T UID FETCH 1:2 (UID BODY.PEEK[])",
                "* 1 FETCH (UID 1 BODY[] {6}\r\n)\r\nT x)\r\n* 2 FETCH (UID 2 BODY[] {1}\r\nb)\r\n§ OK done\r\n"
            ),
        ];
        for (var cut = 0; cut < steps.Sum(s => s.Item2.Length); cut++)
        {
            await using var server = new ScriptedServer(Everything, Pieces.Whole, steps, cut);
            await using var account = await server.SignInAsync();
            var fault = await Assert.ThrowsAsync<FaultException>(async () =>
                await ReadAllAsync(await account.ReadMessagesAsync([(FolderPath.Inbox, new NumberSet([1, 2]))], CancellationToken.None))
            );
            Assert.Equal(Cause.ConnectionLost, fault.Fault.Cause);
        }
    }

    [Fact]
    public async Task A_folder_that_is_gone_since_it_was_listed_is_looked_for_again()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                ("T EXAMINE \"INBOX\"", "§ NO [NONEXISTENT] Mailbox doesn't exist\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "§ BAD no mailbox\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() => account.ListNumbersAsync(FolderPath.Inbox, CancellationToken.None));
        Assert.Equal((FaultAction.RetryLater, Verdict.Keep), (fault.Fault.Action, fault.Verdict));
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task An_endless_line_is_cut_off()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [Examine, ("T UID SEARCH RETURN (ALL) ALL", "* SEARCH " + new string('1', 20_000_000))]
        );
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() => account.ListNumbersAsync(FolderPath.Inbox, CancellationToken.None));
        Assert.Equal((Cause.ProtocolBroken, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
    }

    [Fact]
    public async Task A_farewell_is_told_in_the_servers_words()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [("T EXAMINE \"INBOX\"", "* BYE Maintenance until nine\r\n§")],
            cutAfter: 30
        );
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() => account.ListNumbersAsync(FolderPath.Inbox, CancellationToken.None));
        Assert.Equal(Cause.ServiceBusy, fault.Fault.Cause);
        Assert.Contains("Maintenance until nine", fault.Fault.What, StringComparison.Ordinal);
    }
}

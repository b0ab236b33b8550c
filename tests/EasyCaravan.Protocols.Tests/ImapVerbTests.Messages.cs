using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Verbs that read and write messages.</summary>
public sealed partial class ImapVerbTests
{
    [Theory]
    [InlineData(Pieces.Whole)]
    [InlineData(Pieces.OneByOne)]
    public async Task FETCH_hands_on_octets_whatever_they_look_like_and_in_whatever_order_items_come(Pieces pieces)
    {
        await using var server = new ScriptedServer(
            Everything,
            pieces,
            [
                Examine,
                (
                    "T UID FETCH 1:4 (UID BODY.PEEK[])",
                    "* 1 FETCH (UID 1 BODY[] {6}\r\n)\r\nT x)\r\n* 5 EXPUNGE\r\n* 2 FETCH (FLAGS (\\Seen) UID 2 BODY[] {0}\r\n"
                        + " MODSEQ (5))\r\n* 9 EXISTS\r\n* 3 FETCH (UID 3 BODY[] \"a\\\"b\")\r\n§ OK done\r\n"
                ),
            ]
        );
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, new NumberSet([1, 2, 3, 4]))], CancellationToken.None);
        Assert.Equal(["1:)\r\nT x", "2:", "3:a\"b"], await ReadAllAsync(reader));
        Assert.Equal([new ItemAt(0, 4)], reader.Gone);
        Assert.Empty(await EndAsync(account, server));
    }

    [Theory]
    [InlineData(Pieces.Whole)]
    [InlineData(Pieces.OneByOne)]
    public async Task FETCH_tells_date_and_flags_with_the_octets_before_or_after_them_and_nothing_where_the_server_leaves_them_out(
        Pieces pieces
    )
    {
        const string Date = "INTERNALDATE \"30-Mar-2019 23:59:58 -0130\"";
        await using var server = new ScriptedServer(
            Everything,
            pieces,
            [
                Examine,
                (
                    "T UID FETCH 1:4 (UID INTERNALDATE FLAGS BODY.PEEK[])",
                    $"* 1 FETCH (UID 1 {Date} FLAGS (\\Seen) BODY[] {{1}}\r\na)\r\n* 2 FETCH (UID 2 BODY[] {{2}}\r\n"
                        + $"bb FLAGS ($A) {Date})\r\n"
                        + "* 3 FETCH (FLAGS (\\Flagged))\r\n* 3 FETCH (UID 3 BODY[] \"c\")\r\n"
                        + $"* 4 FETCH (FLAGS () BODY[] \"dd\" UID 4 {Date})\r\n§ OK done\r\n"
                ),
            ]
        );
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync(
            [(FolderPath.Inbox, new NumberSet([1, 2, 3, 4]))],
            CancellationToken.None,
            withIndex: true
        );
        var told = new List<string>();
        while (await reader.NextAsync(CancellationToken.None) is not null)
        {
            while (await reader.ReadAsync(CancellationToken.None) is { Length: > 0 }) { }
            told.Add(reader.Index is { } i ? $"{i.Number} {i.Size.Count} {i.Flags.Written} {i.Received:HH:mm zzz}" : "nothing");
        }
        Assert.Equal(["1 1 \\Seen 23:59 -01:30", "2 2 $A 23:59 -01:30", "nothing", "4 2  23:59 -01:30"], told);
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task Quirk_a_server_that_tells_the_number_after_the_octets_is_asked_for_one_at_a_time()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                Examine,
                (
                    "T UID FETCH 1:2 (UID BODY.PEEK[])",
                    "* 1 FETCH (BODY[] {1}\r\na UID 1)\r\n* 2 FETCH (BODY[] {1}\r\nb UID 2)\r\n§ OK done\r\n"
                ),
                ("T UID FETCH 1 (UID BODY.PEEK[])", "* 1 FETCH (BODY[] {1}\r\na UID 1)\r\n§ OK done\r\n"),
                ("T UID FETCH 2 (UID BODY.PEEK[])", "* 2 FETCH (BODY[] {1}\r\nb UID 2)\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, new NumberSet([1, 2]))], CancellationToken.None);
        Assert.Equal(["1:a", "2:b"], await ReadAllAsync(reader));
        Assert.Empty(reader.Gone);
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task A_message_that_the_server_does_not_give_out_is_named_and_the_others_come()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                Examine,
                (
                    "T UID FETCH 1:2 (UID BODY.PEEK[])",
                    "* 1 FETCH (UID 1 BODY[] {1}\r\na)\r\n§ NO [EXPUNGEISSUED] Some messages could not be read\r\n"
                ),
                ("T UID FETCH 2 (UID BODY.PEEK[])", "§ NO [CORRUPTION] Mail is corrupted\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, new NumberSet([1, 2]))], CancellationToken.None);
        Assert.Equal(["1:a"], await ReadAllAsync(reader));
        Assert.Equal(
            (Cause.MessageUnreadable, "CORRUPTION"),
            (reader.Unreadable[new ItemAt(0, 2)].Cause, reader.Unreadable[new ItemAt(0, 2)].Code)
        );
        Assert.Empty(await EndAsync(account, server));
    }

    [Theory]
    [InlineData(Pieces.Whole)]
    [InlineData(Pieces.OneByOne)]
    public async Task APPEND_sends_many_with_flags_and_dates_and_learns_where_they_landed(Pieces pieces)
    {
        await using var server = new ScriptedServer(
            Everything,
            pieces,
            [
                ("T APPEND \"INBOX\" ($Forwarded \\Seen) \"30-Mar-2019 23:59:58 -0130\" {3+}", ""),
                ("raw one () \"30-Mar-2019 23:59:58 -0130\" {3+}", ""),
                ("raw two", "§ OK [APPENDUID 7 40,42] done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var writer = await account.AddMessagesAsync([FolderPath.Inbox], 100, CancellationToken.None);
        await SendAsync(writer, 1, "one", "\\Seen $Forwarded");
        await SendAsync(writer, 2, "two", "");
        var receipts = await writer.FinishAsync(CancellationToken.None);
        Assert.Equal([(1u, new ItemKey(7, 40)), (2u, new ItemKey(7, 42))], receipts.Select(r => (r.Number, r.Landed!.Value)));
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task Without_LITERAL_plus_each_literal_waits_for_leave_and_a_refusal_drops_what_was_to_come()
    {
        await using var server = new ScriptedServer(
            "UIDPLUS",
            Pieces.Whole,
            [
                ("T APPEND \"INBOX\" () \"30-Mar-2019 23:59:58 -0130\" {3}", "§ NO [TOOBIG] too big\r\n"),
                ("T APPEND \"INBOX\" () \"30-Mar-2019 23:59:58 -0130\" {3}", "+ go on\r\n"),
                ("raw two", "§ OK [APPENDUID 7 40] done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var writer = await account.AddMessagesAsync([FolderPath.Inbox], 100, CancellationToken.None);
        var receipts = new List<AddReceipt>();
        receipts.AddRange(await SendAsync(writer, 1, "one", ""));
        receipts.AddRange(await SendAsync(writer, 2, "two", ""));
        receipts.AddRange(await writer.FinishAsync(CancellationToken.None));
        Assert.Equal((Cause.MessageTooLarge, 1), (receipts[0].Refused!.Cause, receipts[0].BatchSize));
        Assert.Equal(new ItemKey(7, 40), receipts[1].Landed);
        Assert.Empty(await EndAsync(account, server));
    }

    [Theory]
    [InlineData("NO [OVERQUOTA] full", Cause.NoRoom)]
    [InlineData("NO [TRYCREATE] no folder", Cause.FolderRefused)]
    [InlineData("NO [UNAVAILABLE] later", Cause.ServiceBusy)]
    [InlineData("NO something else", Cause.MessageRefused)]
    [InlineData("BAD NUL in it", Cause.MessageRefused)]
    public async Task A_refusal_of_many_is_told_for_each_with_its_cause(string answer, Cause cause)
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                ("T APPEND \"INBOX\" () \"30-Mar-2019 23:59:58 -0130\" {3+}", ""),
                ("raw one () \"30-Mar-2019 23:59:58 -0130\" {3+}", ""),
                ("raw two", $"§ {answer}\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var writer = await account.AddMessagesAsync([FolderPath.Inbox], 100, CancellationToken.None);
        await SendAsync(writer, 1, "one", "");
        await SendAsync(writer, 2, "two", "");
        var receipts = await writer.FinishAsync(CancellationToken.None);
        Assert.All(receipts, r => Assert.Equal((cause, 2), (r.Refused!.Cause, r.BatchSize)));
    }

    [Fact]
    public async Task NUL_goes_in_a_literal8_and_a_wide_header_is_announced()
    {
        await using var server = new ScriptedServer(
            Everything + " BINARY ENABLE UTF8=ACCEPT",
            Pieces.Whole,
            [
                ("T APPEND \"\u00c3\u009cber\" () \"30-Mar-2019 23:59:58 -0130\" ~{5+}", ""),
                ("raw a\0b\0c () \"30-Mar-2019 23:59:58 -0130\" UTF8 (~{10+}", ""),
                ("raw A: \u00c3\u009c", ""),
                ("raw ", ""),
                ("raw x) () \"30-Mar-2019 23:59:58 -0130\" {3+}", ""),
                ("raw two", "§ OK [APPENDUID 7 40:42] done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var writer = await account.AddMessagesAsync([FolderPath.Parse("Über")], 100, CancellationToken.None);
        await SendAsync(writer, 1, "a\0b\0c", "");
        await SendAsync(writer, 2, "A: \u00c3\u009c\r\n\r\nx", "");
        await SendAsync(writer, 3, "two", "");
        var receipts = await writer.FinishAsync(CancellationToken.None);
        Assert.Equal([40u, 41, 42], receipts.Select(r => r.Landed!.Value.Number));
        Assert.Empty(await EndAsync(account, server));
    }
}

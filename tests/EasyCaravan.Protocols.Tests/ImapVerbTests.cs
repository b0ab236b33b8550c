using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;

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
            told.Add(reader.Index is { } i ? $"{i.Number} {i.Size} {i.Flags.Written} {i.Received:HH:mm zzz}" : "nothing");
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
    public async Task Flags_are_changed_one_by_one()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.OneByOne,
            [
                ("T SELECT \"INBOX\"", "* OK [UIDVALIDITY 7] ok\r\n§ OK [READ-WRITE] done\r\n"),
                ("T UID STORE 5:6 +FLAGS.SILENT (\\Flagged)", "§ OK done\r\n"),
                ("T UID STORE 5:6 -FLAGS.SILENT ($A)", "§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        await account.ChangeFlagsAsync(
            FolderPath.Inbox,
            new NumberSet([5, 6]),
            FlagSet.Parse("\\Flagged"),
            FlagSet.Parse("$A"),
            CancellationToken.None
        );
        Assert.Empty(await EndAsync(account, server));
    }

    [Theory]
    [InlineData(Pieces.Whole)]
    [InlineData(Pieces.OneByOne)]
    public async Task QRESYNC_tells_what_vanished_changed_and_came_of_many_folders_in_one_round_trip(Pieces pieces)
    {
        await using var server = new ScriptedServer(
            Everything + " ENABLE QRESYNC",
            pieces,
            [
                ("T ENABLE QRESYNC", "* ENABLED QRESYNC\r\n§ OK done\r\n"),
                (
                    "T EXAMINE \"INBOX\" (QRESYNC (7 98))",
                    "* OK [CLOSED] x\r\n* 5 EXISTS\r\n* OK [UIDVALIDITY 7] ok\r\n* OK [HIGHESTMODSEQ 120] ok\r\n"
                        + "* VANISHED (EARLIER) 3:4,4000000000\r\n* 2 FETCH (UID 5 FLAGS (\\Seen) MODSEQ (99))\r\n"
                        + "* 5 FETCH (UID 12 FLAGS () MODSEQ (101))\r\n§ OK [READ-ONLY] done\r\n"
                ),
                (
                    "T UID FETCH 12:* (UID RFC822.SIZE INTERNALDATE FLAGS)",
                    "* 5 FETCH (UID 12 RFC822.SIZE 9 INTERNALDATE \"30-Mar-2019 23:59:58 -0130\" FLAGS () MODSEQ (101))\r\n§ OK done\r\n"
                ),
                ("T EXAMINE \"Work\" (QRESYNC (8 3))", "* 0 EXISTS\r\n* OK [UIDVALIDITY 9] ok\r\n§ OK [READ-ONLY] done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var changes = await account.ReadChangesAsync(
            [
                new ChangeQuery(FolderPath.Inbox, new FolderCursor(7, 12, 98, 6), new FolderCursor(7, 13, 120, 5)),
                new ChangeQuery(FolderPath.Parse("Work"), new FolderCursor(8, 2, 3, 1), new FolderCursor(9, 2, 5, 1)),
            ],
            CancellationToken.None
        );
        var inbox = changes[0]!;
        Assert.Equal("3:4", inbox.GoneOf(new NumberSet([1, 2, 3, 4, 5])).ToString());
        Assert.Equal((5u, "\\Seen"), (Assert.Single(inbox.Flags).Number, inbox.Flags[0].Flags.Written));
        Assert.Equal(("12", 5u, 9L), (inbox.Fresh.ToString(), inbox.Count, Assert.Single(inbox.Items).Size));
        Assert.Null(changes[1]);
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task CONDSTORE_alone_tells_changed_flags_and_what_is_present_is_listed()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                ("T EXAMINE \"INBOX\"", "* 3 EXISTS\r\n* OK [UIDVALIDITY 7] ok\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"§\") UID ALL 1:2,12\r\n§ OK done\r\n"),
                (
                    "T UID FETCH 1:11 (UID FLAGS) (CHANGEDSINCE 98)",
                    "* 2 FETCH (UID 2 MODSEQ (99) FLAGS (\\Seen \\Recent $A))\r\n§ OK done\r\n"
                ),
                ("T UID FETCH 12:* (UID RFC822.SIZE INTERNALDATE FLAGS)", "* 3 FETCH (UID 12 FLAGS (\\Seen))\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var change = (
            await account.ReadChangesAsync(
                [new ChangeQuery(FolderPath.Inbox, new FolderCursor(7, 12, 98, 6), new FolderCursor(7, 13, 120, 3))],
                CancellationToken.None
            )
        )[0]!;
        Assert.Equal("3:11", change.GoneOf(new NumberSet(Enumerable.Range(1, 11).Select(i => (uint)i))).ToString());
        Assert.Equal("$A \\Seen", Assert.Single(change.Flags).Flags.Written);
        // A row without size and date is asked for again when its message is carried.
        Assert.Equal(("12", 0), (change.Fresh.ToString(), change.Items.Count));
        Assert.Null(change.Digest);
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task A_plain_server_is_compared_by_a_digest_and_the_same_one_means_that_nothing_changed()
    {
        (string, string)[] look =
        [
            ("T EXAMINE \"INBOX\"", "* 2 EXISTS\r\n* OK [UIDVALIDITY 7] ok\r\n§ OK [READ-ONLY] done\r\n"),
            ("T UID SEARCH ALL", "* SEARCH 1 2\r\n§ OK done\r\n"),
            ("T UID FETCH 1:2 (UID FLAGS)", "* 1 FETCH (UID 1 FLAGS (\\Seen))\r\n* 2 FETCH (UID 2 FLAGS ())\r\n§ OK done\r\n"),
        ];
        await using var server = new ScriptedServer("", Pieces.Whole, [.. look, .. look]);
        await using var account = await server.SignInAsync();
        var cursor = new FolderCursor(7, 3, null, 2);
        var first = (await account.ReadChangesAsync([new ChangeQuery(FolderPath.Inbox, cursor, cursor)], CancellationToken.None))[0]!;
        Assert.Equal(2, first.Flags.Count);
        var second = (
            await account.ReadChangesAsync(
                [new ChangeQuery(FolderPath.Inbox, cursor with { Mark = first.Digest }, cursor)],
                CancellationToken.None
            )
        )[0]!;
        Assert.Empty(second.Flags);
        Assert.Equal(0, second.GoneOf(new NumberSet([1, 2])).Count);
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

    /// <summary>Talks that are cut after every octet of the server's answers; each verb once, as it runs in a pass.</summary>
    public static TheoryData<string, string, string[]> Talks =>
        new()
        {
            {
                "list",
                "LIST-EXTENDED LIST-STATUS",
                [
                    "T LIST \"\" \"*\" RETURN (SUBSCRIBED STATUS (MESSAGES UIDNEXT UIDVALIDITY))",
                    "* LIST () \"/\" INBOX\r\n* STATUS INBOX (MESSAGES 3 UIDNEXT 12 UIDVALIDITY 7)\r\n§ OK done\r\n",
                ]
            },
            {
                "changes",
                Everything + " QRESYNC",
                [
                    "T ENABLE QRESYNC",
                    "* ENABLED QRESYNC\r\n§ OK done\r\n",
                    "T EXAMINE \"INBOX\" (QRESYNC (7 98))",
                    "* 1 EXISTS\r\n* VANISHED (EARLIER) 3:4\r\n* 1 FETCH (UID 5 FLAGS (\\Seen))\r\n§ OK done\r\n",
                ]
            },
            {
                "read",
                Everything,
                [
                    "T EXAMINE \"INBOX\"",
                    "* 1 EXISTS\r\n§ OK done\r\n",
                    "T UID FETCH 5 (UID BODY.PEEK[])",
                    "* 1 FETCH (UID 5 BODY[] {3}\r\none)\r\n§ OK done\r\n",
                    "T EXAMINE \"Work\"",
                    "* 1 EXISTS\r\n§ OK done\r\n",
                    "T UID FETCH 5 (UID BODY.PEEK[])",
                    "* 1 FETCH (UID 5 BODY[] {3}\r\ntwo)\r\n§ OK done\r\n",
                ]
            },
            {
                "visit",
                Everything,
                [
                    "T SELECT \"INBOX\"",
                    "* 3 EXISTS\r\n§ OK [READ-WRITE] done\r\n",
                    "T UID STORE 5 +FLAGS.SILENT (\\Flagged)",
                    "§ OK done\r\n",
                    "T UID SEARCH RETURN (ALL) ALL",
                    "* ESEARCH (TAG \"§\") UID ALL 5:7\r\n§ OK done\r\n",
                ]
            },
            {
                "create",
                Everything,
                [
                    "T CREATE \"Work\"",
                    "§ OK done\r\n",
                    "T STATUS \"Work\" (MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ)",
                    "* STATUS Work (MESSAGES 0 UIDNEXT 1 UIDVALIDITY 7 HIGHESTMODSEQ 1)\r\n§ OK done\r\n",
                    "T SUBSCRIBE \"Work\"",
                    "§ OK done\r\n",
                ]
            },
            {
                "append",
                Everything,
                ["T APPEND \"INBOX\" () \"30-Mar-2019 23:59:58 -0130\" {3+}", "", "raw one", "* 4 EXISTS\r\n§ OK [APPENDUID 7 40] done\r\n"]
            },
            {
                "append-waiting",
                "UIDPLUS",
                ["T APPEND \"INBOX\" () \"30-Mar-2019 23:59:58 -0130\" {3}", "+ go on\r\n", "raw one", "§ OK [APPENDUID 7 40] done\r\n"]
            },
            {
                "move",
                Everything + " MOVE",
                [
                    "T SELECT \"INBOX\"",
                    "* 3 EXISTS\r\n§ OK [READ-WRITE] done\r\n",
                    "T UID MOVE 5 \"Work\"",
                    "* OK [COPYUID 9 5 31] moved\r\n* 1 EXPUNGE\r\n§ OK done\r\n",
                ]
            },
            {
                "flags",
                Everything,
                [
                    "T SELECT \"INBOX\"",
                    "* 3 EXISTS\r\n§ OK [READ-WRITE] done\r\n",
                    "T UID STORE 5 +FLAGS.SILENT (\\Flagged)",
                    "* 1 FETCH (UID 5 FLAGS ())\r\n§ OK done\r\n",
                ]
            },
        };

    [Theory]
    [MemberData(nameof(Talks))]
    public async Task Cut_at_any_octet_of_any_talk_it_is_a_lost_connection_and_whole_or_in_pieces_it_is_none(
        string verb,
        string capabilities,
        string[] talk
    )
    {
        var steps = talk.Chunk(2).Select(s => (s[0], s[1])).ToList();
        foreach (var pieces in Enum.GetValues<Pieces>())
        {
            await using var whole = new ScriptedServer(capabilities, pieces, steps);
            await using var account = await whole.SignInAsync();
            await RunAsync(verb, account);
            Assert.Empty(await EndAsync(account, whole));
        }
        for (var cut = 0; cut < steps.Sum(s => s.Item2.Length); cut++)
        {
            await using var server = new ScriptedServer(capabilities, Pieces.Whole, steps, cut);
            await using var account = await server.SignInAsync();
            var fault = await Assert.ThrowsAsync<FaultException>(() => RunAsync(verb, account));
            Assert.Equal((Cause.ConnectionLost, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
        }
    }

    private static async Task RunAsync(string verb, IMailAccount account)
    {
        switch (verb)
        {
            case "read":
                await ReadAllAsync(
                    await account.ReadMessagesAsync(
                        [(FolderPath.Inbox, new NumberSet([5])), (FolderPath.Of("Work"), new NumberSet([5]))],
                        CancellationToken.None
                    )
                );
                break;
            case "visit":
                await account.VisitAsync(
                    [
                        new FolderVisit(FolderPath.Inbox, List: true)
                        {
                            Flags = [new FlagChange(new NumberSet([5]), FlagSet.Parse("\\Flagged"), FlagSet.Empty)],
                        },
                    ],
                    CancellationToken.None
                );
                break;
            case "create":
                await account.CreateFoldersAsync([new NewFolder(FolderPath.Of("Work"), SpecialUse.None, true)], CancellationToken.None);
                break;
            case "list":
                await account.ListFoldersAsync(CancellationToken.None);
                break;
            case "changes":
                await account.ReadChangesAsync(
                    [new ChangeQuery(FolderPath.Inbox, new FolderCursor(7, 12, 98, 6), new FolderCursor(7, 12, 120, 1))],
                    CancellationToken.None
                );
                break;
            case "move":
                await account.MoveMessagesAsync(FolderPath.Inbox, new NumberSet([5]), FolderPath.Parse("Work"), CancellationToken.None);
                break;
            case "flags":
                await account.ChangeFlagsAsync(
                    FolderPath.Inbox,
                    new NumberSet([5]),
                    FlagSet.Parse("\\Flagged"),
                    FlagSet.Empty,
                    CancellationToken.None
                );
                break;
            default:
                var writer = await account.AddMessagesAsync([FolderPath.Inbox], 100, CancellationToken.None);
                await SendAsync(writer, 1, "one", "");
                await writer.FinishAsync(CancellationToken.None);
                break;
        }
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
            Assert.Equal(message.Size, octets.Length);
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
            new ItemInfo(number, text.Length, Date, FlagSet.Parse(flags)),
            text.Length,
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

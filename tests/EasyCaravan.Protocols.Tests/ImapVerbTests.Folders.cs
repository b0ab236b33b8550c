using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Protocols.Imap;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Verbs that go through several folders in one round trip.</summary>
public sealed partial class ImapVerbTests
{
    [Theory]
    [InlineData(Pieces.Whole)]
    [InlineData(Pieces.OneByOne)]
    public async Task Messages_of_several_folders_come_in_one_go_and_are_told_apart_although_their_numbers_are_the_same(Pieces pieces)
    {
        await using var server = new ScriptedServer(
            Everything,
            pieces,
            [
                ("T EXAMINE \"A\"", "* 2 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID FETCH 5:6 (UID BODY.PEEK[])", "* 1 FETCH (UID 5 BODY[] {1}\r\na)\r\n§ OK done\r\n"),
                ("T EXAMINE \"B\"", "* OK [CLOSED] A\r\n* 1 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID FETCH 5 (UID BODY.PEEK[])", "* 1 FETCH (UID 5 BODY[] {1}\r\nb)\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync(
            [(FolderPath.Of("A"), new NumberSet([5, 6])), (FolderPath.Of("B"), new NumberSet([5]))],
            CancellationToken.None
        );
        Assert.Equal(["5:a", "5:b"], await ReadAllAsync(reader));
        Assert.Equal([new ItemAt(0, 6)], reader.Gone);
        Assert.Empty(await EndAsync(account, server));
        Assert.Equal(1, ((ImapMailAccount)account).RoundTrips);
    }

    [Fact]
    public async Task Where_a_folder_cannot_be_opened_nothing_of_it_is_taken_from_the_one_before()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                ("T EXAMINE \"A\"", "* 1 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID FETCH 5 (UID BODY.PEEK[])", "* 1 FETCH (UID 5 BODY[] {1}\r\na)\r\n§ OK done\r\n"),
                ("T EXAMINE \"B\"", "§ NO [NONEXISTENT] no such folder\r\n"),
                // A lenient server keeps the folder open that was open before.
                ("T UID FETCH 5 (UID BODY.PEEK[])", "* 1 FETCH (UID 5 BODY[] {1}\r\na)\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync(
            [(FolderPath.Of("A"), new NumberSet([5])), (FolderPath.Of("B"), new NumberSet([5]))],
            CancellationToken.None
        );
        var fault = await Assert.ThrowsAsync<FaultException>(() => ReadAllAsync(reader));
        Assert.Equal((FaultAction.RetryLater, Verdict.Keep), (fault.Fault.Action, fault.Verdict));
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task A_refusal_is_told_when_all_that_was_under_way_has_been_read_so_that_the_connection_can_be_used_on()
    {
        var numbers = new NumberSet(Enumerable.Range(1, 600).Select(i => (uint)i));
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                Examine,
                ("T UID FETCH 1:500 (UID BODY.PEEK[])", ""),
                (
                    "T UID FETCH 501:600 (UID BODY.PEEK[])",
                    "* 1 FETCH (UID 1 BODY[] {1}\r\na)\r\nC2 NO [NOPERM] not yours\r\n* 501 FETCH (UID 501 BODY[] {1}\r\nb)\r\n"
                        + "§ OK done\r\n"
                ),
                ("T EXAMINE \"INBOX\"", "* 600 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"§\") UID ALL 1:600\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var reader = await account.ReadMessagesAsync([(FolderPath.Inbox, numbers)], CancellationToken.None);
        var fault = await Assert.ThrowsAsync<FaultException>(() => ReadAllAsync(reader));
        Assert.Equal((Cause.NotPermitted, Verdict.Keep), (fault.Fault.Cause, fault.Verdict));
        Assert.Equal(600, (await account.ListNumbersAsync(FolderPath.Inbox, CancellationToken.None)).Count);
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task Names_that_become_one_path_are_two_folders_and_an_empty_name_is_shown_by_a_mark()
    {
        const string Status = "(MESSAGES 1 UIDNEXT 2 UIDVALIDITY 7)";
        await using var server = new ScriptedServer(
            "LIST-EXTENDED LIST-STATUS",
            Pieces.Whole,
            [
                (
                    "T LIST \"\" \"*\" RETURN (SUBSCRIBED STATUS (MESSAGES UIDNEXT UIDVALIDITY))",
                    $"* LIST () \"/\" \"A//B\"\r\n* STATUS \"A//B\" {Status}\r\n* LIST () \"/\" \"A/_/B\"\r\n"
                        + $"* STATUS \"A/_/B\" {Status}\r\n* LIST () \"/\" \"/X\"\r\n* LIST (\\Noselect) \"/\" \"C/\"\r\n§ OK done\r\n"
                ),
                ("T EXAMINE \"A//B\"", "* 1 EXISTS\r\n§ OK done\r\n"),
                ("T UID SEARCH ALL", "* SEARCH 1\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var folders = await account.ListFoldersAsync(CancellationToken.None);
        Assert.Equal(["A/_/B (2)", "A/_/B", "_/X", "C"], folders.Select(f => f.Path.ToString()));
        Assert.Equal(1, (await account.ListNumbersAsync(folders[0].Path, CancellationToken.None)).Count);
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task Headers_of_several_folders_come_in_one_go_and_one_that_is_refused_is_asked_again_by_itself()
    {
        const string Fields = "(UID RFC822.SIZE BODY.PEEK[HEADER.FIELDS (MESSAGE-ID DATE FROM SUBJECT)])";
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                ("T EXAMINE \"A\"", "* 1 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                (
                    $"T UID FETCH 5 {Fields}",
                    "* 1 FETCH (UID 5 RFC822.SIZE 9 BODY[HEADER.FIELDS (MESSAGE-ID DATE FROM SUBJECT)] {4}\r\n\r\n\r\n)\r\n§ OK done\r\n"
                ),
                ("T EXAMINE \"B\"", "* 1 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ($"T UID FETCH 5 {Fields}", "§ NO not now\r\n"),
                (
                    $"T UID FETCH 5 {Fields}",
                    "* 1 FETCH (UID 5 RFC822.SIZE 7 BODY[HEADER.FIELDS (MESSAGE-ID DATE FROM SUBJECT)] {2}\r\n\r\n)\r\n§ OK done\r\n"
                ),
            ]
        );
        await using var account = await server.SignInAsync();
        var read = new List<(int, uint, long)>();
        await account.ReadHeadersAsync(
            [(FolderPath.Of("A"), new NumberSet([5])), (FolderPath.Of("B"), new NumberSet([5]))],
            (folder, h) => read.Add((folder, h.Number, h.Size.Count)),
            CancellationToken.None
        );
        Assert.Equal([(0, 5u, 9L), (1, 5u, 7L)], read);
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task A_visit_subscribes_changes_flags_and_lists_and_what_is_refused_in_one_folder_stops_no_other()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                ("T SUBSCRIBE \"A\"", "§ OK done\r\n"),
                ("T SELECT \"A\"", "* 1 EXISTS\r\n§ OK [READ-WRITE] done\r\n"),
                ("T UID STORE 5 +FLAGS.SILENT ($X)", "§ NO [LIMIT] no more keywords\r\n"),
                ("T UID STORE 6 -FLAGS.SILENT (\\Seen)", "§ OK done\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"§\") UID ALL 5:6\r\n§ OK done\r\n"),
                ("T EXAMINE \"B\"", "§ NO [NOPERM] not yours\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "§ BAD no folder\r\n"),
                ("T EXAMINE \"C\"", "* 0 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"§\") UID\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var seen = await account.VisitAsync(
            [
                new FolderVisit(FolderPath.Of("A"), List: true)
                {
                    Subscribe = true,
                    Flags =
                    [
                        new FlagChange(new NumberSet([5]), FlagSet.Parse("$X"), FlagSet.Empty),
                        new FlagChange(new NumberSet([6]), FlagSet.Empty, FlagSet.Parse("\\Seen")),
                    ],
                },
                new FolderVisit(FolderPath.Of("B"), List: true),
                new FolderVisit(FolderPath.Of("C"), List: true),
            ],
            CancellationToken.None
        );
        Assert.Equal(["5:6", null, ""], seen.Select(s => s.Numbers?.ToString()));
        Assert.Equal(["LIMIT", null], seen[0].FlagsRefused.Select(f => f?.Code));
        Assert.Equal([null, Cause.NotPermitted, null], seen.Select(s => s.Refused?.Cause));
        Assert.Empty(await EndAsync(account, server));
        Assert.Equal(1, ((ImapMailAccount)account).RoundTrips);
    }

    [Theory]
    [InlineData(Pieces.Whole)]
    [InlineData(Pieces.OneByOne)]
    public async Task The_answer_to_a_search_is_known_by_its_tag_and_taken_wherever_it_comes(Pieces pieces)
    {
        await using var server = new ScriptedServer(
            Everything,
            pieces,
            [
                ("T SELECT \"A\"", ""),
                ("T UID STORE 6 -FLAGS.SILENT (\\Seen)", ""),
                // Tags are C1, C2, C3: the search's answer comes before the ends of what was sent ahead of it.
                (
                    "T UID SEARCH RETURN (ALL) ALL",
                    "* 2 EXISTS\r\nC1 OK [READ-WRITE] done\r\n* ESEARCH (TAG \"C3\") UID ALL 5:6\r\nC2 OK done\r\nC3 OK done\r\n"
                ),
                ("T EXAMINE \"B\"", "* 0 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"C3\") UID ALL 99\r\n* ESEARCH (TAG \"§\") UID\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var seen = await account.VisitAsync(
            [
                new FolderVisit(FolderPath.Of("A"), List: true)
                {
                    Flags = [new FlagChange(new NumberSet([6]), FlagSet.Empty, FlagSet.Parse("\\Seen"))],
                },
                new FolderVisit(FolderPath.Of("B"), List: true),
            ],
            CancellationToken.None
        );
        Assert.Equal(["5:6", ""], seen.Select(s => s.Numbers?.ToString()));
        Assert.Empty(await EndAsync(account, server));
    }

    [Fact]
    public async Task A_search_that_ends_without_its_answer_is_not_taken_for_an_empty_folder()
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                ("T EXAMINE \"A\"", "* 2 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"other\") UID\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var fault = await Assert.ThrowsAsync<FaultException>(() => account.ListNumbersAsync(FolderPath.Of("A"), CancellationToken.None));
        Assert.Equal(Cause.ProtocolBroken, fault.Fault.Cause);
    }

    [Fact]
    public async Task Folders_are_made_together_and_one_whose_use_is_refused_is_made_without_it()
    {
        await using var server = new ScriptedServer(
            Everything + " CREATE-SPECIAL-USE",
            Pieces.Whole,
            [
                ("T CREATE \"A\" (USE (\\Junk))", "§ NO [USEATTR] taken\r\n"),
                ("T STATUS \"A\" (MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ)", "§ NO no such folder\r\n"),
                ("T SUBSCRIBE \"A\"", "§ OK done\r\n"),
                ("T CREATE \"B\"", "§ NO [ALREADYEXISTS] there\r\n"),
                (
                    "T STATUS \"B\" (MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ)",
                    "* STATUS B (MESSAGES 3 UIDNEXT 4 UIDVALIDITY 8 HIGHESTMODSEQ 2)\r\n§ OK done\r\n"
                ),
                ("T CREATE \"A\"", "§ OK done\r\n"),
                (
                    "T STATUS \"A\" (MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ)",
                    "* STATUS A (MESSAGES 0 UIDNEXT 1 UIDVALIDITY 7 HIGHESTMODSEQ 1)\r\n§ OK done\r\n"
                ),
                ("T SUBSCRIBE \"A\"", "§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var made = await account.CreateFoldersAsync(
            [new NewFolder(FolderPath.Of("A"), SpecialUse.Junk, true), new NewFolder(FolderPath.Of("B"), SpecialUse.None, false)],
            CancellationToken.None
        );
        Assert.Equal([(7u, false), (8u, true)], made.Select(m => (m.Cursor.Epoch, m.WasThere)));
        Assert.Empty(await EndAsync(account, server));
    }

    [Theory]
    [InlineData(Pieces.Whole)]
    [InlineData(Pieces.OneByOne)]
    public async Task APPEND_to_several_folders_does_not_wait_in_between(Pieces pieces)
    {
        await using var server = new ScriptedServer(
            Everything,
            pieces,
            [
                ("T APPEND \"A\" () \"30-Mar-2019 23:59:58 -0130\" {3+}", ""),
                ("raw one", "§ OK [APPENDUID 7 40] done\r\n"),
                ("T APPEND \"B\" () \"30-Mar-2019 23:59:58 -0130\" {3+}", ""),
                ("raw two", "§ NO [OVERQUOTA] full\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        var writer = await account.AddMessagesAsync([FolderPath.Of("A"), FolderPath.Of("B")], 100, CancellationToken.None);
        await SendAsync(writer, 1, "one", "");
        await SendAsync(writer, 1, "two", "", folder: 1);
        var receipts = await writer.FinishAsync(CancellationToken.None);
        Assert.Equal(
            [(0, new ItemKey(7, 40), null), (1, null, Cause.NoRoom)],
            receipts.Select(r => (r.Folder, r.Landed, r.Refused?.Cause))
        );
        Assert.Empty(await EndAsync(account, server));
    }

    [Theory]
    [InlineData(Pieces.Whole, " UNSELECT", "UNSELECT", "§ OK done\r\n")]
    [InlineData(Pieces.OneByOne, "", "SELECT \"A\"", "* 4 EXISTS\r\n§ OK [READ-WRITE] done\r\n")]
    [InlineData(Pieces.Whole, "", "SELECT \"A\"", "§ NO not now\r\n")]
    public async Task APPEND_to_a_folder_that_was_only_looked_at_comes_after_it_is_let_go_and_in_the_same_round_trip(
        Pieces pieces,
        string can,
        string release,
        string answer
    )
    {
        await using var server = new ScriptedServer(
            Everything + can,
            pieces,
            [
                ("T EXAMINE \"A\"", "* 3 EXISTS\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"§\") UID ALL 1:3\r\n§ OK done\r\n"),
                ($"T {release}", ""),
                ("T APPEND \"A\" () \"30-Mar-2019 23:59:58 -0130\" {3+}", ""),
                ("raw one", answer.Replace("§", "C3", StringComparison.Ordinal) + "§ OK [APPENDUID 7 40] done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        Assert.Equal([1u, 2, 3], await account.ListNumbersAsync(FolderPath.Of("A"), CancellationToken.None));
        var before = ((ImapMailAccount)account).RoundTrips;
        var writer = await account.AddMessagesAsync([FolderPath.Of("A")], 100, CancellationToken.None);
        await SendAsync(writer, 1, "one", "");
        Assert.Equal([new ItemKey(7, 40)], (await writer.FinishAsync(CancellationToken.None)).Select(r => r.Landed!.Value));
        Assert.Equal(1, ((ImapMailAccount)account).RoundTrips - before);
        Assert.Empty(await EndAsync(account, server));
    }

    [Theory]
    [InlineData(0, true)]
    [InlineData(3, false)]
    public async Task A_numbering_that_changed_between_list_and_look_matters_only_where_something_is_numbered(int messages, bool goesOn)
    {
        await using var server = new ScriptedServer(
            Everything,
            Pieces.Whole,
            [
                ("T CREATE \"A\"", "§ NO [ALREADYEXISTS] there\r\n"),
                (
                    "T STATUS \"A\" (MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ)",
                    $"* STATUS A (MESSAGES {messages} UIDNEXT 4 UIDVALIDITY 8 HIGHESTMODSEQ 2)\r\n§ OK done\r\n"
                ),
                ("T EXAMINE \"A\"", $"* {messages} EXISTS\r\n* OK [UIDVALIDITY 9] new\r\n§ OK [READ-ONLY] done\r\n"),
                ("T UID SEARCH RETURN (ALL) ALL", "* ESEARCH (TAG \"§\") UID\r\n§ OK done\r\n"),
            ]
        );
        await using var account = await server.SignInAsync();
        await account.CreateFoldersAsync([new NewFolder(FolderPath.Of("A"), SpecialUse.None, false)], CancellationToken.None);
        var look = () => account.ListNumbersAsync(FolderPath.Of("A"), CancellationToken.None);
        if (goesOn)
            Assert.Empty(await look());
        else
            Assert.Equal(Cause.ServiceBusy, (await Assert.ThrowsAsync<FaultException>(look)).Fault.Cause);
    }
}

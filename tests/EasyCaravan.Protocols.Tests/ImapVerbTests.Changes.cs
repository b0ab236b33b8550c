using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Verbs that tell what changed, and those that change it.</summary>
public sealed partial class ImapVerbTests
{
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
        Assert.Equal(("12", 5u, 9L), (inbox.Fresh.ToString(), inbox.Count, Assert.Single(inbox.Items).Size.Count));
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
}
